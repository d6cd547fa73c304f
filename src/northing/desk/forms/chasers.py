"""The form of a chaser rule."""

from django import forms

from northing.confirmations.models import ChaserRule
from northing.directory.models import Party


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

    def keep(self) -> ChaserRule:
        """Write the rule in place of the one it replaces."""
        entered = dict(self.cleaned_data)
        which = {name: entered.pop(name) for name in ("kind", "supplier", "mode")}
        rule, _ = ChaserRule.objects.update_or_create(**which, defaults=entered)
        return rule
