"""Writes of cases and return notes."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import date, datetime
from decimal import Decimal

from django.db import connection
from django.db.models import F, Sum

from northing.access.models import Person
from northing.activity.models import HistoryEntry
from northing.claims.models import (
    Authorisation,
    CaseEnd,
    Claim,
    ClaimAmount,
    ClaimMoney,
    GoodsReturn,
    Replacement,
    ReturnLine,
    ReturnNote,
)
from northing.ledger.models import CostLayer, Entry
from northing.masterdata.models import Company


def open_cases(cases: Sequence[Claim]) -> list[Claim]:
    """Cases of failed or missing units, each without an end yet."""
    return Claim.objects.bulk_create(cases)


def end_units(case: Claim, quantity: Decimal) -> None:
    """So many units of a case have an end."""
    Claim.objects.filter(pk=case.pk).update(ended=F("ended") + quantity)


ENDED = f"""
update {Claim._meta.db_table} c set ended = d.units
  from unnest(%s::bigint[], %s::numeric[]) as d(id, units) where c.id = d.id
"""


def end_by_decisions(units: Mapping[int, Decimal]) -> None:
    """So many units of cases (ids) of no order were decided about."""
    if not units:
        return
    with connection.cursor() as cursor:
        cursor.execute(ENDED, [list(units), list(units.values())])


def withdraw_cases(layers: Sequence[CostLayer], at: datetime) -> list[int]:
    """Cases of layers never were: the receipt that opened them is reversed. Returns their ids."""
    return withdraw(Claim.objects.filter(layer__in=layers, withdrawn_at=None).values_list("pk", flat=True), at)


def withdraw(cases: Iterable[int], at: datetime) -> list[int]:
    """Cases (ids) never were: what opened them is reversed. Returns their ids."""
    keys = list(cases)
    Claim.objects.filter(pk__in=keys).update(withdrawn_at=at)
    return keys


# A case and who owes (ids), why, the currency that is owed, the amount, and in base.
AmountRow = tuple[int, int, str, str, Decimal, Decimal]
ROW = ("case", "party", "why", "currency")


def add_amounts(entry: Entry, rows: Iterable[AmountRow]) -> None:
    """Claims grow."""
    add_amount_rows((entry, row) for row in rows)


def add_amount_rows(rows: Iterable[tuple[Entry, AmountRow]]) -> None:
    """Claims grow, each by an entry of its own."""
    ClaimAmount.objects.bulk_create(
        ClaimAmount(case_id=case, party_id=party, why=why, currency=currency, amount=amount, base=base, entry=entry)
        for entry, (case, party, why, currency, amount, base) in rows
        if amount or base
    )


def take_back_amounts(entry: Entry, of: Entry, why: str = "price") -> None:
    """What an entry added to claims, for one reason, is off them again, by counter-rows."""
    rows = ClaimAmount.objects.filter(entry=of, why=why).order_by("pk")
    add_amounts(entry, [(*head, -amount, -base) for *head, amount, base in rows.values_list(*ROW, "amount", "base")])


def take_back_of_layers(entry: Entry, layers: Iterable[int]) -> None:
    """Nothing is claimed of layers (ids) any more, by counter-rows."""
    rows = ClaimAmount.objects.filter(case__layer__in=list(layers)).values_list(*ROW).order_by()
    sums = rows.annotate(a=Sum("amount"), b=Sum("base")).order_by("case", "why")
    add_amounts(entry, [(*head, -amount, -base) for *head, amount, base in sums])


def mark_reversed(note: ReturnNote, entry: Entry) -> None:
    """A return was undone; it stays a fact, and its units have no end again."""
    note.reversed_by = entry
    note.save(update_fields=["reversed_by"])
    Claim.objects.filter(pk=note.case_id).update(ended=F("ended") - note.quantity)
    if note.authorisation_id:
        _count_back(note.authorisation_id, note.case_id, -note.quantity)


# The company's row is locked from here on until the transaction ends.
NUMBER = f"""
update {Company._meta.db_table} set last_return_number = last_return_number + 1
 where id = %s
returning code || '-B' || lpad(last_return_number::text, greatest(5, length(last_return_number::text)), '0')
"""


def open_return(made: GoodsReturn) -> GoodsReturn:
    """A return, with the next number of its company."""
    with connection.cursor() as cursor:
        cursor.execute(NUMBER, [made.company_id])
        made.number = cursor.fetchone()[0]
    made.save(force_insert=True)
    return made


def write_return_line(line: ReturnLine) -> ReturnLine:
    """Units stand by for a return."""
    line.save(force_insert=True)
    return line


def mark_despatched(made: GoodsReturn, at: datetime, day: date, haulier: str) -> None:
    """A prepared return left."""
    made.despatched_at, made.occurred_on, made.haulier = at, day, haulier
    made.save(update_fields=["despatched_at", "occurred_on", "haulier"])


def mark_cancelled(made: GoodsReturn, at: datetime) -> None:
    """A prepared return is not sent after all."""
    made.cancelled_at = at
    made.save(update_fields=["cancelled_at"])


WENT_BACK = """
update claims_claim c set ended = c.ended + d.units, authorised = c.authorised - d.said
  from (select id, sum(units) as units, sum(said) as said
          from unnest(%s::bigint[], %s::numeric[], %s::numeric[]) as u(id, units, said) group by id) d
 where c.id = d.id
"""
NOT_HERE = """
update claims_authorisation a set returned = a.returned + d.units
  from (select id, sum(units) as units from unnest(%s::bigint[], %s::numeric[]) as u(id, units) group by id) d
 where a.id = d.id
"""


def write_returns(notes: Sequence[ReturnNote]) -> list[ReturnNote]:
    """Units that went back; they have an end."""
    rows = [(one.case_id, one.quantity, one.quantity if one.authorisation_id else 0) for one in notes]
    said = [(one.authorisation_id, one.quantity) for one in notes if one.authorisation_id]
    with connection.cursor() as cursor:
        for statement, found in ((NOT_HERE, said), (WENT_BACK, rows)):
            if found:
                cursor.execute(statement, [list(column) for column in zip(*found, strict=True)])
    return ReturnNote.objects.bulk_create(notes)


def _count_back(authorisation: int, case: int, units: Decimal) -> None:
    """So many authorised units are not here any more; below 0, they are again."""
    Authorisation.objects.filter(pk=authorisation).update(returned=F("returned") + units)
    Claim.objects.filter(pk=case).update(authorised=F("authorised") - units)


def authorise(said: Authorisation) -> Authorisation:
    """The supplier takes units back."""
    said.save(force_insert=True)
    Claim.objects.filter(pk=said.case_id).update(authorised=F("authorised") + said.quantity)
    return said


def take_back_authorisation(said: Authorisation, history: HistoryEntry) -> None:
    """It was not said after all; it stays a fact."""
    said.reversed_by = history
    said.save(update_fields=["reversed_by"])
    Claim.objects.filter(pk=said.case_id).update(authorised=F("authorised") - said.quantity)


def write_replacements(rows: Iterable[Replacement]) -> list[Replacement]:
    """Units of order lines come in the place of authorised ones."""
    return Replacement.objects.bulk_create(rows)


def credit_rest(said: Authorisation, *, credited: bool) -> None:
    """What is not ordered anew of an authorisation is credited after all; or not so."""
    said.rest_credited = credited
    said.save(update_fields=["rest_credited"])


def mark_asked(case: Claim, asked_on: date, answer_by: date, *, reminded: bool = False) -> None:
    """The other side was written to; or reminded."""
    facts = {"reminded_on": asked_on} if reminded else {"asked_on": asked_on}
    Claim.objects.filter(pk=case.pk).update(answer_by=answer_by, **facts)


def look_after(case: Claim, person: Person | None) -> None:
    """One of our people is responsible for a case, or no person is."""
    Claim.objects.filter(pk=case.pk).update(looked_after_by=person)


def divide(case: Claim, quantity: Decimal, reason: str) -> Claim:
    """Units of a case become a case of their own."""
    names = ("company", "kind", "layer", "supplier", "against", "opened_on", "looked_after_by")
    part = Claim(part_of=case, quantity=quantity, reason=reason, **{name: getattr(case, name) for name in names})
    Claim.objects.filter(pk=case.pk).update(quantity=F("quantity") - quantity)
    return open_cases([part])[0]


def join(case: Claim, into: Claim, at: datetime) -> None:
    """Units of a case without a way go on in another; a case of which nothing is left never was."""
    units = case.undecided
    Claim.objects.filter(pk=into.pk).update(quantity=F("quantity") + units)
    Claim.objects.filter(pk=case.pk).update(quantity=F("quantity") - units)
    if units == case.quantity:
        withdraw([case.pk], at)


def write_money(done: ClaimMoney) -> ClaimMoney:
    """Something was done about the money of a case."""
    done.save(force_insert=True)
    if done.way == ClaimMoney.Way.TURNED:
        Claim.objects.filter(pk=done.case_id).update(against=done.party)
    return done


def take_back_money(done: ClaimMoney, entry: Entry) -> None:
    """It was undone; it stays a fact."""
    done.reversed_by = entry
    done.save(update_fields=["reversed_by"])
    if done.way == ClaimMoney.Way.TURNED:
        Claim.objects.filter(pk=done.case_id).update(against=done.before)


def write_end(end: CaseEnd) -> CaseEnd:
    """Units of a case that stayed have an end."""
    end.save(force_insert=True)
    end_units(end.case, end.quantity)
    return end


def take_back_end(end: CaseEnd, history: HistoryEntry) -> None:
    """An end was undone; it stays a fact, and its units have no end again."""
    end.reversed_by = history
    end.save(update_fields=["reversed_by"])
    Claim.objects.filter(pk=end.case_id).update(ended=F("ended") - end.quantity)
