"""Open matters of despatch notices that wait."""

from collections.abc import Iterable

from northing.actions.worklist.stakes import day_of
from northing.core.worklist import moves
from northing.shipping.models import DespatchNotice, NoticeLine
from northing.worklist.operations import MatterDraft, write_matters


def refresh_notices(notices: Iterable[int]) -> None:
    """Despatch notices that wait to be taken: ours, for each company whose orders they name."""
    drafts = []
    found = DespatchNotice.objects.filter(pk__in=list(notices))
    named = NoticeLine.objects.filter(notice__in=found, order_line__isnull=False).order_by()
    pairs = set(named.values_list("notice", "order_line__order__company").distinct())
    for notice in found:
        waits = None
        if notice.state == DespatchNotice.State.SHOWN:
            waits = moves.Move(moves.US, "a despatch notice to be taken or dropped", day_of(notice.made_at))
        drafts += [MatterDraft("notice", notice.pk, company, waits) for key, company in pairs if key == notice.pk]
    write_matters(drafts)
