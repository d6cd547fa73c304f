"""Open matters of deliveries that are short beyond tolerance: the buyer says whether more comes."""

from collections.abc import Iterable

from northing.actions.worklist.stakes import Stakes
from northing.core.money.exact import plain
from northing.core.orders.orders import net_amount
from northing.core.worklist import moves
from northing.receiving.models import ShortQuestion
from northing.worklist.operations import MatterDraft, write_matters


def refresh_questions(questions: Iterable[int]) -> None:
    """Open questions about units that are still to come: ours, of the order's buyer; their price is at stake."""
    found = ShortQuestion.objects.filter(pk__in=list(questions)).select_related(
        "company", "line__receipt", "instalment__line__order", "instalment__position", "shipment_line"
    )
    stakes, drafts = Stakes(), []
    for one in found:
        reason = f"{plain(one.quantity)} short ({plain(one.short)} %, allowed {plain(one.allowed)} %): does more come?"
        receipt = one.line.receipt
        settled = one.answer or one.still_open <= 0
        waits = None if settled else moves.Move(moves.US, reason, receipt.occurred_on)
        part = one.instalment
        order = part.line.order
        price = net_amount(one.quantity, part.line.pack_factor, part.pack_price, part.net_share, order.currency)
        stake = stakes.base(one.company, price, order.currency)
        drafts.append(MatterDraft("short", one.pk, one.company_id, waits, at_stake=stake, person=order.buyer_id))
    write_matters(drafts)


def open_questions(instalments: Iterable[int]) -> list[int]:
    """The open questions (ids) about instalments (ids)."""
    found = ShortQuestion.objects.filter(instalment__in=list(instalments), answer=ShortQuestion.Answer.OPEN)
    return list(found.values_list("pk", flat=True))
