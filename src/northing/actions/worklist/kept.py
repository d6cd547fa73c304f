"""Open matters of bills that are kept: which the supplier entered, whose goods are awaited, and which went back."""

from collections import defaultdict
from collections.abc import Iterable
from decimal import Decimal

from northing.billing.models import KeptBill
from northing.core.money.money import converted
from northing.core.problems import Refused
from northing.core.worklist import moves
from northing.masterdata.queries import rate_for
from northing.orders.models import PurchaseOrder
from northing.worklist.models import LineSummary
from northing.worklist.operations import MatterDraft, write_matters

ZERO = Decimal(0)


def refresh_kept(kept: Iterable[int]) -> None:
    """Kept bills (ids): accounts' move where the supplier entered one or its goods are ours, else the supplier's."""
    _write(KeptBill.objects.filter(pk__in=list(kept)))


def refresh_kept_of(orders: Iterable[int]) -> None:
    """The bills that wait for goods of the suppliers of orders (ids)."""
    suppliers = PurchaseOrder.objects.filter(pk__any_of=list(orders)).values("supplier")
    _write(KeptBill.objects.filter(state=KeptBill.State.WAITS, party__in=suppliers))


def _write(found) -> None:
    drafts = [
        MatterDraft(kind="kept bill", record=one.pk, company=one.company_id, move=_move(one), at_stake=_worth(one))
        for one in found.select_related("company")
    ]
    if drafts:
        write_matters(drafts)


def _worth(kept: KeptBill) -> Decimal:
    """What the bill comes to in base; nothing where there is no rate for it."""
    try:
        rate = rate_for(kept.company, kept.currency, kept.day)
    except Refused:
        return ZERO
    return converted(kept.total or ZERO, rate, kept.company.currency)


def _move(kept: KeptBill) -> moves.Move | None:
    if kept.state == KeptBill.State.ENTERED:
        return moves.Move(moves.ACCOUNTS, "the supplier entered a bill", kept.day)
    if kept.state == KeptBill.State.SENT_BACK:
        return moves.Move(moves.SUPPLIER, "its bill went back", kept.day)
    if kept.state == KeptBill.State.WAITS:
        if _goods_are_ours(kept):
            return moves.Move(moves.ACCOUNTS, "its goods are ours: book it", kept.day)
        return moves.Move(moves.SUPPLIER, "a bill waits for its goods", kept.day)
    return None


def _goods_are_ours(kept: KeptBill) -> bool:
    asked: dict[int, Decimal] = defaultdict(Decimal)
    for one in kept.lines:
        if "order_line" in one:
            asked[one["order_line"]] += Decimal(one["quantity"])
    ours = dict(LineSummary.objects.filter(line__in=asked).values_list("line", "unbilled"))
    return all(ours.get(line, ZERO) >= units for line, units in asked.items())
