"""The form of an inspection."""

from django import forms

from northing.actions.quality.inspect import REASONS, InspectRequest
from northing.web.common.forms import ActionForm, DayField, ExactField


class InspectForm(ActionForm):
    """A verdict on held units."""

    passed = ExactField(initial="0")
    failed = ExactField(initial="0")
    reason = forms.ChoiceField(
        choices=[("", "no failure")] + [(reason, reason) for reason in REASONS], required=False, label="Defect"
    )
    occurred_on = DayField(label="Inspected on")

    def asked(self, layer: int) -> InspectRequest:
        """The verdict as a request."""
        entered = self.cleaned_data
        return InspectRequest(layer, entered["passed"], entered["failed"], entered["reason"], entered["occurred_on"])
