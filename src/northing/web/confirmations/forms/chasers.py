"""The form of a chaser rule."""

from django import forms

from northing.actions.confirmations.chaser_rules import RuleRequest
from northing.confirmations.models import ChaserRule
from northing.masterdata.models import Party


class RuleForm(forms.Form):
    """A chaser rule."""

    kind = forms.ChoiceField(choices=ChaserRule.Kind.choices, label="Remind of")
    supplier = forms.ModelChoiceField(
        Party.objects.filter(kind="supplier"), required=False, empty_label="all suppliers"
    )
    mode = forms.ChoiceField(
        choices=[("", "all modes"), ("sea", "sea"), ("air", "air"), ("road", "road")], required=False
    )
    days = forms.IntegerField(min_value=0, max_value=365, label="Days")
    quiet_days = forms.IntegerField(min_value=1, max_value=365, initial=5, label="Quiet days after one")
    paused = forms.BooleanField(required=False)

    def asked(self) -> RuleRequest:
        """The rule as it is to be."""
        entered = dict(self.cleaned_data)
        supplier = entered.pop("supplier")
        return RuleRequest(supplier=supplier.pk if supplier else None, **entered)
