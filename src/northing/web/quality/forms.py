"""The form of an inspection."""

from decimal import Decimal

from django import forms

from northing.actions.quality.inspect import REASONS, InspectRequest
from northing.actions.quality.sample import SampleRequest
from northing.quality.queries import LotPlan
from northing.web.common.forms import DayField, ExactField
from northing.web.common.serials import NumberedForm

MOST = 10**9


class CountField(forms.IntegerField):
    """How many units; empty is none."""

    widget = forms.TextInput(attrs={"inputmode": "numeric", "class": "figure", "autocomplete": "off", "size": 5})
    default_error_messages = {"invalid": "Write a whole number of units."}

    def __init__(self, **kwargs):
        super().__init__(required=False, min_value=0, max_value=MOST, **kwargs)


class InspectForm(NumberedForm):
    """A verdict on held units; of a lot of which a sample is taken, what was found in it."""

    numbers = "Of the units that failed; all that is held is inspected at once."

    sample = CountField(label="Looked at")
    critical = CountField(label="Critical defects")
    major = CountField(label="Major defects")
    minor = CountField(label="Minor defects")
    passed = ExactField()
    failed = ExactField(required=False, label="Failed (empty: all others)")
    reason = forms.ChoiceField(
        choices=[("", "no failure")] + [(reason, reason) for reason in REASONS], required=False, label="Defect"
    )
    sorted = forms.BooleanField(required=False, label="All of it was looked at and sorted")
    overruled = forms.CharField(max_length=120, required=False, label="Decided otherwise, because")
    occurred_on = DayField(label="Inspected on")

    SAMPLE = ("sample", "critical", "major", "minor", "sorted", "overruled")

    def __init__(self, *args, plan: LotPlan | None = None, **kwargs):
        super().__init__(*args, **kwargs)
        self.plan = plan
        if plan is None:
            for name in self.SAMPLE:
                del self.fields[name]
            return
        self.fields["sample"].initial = plan.sample
        self.fields["passed"].required = False
        # What is left empty follows from the sample; the page shows it.
        self["failed"].label = "Failed"

    def asked(self, layer: int, held: Decimal) -> InspectRequest:
        """The verdict as a request on `held` units: those that did not pass have failed, unless it says how many.

        Where the sample alone is said its plan decides of the lot; what is not right in an accepted one has failed.
        """
        entered = self.cleaned_data
        said = self._sample()
        passed = entered["passed"]
        if passed is None:
            passed = self._by_plan(said, held)
        rest = max(held - passed, Decimal(0))
        failed = rest if entered["failed"] is None else entered["failed"]
        head = (layer, passed, failed, entered["reason"], entered["occurred_on"])
        return InspectRequest(*head, self.said_serials, said)

    def _sample(self) -> SampleRequest | None:
        """What was found in the sample; None where none was taken: then all of the lot was looked at."""
        entered = self.cleaned_data
        if self.plan is None or not entered["sample"]:
            return None
        counts = [entered[name] or 0 for name in ("sample", "critical", "major", "minor")]
        return SampleRequest(*counts, entered["sorted"], entered["overruled"])

    def _by_plan(self, said: SampleRequest | None, held: Decimal) -> Decimal:
        """What passes where nothing else is said."""
        assert self.plan is not None
        if said is None:
            return held
        accepted = self.plan.accepts(said.critical, said.major, said.minor)
        return max(held - said.failed, Decimal(0)) if accepted else Decimal(0)
