"""Open matters of dates that machines moved."""

from collections.abc import Iterable

from northing.actions.worklist.stakes import day_of
from northing.core.worklist import moves
from northing.shipping.models import Ripple
from northing.worklist.operations import MatterDraft, write_matters


def refresh_ripples(ripples: Iterable[int]) -> None:
    """Open a matter for each ripple until its person has seen it."""
    drafts = []
    for ripple in Ripple.objects.filter(pk__in=list(ripples)):
        count = len(ripple.lines)
        reason = f"{ripple.source} moved {count} line{'s' if count > 1 else ''}"
        reason += f"; {ripple.broken} need-by broken, {ripple.saved} saved"
        waits = None if ripple.seen_at else moves.Move(moves.US, reason, day_of(ripple.at))
        drafts.append(MatterDraft("ripple", ripple.pk, ripple.company_id, waits, person=ripple.person_id))
    write_matters(drafts)
