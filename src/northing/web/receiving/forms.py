"""Forms of the dock: what was found of each part, and why a receipt is undone."""

from collections.abc import Iterator

from django import forms
from django.http import QueryDict

from northing.actions.receiving.request import ReceiveRequest, ReceiveRow
from northing.core.money.exact import plain
from northing.masterdata.models import Bin, Site
from northing.web.common.forms import ActionForm, DayField, ExactField, asks_only
from northing.web.receiving.parts import Part

STILL, NOT_THERE, NO_MORE = "still", "not_there", "no_more"
# What may be said of a short rest.
UNPACKED = [("", "–"), (STILL, "still coming"), (NO_MORE, "no more coming")]
PACKED = [
    ("", "–"),
    (STILL, "still in the container"),
    (NOT_THERE, "still coming, not in the container"),
    (NO_MORE, "no more coming"),
]
MOST_ROWS = 20
NAMES = ("row", "short", "lot", "best", "bin")


class ReceiveForm(ActionForm):
    """The units found of each part, for one company's site; a part may have come in several lots or bins."""

    delivery_note = forms.CharField(max_length=40, label="Delivery note")
    occurred_on = DayField(label="Received on")

    def __init__(self, data, *, parts: list[Part], site: Site, **kwargs):
        super().__init__(_as_expected(data, parts) if data and "all" in data else data, **kwargs)
        self.parts, self.site = parts, site
        bins = [(str(one.pk), one.code) for one in Bin.objects.filter(site=site)]  # read once, for every row
        for part in parts:
            for number, end in enumerate(part.ends()):
                self._add_row(part, end, bins, first=not number)

    def _add_row(self, part: Part, end: str, bins: list, *, first: bool) -> None:
        item, label = part.line.item, f"of {part.line.item.code}"
        self.fields[f"row-{end}"] = ExactField(required=False, label=f"Found {label}")
        if first:
            coming = PACKED if part.shipment_line else UNPACKED
            short = forms.ChoiceField(choices=coming, required=False, label=f"If {item.code} is short")
            self.fields[f"short-{end}"] = short
        if item.keeps_lot:
            self.fields[f"lot-{end}"] = forms.CharField(max_length=40, required=False, label=f"Lot {label}")
        if item.keeps_best_before:
            self.fields[f"best-{end}"] = DayField(required=False, label=f"Best before {label}")
        usual = ("", "quarantine" if item.inspected else "store")
        self.fields[f"bin-{end}"] = forms.ChoiceField(choices=[usual, *bins], required=False, label=f"Bin {label}")

    def asks(self) -> bool:
        """Whether all that stands against it is a question to this person."""
        return asks_only(self)

    def rows(self) -> Iterator[tuple]:
        """(part or None, found, short, lot, best-before, bin) for the template; the part with its first row only."""
        for part in self.parts:
            for number, end in enumerate(part.ends()):
                names = [f"{name}-{end}" for name in NAMES]
                yield None if number else part, *(self[name] if name in self.fields else None for name in names)

    def asked(self, container: int | None) -> ReceiveRequest:
        """The receipt as a request; rows with nothing entered were not counted."""
        entered = self.cleaned_data
        rows = tuple(
            ReceiveRow(
                shipment_line=part.shipment_line,
                instalment=part.instalment,
                quantity=entered[f"row-{end}"],
                still_coming={STILL: True, NOT_THERE: True, NO_MORE: False}.get(entered[f"short-{part.key}"]),
                not_there=entered[f"short-{part.key}"] == NOT_THERE,
                lot=entered.get(f"lot-{end}") or "",
                best_before=entered.get(f"best-{end}"),
                bin=int(entered[f"bin-{end}"]) if entered[f"bin-{end}"] else None,
            )
            for part in self.parts
            for end in part.ends()
            if entered[f"row-{end}"] is not None
        )
        head = (container, self.site.pk, entered["delivery_note"], entered["occurred_on"])
        return ReceiveRequest(*head, rows, accept="accept" in self.data)


def _as_expected(data: QueryDict, parts: list[Part]) -> QueryDict:
    """Received as expected: what was not counted is what was expected, and stands in its field."""
    data = data.copy()
    for part in parts:
        if not any(data.get(f"row-{end}", "").strip() for end in part.ends()):
            data[f"row-{part.key}"] = plain(part.open)
    return data
