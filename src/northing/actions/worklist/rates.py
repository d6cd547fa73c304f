"""Open matters of rates: those that a bank said and no person has believed or dropped."""

from collections.abc import Iterable
from decimal import Decimal

from northing.core.money.cross_rates import change
from northing.core.worklist import moves
from northing.ledger.models import AskedRate
from northing.worklist.operations import MatterDraft, write_matters


def refresh_rates(rates: Iterable[int]) -> None:
    """Rates that are asked about (ids): accounts' move until a person believes one or drops it."""
    found = AskedRate.objects.filter(pk__in=list(rates))
    write_matters(
        [
            MatterDraft(kind="rate", record=one.pk, company=one.company_id, move=_move(one), at_stake=Decimal(0))
            for one in found
        ]
    )


def refresh_rates_of(company: int) -> None:
    """All rates of a company (id) that are asked about."""
    open_ones = AskedRate.objects.filter(company=company, settled_at=None)
    refresh_rates(open_ones.values_list("pk", flat=True))


def _move(asked: AskedRate) -> moves.Move | None:
    if asked.settled_at:
        return None
    why = f"{change(asked.rate, asked.before)} % from the rate before: is it right?"
    return moves.Move(moves.ACCOUNTS, why, asked.day)
