"""Writes of answers."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from northing.access.acts import Act
from northing.confirmations.models import Answer, Chaser, ChaserLine, ChaserRule, SupplierLink
from northing.core.confirmations.answers import Part, Terms
from northing.masterdata.models import Party
from northing.orders.models import Instalment, Revision


@dataclass(frozen=True)
class Said:
    """The supplier's answer to one instalment, and whether it agrees with the order."""

    instalment: Instalment
    asked: Terms
    answered: Terms
    agrees: bool
    later: tuple[Part, ...] = ()
    remark: str = ""


def write_answers(
    act: Act, revision: Revision, reference: str, answered_on: date, said: Sequence[Said]
) -> list[Answer]:
    """Write the supplier's answers beside the questions; they replace older open answers."""
    before = Answer.objects.filter(instalment__in=[one.instalment for one in said], outcome=Answer.Outcome.OPEN)
    before.update(outcome=Answer.Outcome.REPLACED)
    return Answer.objects.bulk_create(
        Answer(
            instalment=one.instalment,
            revision=revision,
            reference=reference,
            quantity=one.answered.quantity,
            ready_on=one.answered.ready_on,
            pack_price=one.answered.pack_price,
            asked_quantity=one.asked.quantity,
            asked_on=one.asked.ready_on,
            asked_pack_price=one.asked.pack_price,
            later=[{"quantity": str(part.quantity), "ready_on": part.ready_on.isoformat()} for part in one.later],
            remark=one.remark.strip(),
            recorded_by=act.person,
            answered_on=answered_on,
            outcome=Answer.Outcome.ACCEPTED if one.agrees else Answer.Outcome.OPEN,
            decided_at=act.at if one.agrees else None,
            told_at=act.at if one.agrees else None,
        )
        for one in said
    )


def decide(act: Act, answer: Answer, outcome: str) -> None:
    """Our decision on an open answer."""
    by = None if act.channel == "rule" else act.person
    answer.outcome, answer.decided_by, answer.decided_at = outcome, by, act.at
    # The demo world's own actions write to no one.
    answer.told_at = act.at if act.channel == "demo" else None
    answer.save(update_fields=["outcome", "decided_by", "decided_at", "told_at"])


def replace_open(instalments: Iterable[int]) -> None:
    """Close open answers whose question has changed; they stay on record."""
    waiting = Answer.objects.filter(instalment__in=list(instalments), outcome=Answer.Outcome.OPEN)
    waiting.update(outcome=Answer.Outcome.REPLACED)


def not_told(before: datetime) -> list[Answer]:
    """Decisions of which the supplier was not told, made before an instant; locked, and left alone where others are."""
    found = Answer.objects.select_for_update(of=("self",), skip_locked=True).filter(told_at=None, decided_at__lt=before)
    found = found.select_related("instalment__line__order__supplier", "instalment__line__order__company")
    return list(found.select_related("instalment__line__item").order_by("pk"))


def mark_told(answers: Iterable[Answer], at: datetime) -> None:
    """The supplier was told."""
    Answer.objects.filter(pk__in=[answer.pk for answer in answers]).update(told_at=at)


def close_chasers(act: Act, instalments: Iterable[int]) -> None:
    """The answer closes what we reminded of."""
    waiting = ChaserLine.objects.filter(instalment__in=list(instalments), kind="unanswered", closed_at=None)
    waiting.update(closed_at=act.at)


def keep_rule(which: dict, facts: dict) -> ChaserRule:
    """A rule of chasers: of which kind, supplier and mode, and what it says."""
    return ChaserRule.objects.update_or_create(**which, defaults=facts)[0]


def write_chaser(chaser: Chaser, lines: Iterable[tuple[int, str]]) -> Chaser:
    """A chaser with its lines: (instalment, kind)."""
    chaser.save(force_insert=True)
    ChaserLine.objects.bulk_create(ChaserLine(chaser=chaser, instalment_id=part, kind=kind) for part, kind in lines)
    return chaser


def write_link(link: SupplierLink) -> SupplierLink:
    """A supplier's link, of which only the hash is kept."""
    link.save(force_insert=True)
    return link


def end_links(supplier: Party, at: datetime) -> int:
    """End every link of a supplier. Returns how many there were."""
    return SupplierLink.objects.filter(supplier=supplier, revoked_at=None).update(revoked_at=at)


def use_link(link: SupplierLink, at: datetime) -> None:
    """Note when a link was used last."""
    SupplierLink.objects.filter(pk=link.pk).update(used_at=at)
