"""The form of an order file."""

from django import forms

from northing.web.common.forms import ActionForm


class OrderFileForm(ActionForm):
    """A file of orders: CSV, XLSX or a UBL Order."""

    file = forms.FileField(label="CSV, XLSX or UBL Order", widget=forms.FileInput({"accept": ".csv,.xlsx,.xml,.txt"}))
