"""The form of the dock's count: what was found of each part, what was scanned, and what else came."""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import replace
from decimal import Decimal
from typing import Any

from django import forms
from django.http import QueryDict

from northing.actions.receiving.request import Papers, ReceiveRequest, ReceiveRow
from northing.actions.receiving.scans import Context, goods_of, rows_of
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused, Strength
from northing.masterdata.inspections import rules_of
from northing.masterdata.models import Bin, Item, Party, Site
from northing.masterdata.queries import find_pack
from northing.reports.proposed_bins import Wanted, proposed_bins
from northing.web.common.forms import ActionForm, DayField, ExactField, asks_only
from northing.web.common.serials import SerialsField
from northing.web.receiving.forms.bins import MOST_CHOICES, bin_field
from northing.web.receiving.forms.pictures import PicturesField
from northing.web.receiving.forms.scanned import ScansField
from northing.web.receiving.parts import Part

STILL, NOT_THERE, NO_MORE, DISPUTE, HOLD = "still", "not_there", "no_more", "dispute", "hold"
# What may be said of a count that is short, or more than allowed.
OVER = (HOLD, "more: hold what is beyond tolerance")
UNPACKED = [
    ("", "–"),
    (STILL, "short: still coming"),
    (NO_MORE, "short: no more coming"),
    (DISPUTE, "short: in dispute"),
    OVER,
]
PACKED = [
    ("", "–"),
    (STILL, "short: still in the container"),
    (NOT_THERE, "short: still coming, not in the container"),
    (NO_MORE, "short: no more coming"),
    (DISPUTE, "short: in dispute"),
    OVER,
]
CONDITIONS = [("", "good"), ("damaged", "damaged"), ("inspect", "to be inspected")]
MOST_ROWS, MOST_OTHERS = 20, 50
# Codes that a browser proposes while one types.
MOST_LISTED = 2_000
NAMES = ("row", "short", "lot", "best", "serials", "condition", "bin")


def _proposed(site: Site, parts: list[Part]) -> dict[int, str]:
    """By item (id): the bin (id) in which all that is expected of it is best put; none where the dock is first."""
    if site.queues_putaway:
        return {}
    units: dict[Item, Decimal] = defaultdict(Decimal)
    for part in parts:
        units[part.item] += part.open
    found = proposed_bins(site, [Wanted(item.pk, item, "", total) for item, total in units.items()])
    return {key: str(best[0].bin) for key, best in found.items() if len(best) == 1}


class ReceiveForm(ActionForm):
    """The units found of each part, for one company's site; a part may have come in several lots or bins.

    `context` says where the goods come from; `others` is how many rows of other items there are.
    """

    # Needed; the action says so, together with all else that is wrong.
    delivery_note = forms.CharField(max_length=40, required=False, label="Delivery note")
    occurred_on = DayField(label="Received on")
    supplier_bill = forms.CharField(max_length=40, required=False, label="Supplier's bill")
    haulier = forms.CharField(max_length=80, required=False)
    vehicle = forms.CharField(max_length=40, required=False)
    seal = forms.CharField(max_length=40, required=False, label="Seal found")
    remark = forms.CharField(max_length=200, required=False)
    scans = ScansField()
    pictures = PicturesField()
    approver = forms.CharField(max_length=150, required=False, label="Their name")
    approver_password = forms.CharField(
        max_length=1000,
        required=False,
        label="Their password",
        strip=False,
        widget=forms.PasswordInput(attrs={"autocomplete": "off"}),
    )

    def __init__(self, data, *, parts: list[Part], context: Context, others: int = 0, **kwargs):
        super().__init__(_as_expected(data, parts, context) if data and "all" in data else data, **kwargs)
        self.parts, self.context, self.others = parts, context, others
        self.fields["delivery_note"].needed = True
        there = list(Bin.objects.filter(site=context.site).values_list("pk", "code", "blocked"))  # once, for every row
        many = len(there) > MOST_CHOICES
        # A blocked bin is not offered; typed, it is refused with the reason.
        bins = [(str(key), code) for key, code, blocked in there if many or not blocked]
        self.typed_bins = [code for _, code, blocked in there if not blocked][:MOST_LISTED] if many else []
        self.proposed = _proposed(context.site, parts)
        self.rules = rules_of([part.item for part in parts])
        for part in parts:
            for number, end in enumerate(part.ends()):
                self._add_row(part, end, bins, first=not number)
        for number in range(1, others + 1):
            self._add_other(f"u{number}", bins)

    def _add_row(self, part: Part, end: str, bins: list, *, first: bool) -> None:
        item = part.item
        self.fields[f"row-{end}"] = ExactField(required=False, label=f"Found of {item.code}")
        if first:
            coming = PACKED if part.shipment_line else UNPACKED
            short = forms.ChoiceField(choices=coming, required=False, label=f"If {item.code} differs")
            self.fields[f"short-{end}"] = short
        inspected = self.rules.holds(item, part.line.order.supplier_id)
        self._add_kept(end, f"of {item.code}", bins, item, inspected=inspected)

    def _add_other(self, end: str, bins: list) -> None:
        box = forms.TextInput({"autocomplete": "off", "placeholder": "code or GTIN"})
        self.fields[f"item-{end}"] = forms.CharField(max_length=32, required=False, label="Item", widget=box)
        self.fields[f"row-{end}"] = ExactField(required=False, label="Found")
        self._add_kept(end, "of it", bins)

    def _add_kept(self, end: str, label: str, bins: list, item: Item | None = None, *, inspected: bool = True) -> None:
        """The fields of facts that the item keeps; of an item that is not known yet, all of them."""
        if item is None or item.keeps_lot:
            self.fields[f"lot-{end}"] = forms.CharField(max_length=40, required=False, label=f"Lot {label}")
        if item is None or item.keeps_best_before:
            self.fields[f"best-{end}"] = DayField(required=False, label=f"Best before {label}")
        if item is None or item.keeps_serial:
            self.fields[f"serials-{end}"] = SerialsField(required=False, label=f"Serial numbers {label}")
        self.fields[f"condition-{end}"] = forms.ChoiceField(
            choices=CONDITIONS, required=False, label=f"Condition {label}"
        )
        free = "dock" if self.context.site.queues_putaway else "store"
        usual = "quarantine" if inspected else free
        there = self.proposed.get(item.pk) if item and not inspected else None
        self.fields[f"bin-{end}"] = bin_field(bins, usual=usual, label=f"Bin {label}", initial=there or "")

    def field_of(self, where: str) -> str:
        """Problems of one scan stand beside all of them; those of a pallet's number, too."""
        return "scans" if where.startswith(("scans-", "sscc-")) or where == "pallets" else where

    def asks(self) -> bool:
        """Whether all that stands against it is a question to this person."""
        return asks_only(self)

    @property
    def needs_second(self) -> bool:
        """Whether a second person who may decide could let it pass."""
        stops = [one for one in getattr(self, "refused", []) if one.strength is Strength.BLOCK]
        return "approver" in self.errors or bool(stops) and all(one.decision for one in stops)

    @property
    def shown(self) -> dict[str, bool]:
        """Which columns any row has."""
        return {
            name: any(f"{name}-{end}" in self.fields for end in self._ends()) for name in ("lot", "best", "serials")
        }

    def _ends(self) -> Iterator[str]:
        for part in self.parts:
            yield from part.ends()

    def rows(self) -> Iterator[tuple[Part | None, dict[str, Any]]]:
        """(part or None, its fields by name) for the template; the part with its first row only."""
        for part in self.parts:
            for number, end in enumerate(part.ends()):
                yield None if number else part, self._cells(end)

    def other_rows(self) -> Iterator[dict[str, Any]]:
        """The fields of the rows of other items."""
        for number in range(1, self.others + 1):
            yield self._cells(f"u{number}") | {"item": self[f"item-u{number}"]}

    def _cells(self, end: str) -> dict[str, Any]:
        return {name: self[f"{name}-{end}"] if f"{name}-{end}" in self.fields else None for name in NAMES}

    def asked(self) -> ReceiveRequest:
        """The receipt as a request; rows with nothing entered were not counted."""
        counted = [row for part in self.parts for end in part.ends() if (row := self._counted(part, end))]
        rows = (*counted, *self._others(), *self._scanned(counted))
        entered = self.cleaned_data
        return ReceiveRequest(
            self.context.container,
            self.context.site.pk,
            entered["delivery_note"],
            entered["occurred_on"],
            rows,
            accept="accept" in self.data,
            supplier=self._supplier(),
            reason=entered.get("reason") or "",
            papers=Papers(*(entered[name] for name in ("supplier_bill", "haulier", "vehicle", "seal", "remark"))),
        )

    def _supplier(self) -> int | None:
        return self.context.supplier

    def _counted(self, part: Part, end: str) -> ReceiveRow | None:
        quantity = self.cleaned_data[f"row-{end}"]
        if quantity is None:
            return None
        of_part = {"shipment_line": part.shipment_line, "instalment": part.instalment}
        return ReceiveRow(quantity=quantity, **of_part, **self._said(part), **self._kept(end))

    def _said(self, part: Part) -> dict[str, Any]:
        """The answer about a part that is short, or about units beyond tolerance."""
        said = self.cleaned_data[f"short-{part.key}"]
        return {
            "still_coming": {STILL: True, NOT_THERE: True, NO_MORE: False}.get(said),
            "not_there": said == NOT_THERE,
            "in_dispute": said == DISPUTE,
            "hold": said == HOLD,
        }

    def _kept(self, end: str) -> dict[str, Any]:
        entered = self.cleaned_data
        return {
            "lot": entered.get(f"lot-{end}") or "",
            "best_before": entered.get(f"best-{end}"),
            "serials": entered.get(f"serials-{end}") or (),
            "condition": entered[f"condition-{end}"],
            "bin": int(entered[f"bin-{end}"]) if entered[f"bin-{end}"] else None,
            "end": end,
        }

    def _others(self) -> list[ReceiveRow]:
        """Rows of items that are not ordered here. Raises Refused for an unknown code."""
        found, problems = [], []
        for number in range(1, self.others + 1):
            end = f"u{number}"
            code, quantity = self.cleaned_data[f"item-{end}"], self.cleaned_data[f"row-{end}"]
            if not code and quantity is None:
                continue
            try:
                item, pack = find_pack(code)
            except Refused as refused:
                problems += [replace(one, where=f"item-{end}") for one in refused.problems]
                continue
            if quantity is None:
                problems.append(Problem("How many came?", f"row-{end}", "Enter what was found."))
                continue
            units = quantity * pack.factor if pack else quantity
            found.append(ReceiveRow(None, units, item=item.pk, **self._kept(end)))
        if problems:
            raise Refused(problems)
        return found

    def _scanned(self, counted: Sequence[ReceiveRow]) -> list[ReceiveRow]:
        """The rows of what was scanned, beside what was counted by hand."""
        scans = self.cleaned_data["scans"]
        if not scans:
            return []
        context = replace(self.context, supplier=self._supplier())
        goods, bin = goods_of(scans, context)
        used = [(row.part, row.quantity) for row in counted]
        parts = {part.key: part for part in self.parts}
        rows = rows_of(goods, context, bin, used=used)
        return [replace(row, **self._said(parts[row.part])) if row.part in parts else row for row in rows]


class UnorderedForm(ReceiveForm):
    """Goods without an order: whose they are, why there is none, and what came."""

    supplier = forms.ModelChoiceField(
        Party.objects.filter(kind=Party.Kind.SUPPLIER),
        label="Supplier",
        required=False,
        empty_label="the one we buy them from",
    )
    reason = forms.CharField(max_length=200, required=False, label="Why there is no order")

    field_order = ["delivery_note", "occurred_on", "supplier", "reason"]

    def _supplier(self) -> int | None:
        chosen = self.cleaned_data.get("supplier")
        return chosen.pk if chosen else None


def _as_expected(data: QueryDict, parts: list[Part], context: Context) -> QueryDict:
    """Received as expected: what was not counted is what was expected, and stands in its field.

    Scanned parts are counted.
    """
    data = data.copy()
    scanned = _scanned_parts(data, context)
    for part in parts:
        counted = any(data.get(f"row-{end}", "").strip() for end in part.ends())
        if not counted and part.key not in scanned:
            data[f"row-{part.key}"] = plain(part.open)
    return data


def _scanned_parts(data: QueryDict, context: Context) -> set[str]:
    try:
        goods, bin = goods_of(ScansField().clean(data.get("scans", "")), context)
    except (Refused, forms.ValidationError):
        return set()
    return {row.part for row in rows_of(goods, context, bin)}
