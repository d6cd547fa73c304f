"""Open matters of payments that wait for a second person."""

from collections.abc import Iterable

from northing.core.worklist import moves
from northing.payments.models import AskedPayment
from northing.worklist.operations import MatterDraft, write_matters


def refresh_asked(asked: Iterable[int]) -> None:
    """Payments (ids) that were asked for: accounts' move until they are approved or dropped."""
    write_matters(
        [
            MatterDraft(
                kind="payment",
                record=one.pk,
                company=one.company_id,
                move=moves.Move(moves.ACCOUNTS, "a payment waits for approval", one.at.date(), one.day)
                if one.state == AskedPayment.State.WAITS
                else None,
                at_stake=one.worth,
            )
            for one in AskedPayment.objects.filter(pk__in=list(asked))
        ]
    )
