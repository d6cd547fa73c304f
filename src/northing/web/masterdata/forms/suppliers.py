"""Forms of how we agree with a supplier, and of its prices."""

from django import forms

from northing.actions.masterdata import suppliers
from northing.masterdata.models import LINK_MAY, OWES, Party
from northing.web.common.forms import ActionForm, DayField, ExactField

OWED = {"confirmation": "an answer to each order", "despatch": "a despatch when the promise comes"}


class SupplierForm(ActionForm):
    """How we agree with a supplier."""

    accept_days = forms.IntegerField(label="Accept by rule up to days later", min_value=0, max_value=365)
    price_tolerance = ExactField(label="Price may differ by %")
    over_tolerance = ExactField(label="May deliver more by %")
    link_may = forms.MultipleChoiceField(
        label="Its link may change",
        choices=[(name, name) for name in LINK_MAY],
        widget=forms.CheckboxSelectMultiple,
        required=False,
    )
    owes = forms.MultipleChoiceField(
        label="It owes us",
        choices=[(name, OWED[name]) for name in OWES],
        widget=forms.CheckboxSelectMultiple,
        required=False,
    )

    def __init__(self, *args, supplier: Party, **kwargs):
        super().__init__(*args, initial={name: getattr(supplier, name) for name in suppliers.FACTS}, **kwargs)

    def asked(self, supplier: int) -> suppliers.SupplierRequest:
        """How it is to be."""
        return suppliers.SupplierRequest(supplier, tuple((name, self.cleaned_data[name]) for name in suppliers.FACTS))


class AgreementForm(ActionForm):
    """A price step of an item."""

    item = forms.CharField(label="Item code or GTIN", max_length=40, widget=forms.TextInput({"list": "items-found"}))
    supplier_code = forms.CharField(label="Their code", max_length=32, required=False)
    price = ExactField(label="Price per unit")
    from_quantity = ExactField(label="From this quantity on", required=False)
    minimum = ExactField(label="Minimum", required=False)
    multiple = ExactField(label="Multiple of", required=False)
    lead_days = forms.IntegerField(label="Days to make it", min_value=0, max_value=999, initial=30)
    valid_from = DayField(label="From")

    def asked(self, supplier: int) -> suppliers.AgreementRequest:
        """The step as it is to be."""
        entered = {name: value for name, value in self.cleaned_data.items() if value is not None and name != "key"}
        return suppliers.AgreementRequest(supplier=supplier, **entered)
