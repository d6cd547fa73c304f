"""From the clauses of a sentence to a condition in SQL; names are looked up in the directory first."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from functools import reduce
from operator import or_

from django.db.models import Q, Value
from django.db.models.functions import Concat

from northing.access.models import Person
from northing.core.orders.sentence import NAMED, Clause
from northing.core.planning.windows import read_window
from northing.masterdata.models import Item, Party, Site
from northing.orders.models import OrderLine, PurchaseOrder
from northing.orders.queries import called

MOST_NAMES = 20_000


@dataclass
class Where:
    """A condition on b (the line summary), its parameters, and what no one is called."""

    sql: list[str] = field(default_factory=list)
    values: dict[str, object] = field(default_factory=dict)
    unknown: dict[Clause, str] = field(default_factory=dict)

    def add(self, sql: str, **values: object) -> None:
        """One more condition that must hold; its parameters get names of their own."""
        mark = f"p{len(self.sql)}_"
        names = {name: f"%({mark}{name})s" for name in values}
        self.sql.append(sql.format(**names))
        self.values |= {mark + name: value for name, value in values.items()}

    def text(self) -> str:
        return " and ".join(self.sql)


FIXED = {
    ("show", "open"): "b.is_open",
    ("show", "all"): "true",
    ("show", "finished"): "not b.is_open",
    ("show", "due"): "(b.is_open or b.unbilled > 0)",
    ("late", "promise"): "(b.slip > 0 or (b.with_supplier > 0 and b.promise < {today}))",
    # What has not happened is not expected before today, whenever the date was last worked out.
    ("late", "need"): "b.is_open and greatest(b.expected_on, {today}) > b.need_by",
    ("agreed", "yes"): "b.agreed >= b.ordered",
    ("agreed", "no"): "b.is_open and b.agreed < b.ordered",
    ("agreed", "part"): "b.agreed > 0 and b.agreed < b.ordered",
    ("answer", "waits"): "b.answer_waits",
    ("billed", "yes"): "b.billed > 0 and b.unbilled <= 0",
    ("billed", "no"): "b.unbilled > 0",
    ("received", "yes"): "b.received > 0",
    ("received", "no"): "b.received = 0",
    ("packed", "no"): "b.with_supplier > 0",
}


def where(clauses: Sequence[Clause], companies: set[int], today: date, lines: Sequence[int] | None = None) -> Where:
    """The condition of the sentence, within the companies; with `lines` (ids) only of those.

    Open lines, unless the sentence says otherwise or asks whose move it is.
    """
    found = Where(values={"today": today})
    found.add("b.company_id = any({mine})", mine=sorted(companies))
    if lines is not None:
        found.add("b.line_id = any({lines})", lines=list(lines))
    # Goods that are all received are still somebody's move while they are held, claimed or not billed.
    if not any(clause.kind in ("show", "move") for clause in clauses):
        found.add("b.is_open")
    for clause in clauses:
        _add(found, clause, today)
    return found


def _add(found: Where, clause: Clause, today: date) -> None:
    value = clause.values[0]
    if (clause.kind, value) in FIXED:
        found.add(FIXED[clause.kind, value], today=today)
    elif clause.kind == "move":
        found.add("b.party = {party}", party=value)
    elif clause.kind == "place":
        found.add(f"b.{value} > 0")
    elif clause.kind in _WINDOWS:
        _add_window(found, clause.kind, value, today)
    elif clause.kind == "words":
        _add_words(found, clause)
    else:
        column, find = _NAMES[clause.kind]
        keys = _ids(find(clause.values))
        # One of them by equality: with an array of one the planner cannot read an index of it in the order of need-by.
        if len(keys) == 1:
            found.add(f"b.{column} = {{key}}", key=keys[0])
        else:
            found.add(f"b.{column} = any({{keys}})", keys=keys)
        if not keys:
            found.unknown[clause] = f"No {NAMED[clause.kind]} is called {' or '.join(clause.values)}."


_WINDOWS = {
    "expected": "b.expected_on",
    "need_by": "b.need_by",
    "promise": "b.promise",
    "requested_on": "b.requested_on",
}


def _add_window(found: Where, kind: str, words: str, today: date) -> None:
    column, window = _WINDOWS[kind], read_window(words, today)
    if window is None:
        found.add("false")
    elif window.never:
        found.add(f"{column} is null")
    else:
        last = window.last or date.max
        first = window.first or date.min + timedelta(days=1)
        if kind == "expected":
            if last < today:
                found.add("false")
                return
            first = date.min + timedelta(days=1) if first <= today else first
        found.add(f"{column} between {{first}} and {{last}}", first=first, last=last)


def _add_words(found: Where, clause: Clause) -> None:
    """Words of the order, the item or the supplier."""
    words = clause.values[0]
    item = Q(code__icontains=words) | Q(description__icontains=words)
    keys = {
        "items": _ids(Item.objects.filter(item)),
        "suppliers": _ids(Party.objects.filter(kind="supplier", name__icontains=words)),
        "orders": _ids(PurchaseOrder.objects.filter(called(words))),
    }
    found.add("(b.item_id = any({items}) or b.supplier_id = any({suppliers}) or b.order_id = any({orders}))", **keys)
    if not any(keys.values()):
        found.unknown[clause] = f"No order, item or supplier is called “{words}”."


def _ids(queryset) -> list[int]:
    return list(queryset.order_by().values_list("pk", flat=True).distinct()[:MOST_NAMES])


def _any(values: Sequence[str], *lookups: str) -> Q:
    return reduce(or_, (Q(**{lookup: value}) for value in values for lookup in lookups))


def _suppliers(names: Sequence[str]):
    lookups = ("code__iexact", "name__icontains", "city__icontains", "port__code__iexact", "port__name__icontains")
    return Party.objects.filter(_any(names, *lookups), kind="supplier")


def _items(names: Sequence[str]):
    exact = Item.objects.filter(_any(names, "code__iexact", "packs__gtin", "group__iexact"))
    words = _any(names, "code__icontains", "description__icontains")
    return exact if exact.exists() else Item.objects.filter(words)


def _orders(names: Sequence[str]):
    exact = _any(names, "number__iexact", "reference__iexact", "supplier_reference__iexact")
    found = PurchaseOrder.objects.filter(exact)
    return found if found.exists() else PurchaseOrder.objects.filter(reduce(or_, map(called, names)))


def _sites(names: Sequence[str]):
    lookups = ("code__iexact", "name__icontains", "company__code__iexact", "company__name__icontains")
    return Site.objects.filter(_any(names, *lookups))


def _people(names: Sequence[str]):
    return Person.objects.filter(_any(names, "username__iexact", "first_name__iexact", "last_name__iexact"))


def _aboard(names: Sequence[str]):
    """Lines with goods in a shipment, on a voyage (by vessel, number or both) or in a container."""
    box = "instalments__shipment_lines__container"
    lookups = (f"{box}__shipment__reference__iexact", f"{box}__shipment__document__iexact", f"{box}__number__iexact")
    voyage = f"{box}__shipment__voyage__"
    lines = OrderLine.objects.annotate(sails=Concat(f"{voyage}vessel", Value(" "), f"{voyage}number"))
    return lines.filter(_any(names, *lookups, "sails__iexact"))


_NAMES = {
    "from": ("supplier_id", _suppliers),
    "of": ("item_id", _items),
    "hs": ("item_id", lambda codes: Item.objects.filter(_any(codes, "hs_code__startswith"))),
    "order": ("order_id", _orders),
    "to": ("site_id", _sites),
    "buyer": ("buyer_id", _people),
    "aboard": ("line_id", _aboard),
}
