"""Forms of the records of the house: made from their description."""

from django import forms

from northing.access.permissions import companies_of
from northing.actions.masterdata.records import RecordRequest
from northing.formats.facts import day
from northing.masterdata.facts import NEEDED, Fact, Kind
from northing.masterdata.kinds import KINDS
from northing.web.common.forms import ActionForm

# What need not be entered of a new record, and from what it follows.
PARTNER = {"code": "follows from the name", "currency": "follows from the country"}
FOLLOWS = {
    "supplier": PARTNER | {"country": "follows from the port"},
    "provider": PARTNER,
    "customs": PARTNER,
}


class Told(forms.CharField):
    """A fact as text; whether it is one is judged by the action, with all others."""

    def validate(self, value):
        pass


class Chosen(forms.ChoiceField):
    """A fact among some; judged by the action too."""

    def validate(self, value):
        pass


class RecordForm(ActionForm):
    """A record of one kind; every field is a text, read and judged by the action."""

    def __init__(self, *args, kind: Kind, person, record=None, **kwargs):
        texts = kind.texts(record) if record is not None else {}
        super().__init__(*args, **kwargs)
        self.kind, self.record = kind, record
        for fact in kind.facts:
            if record is not None and fact.fixed:
                continue
            self.fields[fact.name] = self._field(fact, person)
            if record is None and fact.name in FOLLOWS.get(kind.name, {}):
                self.fields[fact.name].required = False
                self.fields[fact.name].widget.attrs["placeholder"] = FOLLOWS[kind.name][fact.name]
            self.fields[fact.name].initial = texts.get(fact.name, _usual(fact))
            self.fields[fact.name].widget.attrs["aria-describedby"] = f"id_{fact.name}-says"

    def _field(self, fact: Fact, person) -> forms.Field:
        needed = fact.absent is NEEDED
        if fact.refers and fact.refers != "item":
            rows = KINDS[fact.refers].rows()
            if KINDS[fact.refers].company:
                rows = rows.filter(**{f"{KINDS[fact.refers].company}__in": companies_of(person)})
            choices = [("", "choose" if needed else "none"), *((row.code, f"{row.code} {row.name}") for row in rows)]
            return Chosen(label=fact.words, choices=choices, required=needed)
        if fact.choices:
            # A choice that may be left out has a row for it: a browser would send the first of the others.
            none = [("", "none")] if fact.absent == "" else []
            choices = none + [(one, one) for one in fact.choices]
            return Chosen(label=fact.words, choices=choices, required=needed)
        if fact.name.endswith("address"):
            return Told(label=fact.words, widget=forms.Textarea({"rows": 3}), required=needed)
        widget = forms.DateInput({"type": "date"}) if fact.read is day else forms.TextInput()
        return Told(label=fact.words, required=needed, widget=widget)

    def asked(self) -> RecordRequest:
        """The record as it is to be."""
        facts = tuple((name, value) for name, value in self.cleaned_data.items() if name != "key")
        return RecordRequest(self.kind.name, self.record.pk if self.record is not None else None, facts)


def _usual(fact: Fact) -> str:
    """The defaults of a new record."""
    if fact.absent is NEEDED or callable(fact.absent):
        return ""
    return fact.said(fact.absent)


class RowsForm(ActionForm):
    """A file of records."""

    file = forms.FileField(label="CSV or XLSX", widget=forms.FileInput({"accept": ".csv,.xlsx,.txt"}))
