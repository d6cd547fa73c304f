"""Forms of despatch notices and of papers due."""

from django import forms

from northing.actions.shipping.despatch_notices import TakeRequest
from northing.masterdata.models import Party
from northing.masterdata.queries import route_choices
from northing.shipping.models import Shipment
from northing.shipping.queries import open_voyages
from northing.web.common.forms import ActionForm


class NoticeForm(ActionForm):
    """A despatch notice as a file; from one supplier, or from a forwarder."""

    file = forms.FileField(label="CSV, XLSX or UBL DespatchAdvice")
    supplier = forms.ModelChoiceField(
        Party.objects.filter(kind="supplier"), required=False, empty_label="the person who the orders are to"
    )


class TakeForm(ActionForm):
    """Where a notice goes: a shipment, a route and its voyages."""

    shipment = forms.ModelChoiceField(
        Shipment.objects.none(), required=False, empty_label="a new shipment", label="Into"
    )
    route = forms.ChoiceField(required=False)
    voyage = forms.ModelChoiceField(open_voyages(), required=False, empty_label="no voyage yet")
    then = forms.ModelChoiceField(open_voyages(), required=False, empty_label="no voyage yet", label="then by")
    leave_out = forms.BooleanField(required=False, label="Leave out the rows that cannot be taken")
    beyond = forms.BooleanField(required=False, label="Take more than was ordered: I decide that it is wanted")

    def __init__(self, *args, shipments, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["shipment"].queryset = shipments
        self.fields["route"].choices = route_choices()

    def asked(self, notice: int) -> TakeRequest:
        """The notice and where it goes."""
        entered = self.cleaned_data
        voyages = tuple(one.pk for one in (entered["voyage"], entered["then"]) if one)
        shipment = entered["shipment"].pk if entered["shipment"] else None
        return TakeRequest(notice, shipment, entered["route"], voyages, None, entered["leave_out"], entered["beyond"])
