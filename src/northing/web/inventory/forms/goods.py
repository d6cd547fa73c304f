"""Forms of a stock issue, and of a move between bins."""

from django import forms

from northing.actions.inventory.adjust import AdjustRequest
from northing.actions.inventory.issue import IssueRequest
from northing.actions.inventory.move import MoveRequest
from northing.drawings.figures import count
from northing.inventory.models import OnHand
from northing.masterdata.models import Bin
from northing.web.common.forms import ActionForm, DayField, ExactField
from northing.web.common.serials import NumberedForm, SerialsField


class IssueForm(NumberedForm):
    """Units leaving stock."""

    numbers = "Of the units that leave; empty: those of the oldest layers, where all of them go."

    site = forms.ModelChoiceField(Bin.objects.none())
    quantity = ExactField()
    purpose = forms.CharField(max_length=60)
    occurred_on = DayField(label="Issued on")

    def __init__(self, *args, sites, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["site"].queryset = sites
        self.choose_the_only_one("site")

    def asked(self, item: int) -> IssueRequest:
        """The issue as a request."""
        entered = self.cleaned_data
        head = (entered["site"].pk, item, entered["quantity"], entered["purpose"], entered["occurred_on"])
        return IssueRequest(*head, serials=self.said_serials)


class MoveForm(NumberedForm):
    """Where goods of a layer lie, and the bin they go to."""

    numbers = "Of the units that go; empty, where all of them do."

    source = forms.ModelChoiceField(OnHand.objects.none(), label="From")
    target = forms.ModelChoiceField(Bin.objects.none(), label="To")
    quantity = ExactField()

    def __init__(self, *args, lies, bins, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["source"].queryset = lies
        self.fields["source"].label_from_instance = lambda row: (
            f"{row.bin} at {row.bin.site}: {count(row.quantity)} {row.get_status_display().lower()}"
        )
        self.fields["target"].queryset = bins
        self.fields["target"].label_from_instance = lambda bin: f"{bin} at {bin.site}, {bin.get_purpose_display()}"
        self.choose_the_only_one("source")

    def asked(self, layer: int) -> MoveRequest:
        """The move as a request."""
        entered = self.cleaned_data
        lies = entered["source"]
        target = entered["target"].pk
        return MoveRequest(layer, lies.bin_id, lies.status, entered["quantity"], target, self.said_serials)


class AdjustForm(ActionForm):
    """The count of an item in a bin, and why it differs."""

    bin = forms.ModelChoiceField(Bin.objects.none())
    counted = ExactField(label="Counted")
    lot = forms.CharField(max_length=40, required=False)
    serials = SerialsField(required=False, label="Serial numbers that are missing, or came to light")
    reason = forms.CharField(max_length=200, label="Why it differs")
    occurred_on = DayField(label="Counted on")

    def __init__(self, *args, bins, item, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["bin"].queryset = bins
        self.fields["bin"].label_from_instance = lambda bin: f"{bin} at {bin.site}"
        for name, kept in (("lot", item.keeps_lot), ("serials", item.keeps_serial)):
            if not kept:
                del self.fields[name]

    def asked(self, item: int) -> AdjustRequest:
        """The count as a request."""
        entered = self.cleaned_data
        lot, serials = entered.get("lot") or "", entered.get("serials") or ()
        return AdjustRequest(
            entered["bin"].pk, item, lot, entered["counted"], entered["reason"], entered["occurred_on"], serials
        )
