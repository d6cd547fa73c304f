"""The common parts of all forms of the desk: exact numbers, a key, and refusals beside their field."""

import uuid
from collections.abc import Callable
from decimal import Decimal
from typing import Any

from django import forms
from django.contrib import messages
from django.core.exceptions import ValidationError
from django.utils import timezone
from django.utils.html import format_html

from northing.access.acts import LONGEST_KEY, Act
from northing.core.money.exact import plain, read_exact
from northing.core.money.money import MINOR_UNITS
from northing.core.money.periods import day_problems
from northing.core.problems import Problem, Refused, Strength
from northing.web.common.addresses import address_of


class ExactField(forms.CharField):
    """A decimal number read exactly as typed; group commas and spaces are let through."""

    widget = forms.TextInput(attrs={"inputmode": "decimal", "class": "figure", "autocomplete": "off"})

    def to_python(self, value):
        text = (super().to_python(value) or "").strip().replace(",", "").replace(" ", "").replace("−", "-")
        if not text:
            return None
        try:
            return read_exact(text)
        except ValueError:
            raise ValidationError(
                "Write a plain number with a decimal point, such as 1200 or 18.40 (up to 15 digits before the point)."
            ) from None


class PercentField(ExactField):
    """A percentage as people write it; its value is a fraction of 1."""

    def to_python(self, value):
        number = super().to_python((value or "").replace("%", ""))
        return None if number is None else number / 100

    def prepare_value(self, value):
        return plain(value * 100) if isinstance(value, Decimal) else value


class LinesField(forms.CharField):
    """A text of some lines, such as an address."""

    def __init__(self, **kwargs):
        super().__init__(widget=forms.Textarea({"rows": 3}), required=False, **kwargs)

    def to_python(self, value):
        lines = (line.strip() for line in (super().to_python(value) or "").splitlines())
        return "\n".join(line for line in lines if line)


class DayField(forms.DateField):
    """A day from the browser's own chooser."""

    widget = forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d")
    default_error_messages = {"invalid": "Write the day as year-month-day, such as 2026-11-24."}

    def to_python(self, value):
        day = super().to_python(value)
        if day:
            for problem in day_problems(day, ""):
                raise ValidationError(str(problem))
        return day


class DaysField(forms.IntegerField):
    """A number of days."""

    widget = forms.TextInput(attrs={"inputmode": "numeric", "class": "figure", "autocomplete": "off", "size": 4})
    default_error_messages = {"invalid": "Write a whole number of days."}

    def __init__(self, **kwargs):
        super().__init__(min_value=0, max_value=365, **kwargs)


class ActionForm(forms.Form):
    """A form that does an action: once per key, with every refusal shown where it belongs.

    Forms that stand on one page have `ids` of their own.
    """

    key = forms.CharField(widget=forms.HiddenInput(attrs={"id": False}), max_length=LONGEST_KEY)
    ids = "id_%s"

    def __init__(self, *args, **kwargs):
        super().__init__(*args, **{"auto_id": self.ids} | kwargs)
        self.fields["key"].initial = uuid.uuid4().hex
        for name, field in self.fields.items():
            if isinstance(field, forms.ModelChoiceField) and field.empty_label == "---------":
                field.empty_label = "choose"
            chosen = isinstance(field, forms.ChoiceField)
            field.error_messages["required"] = f"Nothing is {'chosen' if chosen else 'entered'} here; it is needed."
            if chosen:
                field.error_messages["invalid_choice"] = "This is not one of the choices; choose again."
            if not isinstance(field.widget, forms.HiddenInput):
                field.widget.attrs.setdefault("aria-describedby", f"{self[name].auto_id}-says")

    def choose_the_only_one(self, *names: str) -> None:
        """Where there is only one to choose, it is chosen."""
        for name in names:
            found = list(self.fields[name].queryset[:2])
            if len(found) == 1:
                self.fields[name].initial = found[0].pk

    def do(self, request, action: Callable[[Act, Any], Any], what: Callable[[dict], Any]) -> Any:
        """Do the action with what was entered; None, with errors on the form, when it is refused."""
        if not self.is_valid():
            return None
        try:
            return action(act_of(request, self.cleaned_data["key"]), what(self.cleaned_data))
        except Refused as refused:
            self.take(refused)
            return None

    def take(self, refused: Refused) -> None:
        """Put each problem beside its field; what has no field stands above the form."""
        self.refusal, self.refused = refused, refused.problems
        for problem in refused.problems:
            field = self.field_of(problem.where)
            self.add_error(field if field in self.fields else None, with_link(problem))

    def field_of(self, where: str) -> str:
        """The field that a problem's place means."""
        return where


def asks_only(form: ActionForm) -> bool:
    """Whether a form was refused for nothing but what a person may answer with yes."""
    refused = getattr(form, "refused", [])
    return bool(refused) and all(problem.strength is Strength.ASK for problem in refused)


def with_link(problem: Problem) -> str:
    """A problem in words; with a link to the record on which it is mended."""
    address = address_of(*problem.record) if problem.record else ""
    return format_html('{} <a href="{}">Open it</a>.', str(problem), address) if address else str(problem)


def act_of(request, key: str = "") -> Act:
    """The signed-in person acting now."""
    if len(key) > LONGEST_KEY:
        raise Refused(Problem("The form's key is too long.", mend="Reload the page and enter it again."))
    return Act(request.user, timezone.now(), key)


def say_errors(request, form: forms.Form) -> None:
    """Say what a form refuses on the next page, where it does not stand itself."""
    for errors in form.errors.values():
        for error in errors:
            messages.error(request, error)


class CurrencyField(forms.CharField):
    """An ISO 4217 code."""

    def __init__(self, **options):
        super().__init__(max_length=3, widget=forms.TextInput(attrs={"size": 4, "class": "code"}), **options)

    def clean(self, value):
        code = super().clean(value).upper()
        if code and code not in MINOR_UNITS:
            raise forms.ValidationError(f"{code} is not an ISO 4217 currency.")
        return code
