"""Open matters of letters that failed."""

from collections.abc import Iterable

from northing.actions.worklist.stakes import day_of
from northing.core.worklist import moves
from northing.messaging.models import Message
from northing.worklist.operations import MatterDraft, write_matters


def refresh_letters(letters: Iterable[int]) -> None:
    """Letters that failed for good: ours."""
    drafts = []
    for letter in Message.objects.filter(pk__in=list(letters), company__isnull=False):
        failed = letter.state == Message.State.FAILED
        waits = moves.Move(moves.US, f"letter failed: {letter.error}"[:240], day_of(letter.made_at)) if failed else None
        drafts.append(MatterDraft("letter", letter.pk, letter.company_id, waits))
    write_matters(drafts)


def letter_changed(letter: Message) -> None:
    """A letter was sent, was put off, or has failed."""
    refresh_letters([letter.pk])
