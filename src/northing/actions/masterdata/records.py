"""Keeping the records of the house: one by one or by file; and founding it, with its first company and administrator.

A file is taken whole or not at all. Every fact that changes is told, with what it was.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from django.db import models
from django.utils import timezone

from northing.access.acts import Act
from northing.access.models import Grant
from northing.access.operations import give_house, give_roles
from northing.access.permissions import (
    ASK,
    WORDS,
    held_by,
    may,
    may_somewhere,
    require_house,
    require_of_all,
)
from northing.actions.access.roles import PersonRequest, write_person
from northing.actions.customs import tariff_changes
from northing.actions.worklist import clocks
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import HistoryDraft, add_history, add_history_rows, once
from northing.core.parties import code_of
from northing.core.problems import NotAllowed, Problem, Refused, refuse_if
from northing.costing.models import Charge
from northing.formats import grids
from northing.formats.tables import unharmed
from northing.formats.territories import country_of, currency_of
from northing.inventory.models import OnHand
from northing.ledger.models import Posting
from northing.masterdata import operations
from northing.masterdata.facts import NEEDED, Kind
from northing.masterdata.kinds import KINDS
from northing.masterdata.models import Bin, Company, Item, Party
from northing.masterdata.operations import rate_problems
from northing.masterdata.rate_cards import card_problems, lock_cards
from northing.masterdata.records import Reading
from northing.orders.models import Instalment, OrderLine, PurchaseOrder
from northing.reports.dealings import companies_of_items, companies_of_parties
from northing.shipping.models import Container, Shipment
from northing.shipping.queries import given_back

MOST_ROWS = 50_000
# What is expected of a supplier's open lines follows from it.
PASSAGE = KINDS["supplier"].fact("passage_days").words
RELEASED = KINDS["company"].fact("receive_not_released").words
# A new site can receive at once.
FIRST_BINS = (("DOCK", Bin.Purpose.DOCK), ("QUARANTINE", Bin.Purpose.QUARANTINE), ("STORE", Bin.Purpose.STORE))


@dataclass(frozen=True)
class RecordRequest:
    """A record as it is to be: (fact, text) of those that are said; without an id a new one."""

    kind: str
    record: int | str | None
    facts: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class RowsRequest:
    """Many records of a kind, each (row number, (fact, text) ...)."""

    kind: str
    rows: tuple[tuple[int, tuple[tuple[str, str], ...]], ...]


@dataclass(frozen=True)
class FoundRequest:
    """The first company and the first person, who is its administrator."""

    company: tuple[tuple[str, str], ...]
    person: PersonRequest


@dataclass(frozen=True)
class Beside:
    """How records of a kind are judged beside each other: `problems` by code, while `hold` keeps others waiting."""

    hold: Callable[[], None]
    problems: Callable[[Sequence[Any]], Mapping[str, list[Problem]]]


BESIDE = {"rate-card": Beside(lock_cards, card_problems)}


@dataclass
class Judged:
    """The outcome of a row: its record as it will be, the changes, the errors."""

    number: int
    record: models.Model | None = None
    new: bool = False
    changes: list[dict[str, str]] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    # This person may not keep it.
    barred: bool = False

    @property
    def state(self) -> str:
        if self.problems:
            return "wrong"
        return "new" if self.new else "changes" if self.changes else "same"

    @property
    def says(self) -> str:
        """In words: what is wrong, or what changes."""
        if self.problems:
            return " ".join(str(problem) for problem in self.problems)
        told = self.changes if not self.new else [one for one in self.changes if one["new"]]
        return ", ".join(f"{one['field']} {one['old'] + ' → ' if one['old'] else ''}{one['new']}" for one in told)


@once
def keep_record(act: Act, request: RecordRequest) -> int | str:
    """Keep one record. Raises Refused with what is wrong, each at its fact."""
    kind = KINDS[request.kind]
    _require_somewhere(act, kind)
    found = None
    if request.record is not None:
        found = kind.rows().select_for_update(of=("self",)).filter(pk=request.record).first()
        if found is None:
            raise Refused(Problem(f"There is no such {kind.words}."))
    facts = dict(request.facts)
    _hold(kind)
    one = _judge(kind, Reading(kind), 0, facts if found else with_followed(act, kind, facts), found)
    _judge_together(kind, [one])
    refuse_if(one.problems)
    _require_for(act, kind, [one])
    if one.barred:
        raise NotAllowed(one.problems)
    _save(act, kind, [one])
    assert one.record is not None
    return one.record.pk


@once
def keep_rows(act: Act, request: RowsRequest) -> int:
    """Keep the records of a file; returns how many were new or changed. Raises Refused naming every wrong row."""
    kind = KINDS[request.kind]
    _hold(kind)
    judged = judge_rows(act, request)
    refuse_if(
        Problem(f"Row {one.number}: {problem.what}", problem.where, problem.mend)
        for one in judged
        for problem in one.problems
    )
    return _save(act, kind, judged)


def read_file(kind: Kind, path: Path) -> RowsRequest:
    """The rows of a CSV table or a workbook whose first row names the facts. Raises Refused."""
    _, grid = grids.read_grid(path)
    header = [name.strip().lower().replace(" ", "_") for name in next(grid, (0, []))[1]]
    known = {fact.name for fact in kind.facts}
    unknown = [name for name in header if name and name not in known]
    missing = [name for name in kind.key if name not in header and kind.fact(name).absent is NEEDED]
    if unknown or missing:
        what = f"lacks the column {missing[0]}" if missing else f"has a column {unknown[0][:40]!r} that is not known"
        raise Refused(Problem(f"The file {what}.", "file", f"The first row names some of {', '.join(sorted(known))}."))
    rows = []
    for number, cells in grid:
        pairs = zip(header, cells + [""] * (len(header) - len(cells)), strict=False)
        rows.append((number, tuple((name, unharmed(text)) for name, text in pairs if name)))
    if not rows:
        raise Refused(Problem("The file has no rows below its header.", "file"))
    return RowsRequest(kind.name, tuple(rows))


def judge_rows(act: Act, request: RowsRequest) -> list[Judged]:
    """The effect of each row. Nothing is written."""
    kind = KINDS[request.kind]
    _require_somewhere(act, kind)
    if len(request.rows) > MOST_ROWS:
        raise Refused(Problem(f"The file has more than {MOST_ROWS:,} rows.", "file", "Split it."))
    reading, known, met = Reading(kind), _by_key(kind), {}
    judged = []
    for number, facts in request.rows:
        texts = dict(facts)
        one = _judge(kind, reading, number, texts, known.get(_key_of_texts(kind, texts)))
        judged.append(one)
        if one.record is None:
            continue
        key = _key_of(kind, one.record)
        if key in met:
            one.problems.append(Problem(f"This {kind.words} stands in row {met[key]} already."))
        met[key] = number
    _require_for(act, kind, judged)
    _judge_together(kind, judged)
    return judged


def _hold(kind: Kind) -> None:
    """Of kinds that are judged beside each other only one person's are kept at a time."""
    if kind.name in BESIDE:
        BESIDE[kind.name].hold()


def _judge_together(kind: Kind, judged: Sequence[Judged]) -> None:
    """What is wrong with records beside each other and those that are kept already."""
    if kind.name not in BESIDE:
        return
    right = [one for one in judged if one.record is not None and not one.problems]
    found = BESIDE[kind.name].problems([one.record for one in right])
    for one in right:
        one.problems += found.get(one.record.code, [])


def _key_of(kind: Kind, record: models.Model) -> tuple[str, ...]:
    return tuple(kind.fact(name).said(getattr(record, name)).upper() for name in kind.key)


def _key_of_texts(kind: Kind, texts: dict[str, str]) -> tuple[str, ...]:
    """The same of a row that was not read yet: a fact that is left out is what a new record would have."""
    found = []
    for name in kind.key:
        fact, text = kind.fact(name), texts.get(name, "").strip()
        try:
            said = fact.said(fact.read(text)) if text and not fact.refers else text or fact.said(fact.absent)
        except ValueError:
            said = text
        found.append(said.upper())
    return tuple(found)


def _by_key(kind: Kind) -> dict[tuple[str, ...], models.Model]:
    return {_key_of(kind, row): row for row in kind.rows().iterator(chunk_size=2_000)}


def with_followed(act: Act, kind: Kind, texts: dict[str, str]) -> dict[str, str]:
    """The facts of a new partner, with those that were left empty and follow from the others."""
    if kind.model is not Party:
        return texts
    said = {name: text.strip() for name, text in texts.items()}
    found = dict(texts)
    if said.get("code") == "":
        found["code"] = code_of(said.get("name", ""), set(Party.objects.values_list("code", flat=True)))
    if said.get("country") == "":
        found["country"] = country_of(said.get("port", ""))
    if said.get("currency") == "":
        found["currency"] = currency_of(found.get("country", ""), act.today)
    return found


def _judge(kind: Kind, reading: Reading, number: int, texts: dict[str, str], found: models.Model | None) -> Judged:
    new = found is None
    one = Judged(number, new=new)
    unknown = sorted(set(texts) - {fact.name for fact in kind.facts})
    if unknown:
        one.problems.append(Problem(f"A {kind.words} has no {', '.join(unknown)}.", unknown[0]))
    values, problems = reading.read(texts, new)
    one.problems += problems
    if one.problems:
        return one
    record = found or kind.model(**kind.given)
    settled = None
    for fact in kind.facts:
        if fact.name not in values:
            continue
        old = "" if new else fact.said(getattr(record, fact.name))
        said = fact.said(values[fact.name])
        if old == said and not new:
            continue
        if not new and fact.fixed:
            what = f"{fact.words} is {old} and stays so."
            one.problems.append(Problem(what, fact.name, f"Make another {kind.words}."))
        elif not new and fact.settles:
            settled = _stands(kind, record) if settled is None else settled
            if settled:
                what = f"{fact.words} is {old} and stays so: {settled}."
                one.problems.append(Problem(what, fact.name, f"Make another {kind.words}."))
        one.changes.append({"field": fact.words, "old": old, "new": said})
        setattr(record, fact.name, values[fact.name])
    one.problems += _together(kind, record)
    one.record = record
    return one


def _together(kind: Kind, record: Any) -> list[Problem]:
    """The errors of facts that are right one by one."""
    if kind.name == "price":
        for name in ("from_quantity", "minimum", "multiple"):
            if round(getattr(record, name), record.item.decimals) != getattr(record, name):
                return [Problem(f"{name}: has more decimals than {record.item.code} is counted in.", name)]
        record.currency = record.supplier.currency
    if kind.name == "rate":
        return rate_problems(record, timezone.localdate())
    if kind.name == "free-time" and record.starts == record.ends:
        return [Problem("The clock ends where it starts.", "ends", "Choose what ends it.")]
    if kind.name == "past-passage" and not record.departed_on <= record.arrived_on:
        return [Problem("It arrived before it departed.", "arrived_on", "Correct one of the days.")]
    if kind.name == "pack" and record.name == record.item.unit and record.factor != 1:
        return [Problem(f"{record.name} is the unit of {record.item.code}: it holds 1.", "factor")]
    return []


def _stands(kind: Kind, record: Any) -> str:
    """The uses of a record that keep its facts as they are, in words; empty: none."""
    if kind.name == "company":
        used = Posting.objects.filter(company=record).exists() or record.purchaseorder_set.exists()
        return "there are orders or postings of it" if used else ""
    if kind.name == "bin":
        return "there are units in it" if OnHand.objects.filter(bin=record, quantity__gt=0).exists() else ""
    if kind.name == "item":
        used = OrderLine.objects.filter(item=record).exists() or record.costlayer_set.exists()
        return "it was ordered or is in stock" if used else ""
    used = PurchaseOrder.objects.filter(supplier=record).exists() or Charge.objects.filter(payee=record).exists()
    return "there are orders, prices or charges in it" if used or record.agreements.exists() else ""


def _require_somewhere(act: Act, kind: Kind) -> None:
    if not any(may_somewhere(act.person, permission) for permission in kind.permissions):
        raise NotAllowed(Problem(f"You may not {WORDS[kind.permissions[-1]]}.", mend=ASK))


def _require_for(act: Act, kind: Kind, judged: Sequence[Judged]) -> None:
    """Add a problem to each record that this person may not keep.

    Records of a company need its own keepers; a new company needs who keeps the house. What companies share needs the
    right in each company that uses it: the party or the item that it is or is about; without one, in every company.
    """
    rows = [one for one in judged if one.record is not None]
    users = _users(kind, rows) if not kind.company else {}
    for place, one in enumerate(rows):
        company = company_of(kind, one.record)
        try:
            if company is not None:
                _require_in(act, kind, company)
            elif kind.company:
                require_house(act.person)
            else:
                require_of_all(act.person, kind.permissions, users[place], f"this {kind.words}")
        except NotAllowed as refused:
            one.problems += refused.problems
            one.barred = True


def _require_in(act: Act, kind: Kind, company: int) -> None:
    if not any(may(act.person, permission, company) for permission in kind.permissions):
        raise NotAllowed(Problem(f"You may not {WORDS[kind.permissions[0]]} for this company.", mend=ASK))


def _users(kind: Kind, rows: Sequence[Judged]) -> dict[int, set[int]]:
    """The companies (ids) that use each of the records, by its place among `rows`."""
    parties = [_owners(kind, Party, one.record) for one in rows]
    items = [_owners(kind, Item, one.record) for one in rows]
    by_party = companies_of_parties({key for keys in parties for key in keys})
    by_item = companies_of_items({key for keys in items for key in keys})
    every = set(Company.objects.values_list("pk", flat=True))
    found = {}
    for place, one in enumerate(rows):
        about = [*(by_party[key] for key in parties[place]), *(by_item[key] for key in items[place])]
        own = one.new and kind.model in (Party, Item)
        found[place] = set().union(*about) if about or own else every
    return found


def _owners(kind: Kind, model: type[models.Model], record: Any) -> list[int]:
    """The parties or the items (ids) that a record is, or is about."""
    if kind.model is model:
        return [record.pk] if record.pk else []
    named = (
        fact.name for fact in kind.facts if fact.refers and kind.model._meta.get_field(fact.name).related_model is model
    )
    return [key for name in named if (key := getattr(record, f"{name}_id"))]


def company_of(kind: Kind, record: Any) -> int | None:
    """The company that a record belongs to; None where the companies share it, and for one that is not there yet."""
    if not kind.company:
        return None
    for step in kind.company.split("__"):
        record = getattr(record, step)
    return record.pk if isinstance(record, Company) else record


def _save(act: Act, kind: Kind, judged: Sequence[Judged]) -> int:
    """Write what is new or changed, in a few statements however many there are, and tell it."""
    doing = [one for one in judged if one.state in ("new", "changes")]
    new = [one for one in doing if one.new]
    changed = [one for one in doing if not one.new]
    names = sorted({fact.name for fact in kind.facts if not fact.fixed})
    if kind.name == "rate":
        # From now on a person says it, whoever said it before.
        names.append("source")
        for one in changed:
            one.record.source = ""
    _write(act, kind, doing, names)
    if kind.name == "site":
        rows = [Bin(site=one.record, code=code, purpose=purpose) for one in new for code, purpose in FIRST_BINS]
        operations.keep_records(Bin, rows, [], [])
    if kind.name == "company":
        rows = [Grant(person=act.person, company=one.record, role="administrator") for one in new]
        give_roles(rows)
        if new and hasattr(act.person, "_held"):
            del act.person._held
            held_by(act.person)
    add_history_rows(act, [_told(kind, one) for one in doing])
    if kind.name in ("free-time", "holiday", "working-week") and doing:
        # Every container that stands may be free for longer or shorter now.
        boxes = Container.objects.filter(shipment__arrived_on__isnull=False).exclude(given_back())
        clocks.refresh_clocks(boxes.values_list("shipment", flat=True).distinct())
    strict = [one.record.pk for one in changed if any(told["field"] == RELEASED for told in one.changes)]
    if kind.name == "company" and strict:
        # Whose move a landed shipment is depends on it.
        found = Shipment.objects.filter(containers__shipment_lines__instalment__line__order__company__in=strict)
        found = found.filter(arrived_on__isnull=False).distinct()
        bring_along(shipments=list(found.values_list("pk", flat=True)))
    later = [one.record.pk for one in changed if any(told["field"] == PASSAGE for told in one.changes)]
    if kind.model is Party and later:
        waiting = Instalment.objects.filter(line__order__supplier__in=later, line__summary__is_open=True)
        bring_along(dated=list(waiting.values_list("pk", flat=True)))
    return len(doing)


def _write(act: Act, kind: Kind, doing: Sequence[Judged], names: Sequence[str]) -> None:
    """Write the records; of the tariff the worker finds what open lines cost by it."""
    new, changed = ([one.record for one in doing if one.new is made] for made in (True, False))
    of_duty = bool(doing) and kind.name in tariff_changes.KINDS
    was = tariff_changes.as_it_was(kind.name, [one.pk for one in changed]) if of_duty else ""
    operations.keep_records(kind.model, new, changed, names)
    if of_duty:
        only = f"{'New: ' if doing[0].new else ''}{doing[0].record}: {doing[0].says}"
        words = only if len(doing) == 1 else f"{len(doing)} records: {kind.many}"
        tariff_changes.begin_reckoning(act, kind.name, words, was, new)


def _told(kind: Kind, one: Judged) -> HistoryDraft:
    record: Any = one.record
    words = f"{'Made' if one.new else 'Changed'} the {kind.words} {' '.join(_key_of(kind, record))}"
    company = company_of(kind, record)
    about = {"bin": ("site", "site_id"), "pack": ("item", "item_id"), "price": ("item", "item_id")}
    history, column = about.get(kind.name, (kind.history or kind.name, "pk"))
    key = getattr(record, column)
    links = [(history, key, company)] if isinstance(key, int) else []
    if kind.name == "price":
        links.append(("party", record.supplier_id, None))
    return HistoryDraft("keep_record", words, links, [] if one.new else one.changes)


@once
def found_house(act: Act, request: FoundRequest) -> int:
    """Found a house where there is none: its first company and its first administrator."""
    if Company.objects.exists():
        raise Refused(Problem("There is a house already.", mend="Its administrators add what is missing."))
    kind = KINDS["company"]
    one = _judge(kind, Reading(kind), 0, dict(request.company), None)
    refuse_if(one.problems)
    person = write_person(request.person)
    founder = Act(person, act.at, channel=act.channel)
    give_house(person, True)
    _save(founder, kind, [one])
    add_history(founder, "found_house", f"{person} founded the house", [("person", person.pk, None)])
    return person.pk
