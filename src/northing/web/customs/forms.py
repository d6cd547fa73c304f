"""The form of a customs entry."""

from django import forms

from northing.actions.customs.entries import EntryRequest
from northing.actions.customs.proofs import ProofRequest
from northing.masterdata.models import Party
from northing.web.common.forms import ActionForm, DayField


class ProofForm(ActionForm):
    """A paper that proves the origin of goods."""

    name = forms.CharField(max_length=60, label="Proof")
    number = forms.CharField(max_length=40, label="Its number")
    dated = DayField(label="Dated")
    valid_until = DayField(label="Valid until", required=False)

    def asked(self, shipment: int, company: int) -> ProofRequest:
        """The paper as a request."""
        entered = self.cleaned_data
        return ProofRequest(
            shipment, company, entered["name"], entered["number"], entered["dated"], entered["valid_until"]
        )


class EntryForm(ActionForm):
    """A customs entry."""

    office = forms.ModelChoiceField(Party.objects.filter(kind="customs"), label="Customs office")
    number = forms.CharField(max_length=28, label="Entry number")
    day = DayField(label="Day of entry")
    # The entry that stood when the form was shown; the new one takes its place.
    corrects = forms.IntegerField(widget=forms.HiddenInput, required=False, min_value=1, max_value=2**62)

    def asked(self, shipment: int, company: int) -> EntryRequest:
        """The entry as a request."""
        entered = self.cleaned_data
        facts = (entered["office"].pk, entered["number"], entered["day"], entered["corrects"])
        return EntryRequest(shipment, company, *facts)
