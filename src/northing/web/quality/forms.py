"""The form of an inspection."""

from decimal import Decimal

from django import forms

from northing.actions.quality.inspect import REASONS, InspectRequest
from northing.web.common.forms import ActionForm, DayField, ExactField


class InspectForm(ActionForm):
    """A verdict on held units."""

    passed = ExactField()
    failed = ExactField(required=False, label="Failed (empty: all others)")
    reason = forms.ChoiceField(
        choices=[("", "no failure")] + [(reason, reason) for reason in REASONS], required=False, label="Defect"
    )
    occurred_on = DayField(label="Inspected on")

    def asked(self, layer: int, held: Decimal) -> InspectRequest:
        """The verdict as a request on `held` units: those that did not pass have failed, unless it says how many."""
        entered = self.cleaned_data
        rest = max(held - entered["passed"], Decimal(0))
        failed = rest if entered["failed"] is None else entered["failed"]
        return InspectRequest(layer, entered["passed"], failed, entered["reason"], entered["occurred_on"])
