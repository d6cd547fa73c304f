"""Writes of required documents and despatch notices."""

from collections.abc import Sequence
from datetime import date
from typing import Protocol

from northing.access.acts import Act
from northing.access.models import Person
from northing.database.columns import update_columns
from northing.formats.despatch import Line, Notice
from northing.shipping.models import (
    DespatchNotice,
    NoticeLine,
    RequiredDocument,
    Shipment,
)


def write_notice(
    act: Act, supplier: int | None, number: str, said: Notice, lines: Sequence[tuple[Line, int | None]]
) -> DespatchNotice:
    """A despatch notice as it came; each row with the order line (id) it is about, where one was found."""
    notice = DespatchNotice.objects.create(
        supplier_id=supplier,
        number=number,
        channel=act.channel,
        sent_by=act.person,
        made_at=act.at,
        issued_on=said.issued_on,
        document=said.document,
        imo=said.imo,
        voyage=said.voyage,
    )
    NoticeLine.objects.bulk_create(
        NoticeLine(
            notice=notice,
            number=row.number,
            order=row.order,
            line=row.line,
            item=row.item,
            quantity=row.quantity,
            container=row.container,
            size_type=row.size_type,
            seal=row.seal,
            sscc=row.sscc,
            lot=row.lot,
            best_before=row.best_before,
            order_line_id=line,
        )
        for row, line in lines
    )
    return notice


def settle_notice(notice: DespatchNotice, state: str, shipment: Shipment | None) -> None:
    """Save the outcome of a notice."""
    notice.state, notice.shipment = state, shipment
    notice.save(update_fields=["state", "shipment"])


class DocumentAsked(Protocol):
    """The fields of a paper due."""

    shipment: int
    kind: str
    what: str
    party: str
    owner: int | None
    form: str
    anchor: str
    anchor_days: int
    due: date | None
    needed_for: str


def write_document(act: Act, asked: DocumentAsked) -> RequiredDocument:
    """A paper that is due."""
    return RequiredDocument.objects.create(
        shipment_id=asked.shipment,
        kind=asked.kind,
        what=asked.what.strip()[:80],
        party=asked.party,
        owner_id=asked.owner,
        form=asked.form,
        anchor=asked.anchor,
        anchor_days=asked.anchor_days,
        due=asked.due,
        needed_for=asked.needed_for,
        written_on=act.today,
    )


def own_papers(papers: Sequence[int], person: Person) -> None:
    """Papers due (ids) are a person's from now on."""
    RequiredDocument.objects.filter(pk__in=papers).update(owner=person)


def complete_document(paper: RequiredDocument, day: date | None, reference: str, form: str) -> None:
    """A paper is there since a day, or (None) is not."""
    paper.done_on, paper.reference = day, reference
    paper.form = form or paper.form
    paper.save(update_fields=["done_on", "reference", "form"])


def write_document_days(rows: Sequence[tuple[int, date | None]]) -> None:
    """By when papers (ids) are due."""
    update_columns(RequiredDocument._meta.db_table, {"due": "date"}, rows)
