"""Forms of receipts that a contract warehouse tells."""

from django import forms

from northing.actions.receiving.told import TakeTold
from northing.masterdata.models import Site
from northing.web.common.forms import ActionForm

RESTS = (
    ("", "nothing chosen"),
    ("coming", "It is still coming"),
    ("no more", "No more comes"),
    ("dispute", "It is in dispute"),
)


class ToldForm(ActionForm):
    """A warehouse's receipt as a file, and whose it is."""

    site = forms.ModelChoiceField(Site.objects.none(), label="Warehouse")
    file = forms.FileField(label="CSV, XLSX or UBL ReceiptAdvice")

    def __init__(self, *args, sites, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["site"].queryset = sites
        self.choose_the_only_one("site")


class TakeToldForm(ActionForm):
    """The rest of what is short, and rows that stay out."""

    rest = forms.ChoiceField(choices=RESTS, required=False, label="Short, where a row does not say it")
    reason = forms.CharField(required=False, max_length=200, label="Why some goods have no order")
    leave_out = forms.BooleanField(required=False, label="Leave out the rows that cannot be taken")

    def asked(self, told: int) -> TakeTold:
        """The told receipt as a request."""
        entered = self.cleaned_data
        return TakeTold(told, entered["rest"], entered["leave_out"], "accept" in self.data, entered["reason"])
