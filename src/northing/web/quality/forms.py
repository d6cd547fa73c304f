"""The form of an inspection."""

from decimal import Decimal

from django import forms

from northing.actions.quality.inspect import REASONS, InspectRequest
from northing.web.common.forms import DayField, ExactField
from northing.web.common.serials import NumberedForm


class InspectForm(NumberedForm):
    """A verdict on held units."""

    numbers = "Of the units that failed; all that is held is inspected at once."

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
        head = (layer, entered["passed"], failed, entered["reason"], entered["occurred_on"])
        return InspectRequest(*head, self.said_serials)
