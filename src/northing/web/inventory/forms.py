"""Forms of a stock issue, and of a move between bins."""

from django import forms

from northing.actions.inventory.issue import IssueRequest
from northing.actions.inventory.move import MoveRequest
from northing.drawings.figures import count
from northing.inventory.models import OnHand
from northing.masterdata.models import Bin
from northing.web.common.forms import ActionForm, DayField, ExactField


class IssueForm(ActionForm):
    """Units leaving stock."""

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
        return IssueRequest(entered["site"].pk, item, entered["quantity"], entered["purpose"], entered["occurred_on"])


class MoveForm(ActionForm):
    """Where goods of a layer lie, and the bin they go to."""

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
        return MoveRequest(layer, lies.bin_id, lies.status, entered["quantity"], entered["target"].pk)
