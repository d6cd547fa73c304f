"""The form of an inspection."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from django import forms

from northing.actions.quality.findings import NotesRequest, notes_of
from northing.actions.quality.inspect import REASONS, InspectRequest
from northing.actions.quality.request import SampleRequest
from northing.activity.documents import LARGEST
from northing.core.money.exact import plain, read_exact
from northing.core.quality.findings import CLASSES, Found
from northing.ledger.models import CostLayer
from northing.masterdata.models import Characteristic, Defect
from northing.quality.queries import LotPlan
from northing.web.common.forms import DayField, ExactField
from northing.web.common.serials import NumberedForm

MOST = 10**9
MOST_PICTURES = 10


@dataclass(frozen=True)
class Asks:
    """What is looked at of goods: characteristics, the house's defects, and the names of papers."""

    characteristics: Sequence[Characteristic] = ()
    defects: Sequence[Defect] = ()
    papers: Sequence[str] = ()


def _limits(one: Characteristic) -> dict[str, str]:
    """The limits of a characteristic, for the page's own reckoning."""
    said = {"data-least": one.least, "data-most": one.most}
    return {name: plain(value) for name, value in said.items() if value is not None}


def _units(label: str, severity: str) -> "CountField":
    field = CountField(label=label)
    field.widget.attrs |= {"data-class": severity}
    return field


class CountField(forms.IntegerField):
    """How many units; empty is none."""

    widget = forms.TextInput(attrs={"inputmode": "numeric", "class": "figure", "autocomplete": "off", "size": 5})
    default_error_messages = {"invalid": "Write a whole number of units."}

    def __init__(self, **kwargs):
        super().__init__(required=False, min_value=0, max_value=MOST, **kwargs)


class FiguresField(forms.CharField):
    """Measured figures, one for each unit; its value is a tuple of them."""

    widget = forms.Textarea(attrs={"rows": 2, "inputmode": "decimal", "autocomplete": "off"})

    def to_python(self, value):
        said = (super().to_python(value) or "").replace(",", " ").replace(";", " ").split()
        try:
            return tuple(read_exact(one) for one in said)
        except ValueError:
            raise forms.ValidationError("Write figures with a decimal point, with spaces between them.") from None


class PicturesInput(forms.ClearableFileInput):
    """Several pictures at once, from the camera too."""

    allow_multiple_selected = True


class PicturesField(forms.FileField):
    """Pictures; its value is a list of files."""

    widget = PicturesInput(attrs={"accept": "image/*", "multiple": True})

    def clean(self, data, initial=None):
        files = [super(PicturesField, self).clean(one, initial) for one in data or []]
        if len(files) > MOST_PICTURES:
            raise forms.ValidationError(f"At most {MOST_PICTURES} pictures at once; more are added to the case.")
        if any(one.size > LARGEST for one in files):
            raise forms.ValidationError("A picture has at most 10 MB. Make it smaller.")
        return files


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

    pictures = PicturesField(required=False)
    words = forms.CharField(max_length=500, required=False, widget=forms.Textarea({"rows": 2}))

    SAMPLE = ("sample", "critical", "major", "minor", "sorted", "overruled")

    def __init__(self, *args, asks: Asks, plan: LotPlan | None = None, **kwargs):
        super().__init__(*args, **kwargs)
        self.plan, self.asks = plan, asks
        self._add_notes()
        if asks.defects:
            names = [one.name for one in asks.defects]
            self.fields["reason"].choices = [("", "as found"), *((name, name) for name in [*names, "other"])]
        if plan is None:
            for name in self.SAMPLE:
                del self.fields[name]
            return
        self.fields["sample"].initial = plan.sample
        self.fields["passed"].required = False
        # What is left empty follows from the sample; the page shows it.
        self["failed"].label = "Failed"

    def _add_notes(self) -> None:
        """The fields of what is noted: figures, units that are not right, defects, and numbers of papers."""
        for place, name in enumerate(self.asks.papers):
            needed = "Its number; without it goods do not pass."
            self.fields[f"paper-{place}"] = forms.CharField(max_length=60, required=False, label=name, help_text=needed)
        for one in self.asks.characteristics:
            if one.measured:
                field = FiguresField(required=False, label=one.name, help_text=one.limits)
                field.widget.attrs |= {"data-class": one.severity} | _limits(one)
                self.fields[f"values-{one.pk}"] = field
            else:
                self.fields[f"wrong-{one.pk}"] = _units(f"{one.name}: units that fail", one.severity)
        for defect in self.asks.defects:
            self.fields[f"defect-{defect.pk}"] = _units(f"{defect.name} ({defect.severity})", defect.severity)

    NOTES = ("values-", "wrong-", "defect-", "paper-")

    def verdict(self):
        """The fields of the verdict itself."""
        return [field for field in self.visible_fields() if not field.name.startswith(self.NOTES)]

    def notes(self):
        """The fields of what is noted."""
        return [field for field in self.visible_fields() if field.name.startswith(self.NOTES)]

    def said_notes(self) -> NotesRequest:
        """What was noted, as a request."""
        entered, looks = self.cleaned_data, self.asks.characteristics
        counted = [one for one in looks if not one.measured and entered[f"wrong-{one.pk}"] is not None]
        return NotesRequest(
            measures=tuple((one.pk, entered[f"values-{one.pk}"]) for one in looks if one.measured),
            wrong=tuple((one.pk, entered[f"wrong-{one.pk}"]) for one in counted),
            defects=tuple((one.pk, entered[f"defect-{one.pk}"] or 0) for one in self.asks.defects),
            papers=tuple((name, entered[f"paper-{place}"]) for place, name in enumerate(self.asks.papers)),
        )

    def asked(self, layer: CostLayer, held: Decimal) -> InspectRequest:
        """The verdict as a request on `held` units: those that did not pass have failed, unless it says how many.

        Where the sample alone is said its plan decides of the lot; what is not right in an accepted one has failed.
        """
        entered, noted = self.cleaned_data, self.said_notes()
        notes = notes_of(layer, noted)
        passed = entered["passed"]
        said = self._sample(notes.found, self._failing(held))
        if passed is None and entered["failed"] is not None:
            passed = max(held - entered["failed"], Decimal(0)) if said is None or said.sorted else None
        if passed is None:
            passed = self._by_plan(said, held)
        rest = max(held - passed, Decimal(0))
        failed = rest if entered["failed"] is None else entered["failed"]
        reason = entered["reason"] or (notes.worst if failed else "")
        head = (layer.pk, passed, failed, reason, entered["occurred_on"])
        return InspectRequest(*head, self.said_serials, said, noted)

    def _failing(self, held: Decimal) -> Decimal:
        """The units that fail by what is entered: as typed, or what does not pass."""
        entered = self.cleaned_data
        if entered["failed"] is not None:
            return entered["failed"]
        return max(held - entered["passed"], Decimal(0)) if entered["passed"] else Decimal(0)

    def _sample(self, found: Found, failing: Decimal) -> SampleRequest | None:
        """What was found in the sample; None where none was taken: then all of the lot was looked at.

        What is not said follows from what was noted. Units that fail, and of which no defect is said, are major ones.
        """
        entered = self.cleaned_data
        if self.plan is None or not entered["sample"]:
            return None
        noted = {name: getattr(found, name) for name in CLASSES}
        counts = [noted[name] if entered[name] is None else entered[name] for name in CLASSES]
        if not any(counts):
            counts[CLASSES.index("major")] = min(int(failing), entered["sample"])
        return SampleRequest(entered["sample"], *counts, entered["sorted"], entered["overruled"])

    def _by_plan(self, said: SampleRequest | None, held: Decimal) -> Decimal:
        """What passes where nothing else is said."""
        assert self.plan is not None
        if said is None:
            return held
        accepted = self.plan.accepts(said.critical, said.major, said.minor)
        return max(held - said.failed, Decimal(0)) if accepted else Decimal(0)
