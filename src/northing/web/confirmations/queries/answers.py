"""Answers that wait for us: old beside new, and what accepting each would do."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from northing.confirmations.models import Answer
from northing.core.orders.orders import net_amount


@dataclass
class Waiting:
    """An answer beside what was asked."""

    answer: Answer
    days: int
    units: Decimal
    money: Decimal
    dock: date
    dock_before: date

    @property
    def need_by(self) -> date:
        return self.answer.instalment.line.need_by

    @property
    def breaks(self) -> bool:
        """Whether accepting breaks the need-by date."""
        return self.dock > self.need_by

    @property
    def broken(self) -> bool:
        """Whether it is broken already."""
        return self.dock_before > self.need_by


def waiting(
    companies: Iterable[int], first: int = 0, past: int | None = None, supplier: int | None = None
) -> list[Waiting]:
    """The open answers of the companies, oldest first."""
    found = Answer.objects.filter(outcome="open", instalment__line__order__company__in=companies)
    if supplier:
        found = found.filter(instalment__line__order__supplier=supplier)
    found = found.select_related(
        "instalment__line__order__supplier", "instalment__line__item", "instalment__line__order__company"
    )
    return [_beside(answer) for answer in found.order_by("answered_on", "pk")[first:past]]


def _beside(answer: Answer) -> Waiting:
    line = answer.instalment.line
    order = line.order
    last = max([answer.ready_on, *(date.fromisoformat(part["ready_on"]) for part in answer.later)])
    passage = timedelta(days=order.supplier.passage_days)
    answered = answer.quantity + sum((Decimal(part["quantity"]) for part in answer.later), Decimal(0))

    def worth(quantity: Decimal, price: Decimal) -> Decimal:
        return net_amount(quantity, line.pack_factor, price, answer.instalment.net_share, order.currency)

    return Waiting(
        answer,
        (last - answer.asked_on).days,
        answered - answer.asked_quantity,
        worth(answered, answer.pack_price) - worth(answered, answer.asked_pack_price),
        last + passage,
        answer.asked_on + passage,
    )
