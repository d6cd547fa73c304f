"""Open matters of documents that shipments need."""

from collections.abc import Iterable

from northing.core.worklist import moves
from northing.shipping.models import RequiredDocument
from northing.shipping.queries import companies_of_shipments
from northing.worklist.models import Matter
from northing.worklist.operations import MatterDraft, write_matters


def refresh_documents(shipments: Iterable[int]) -> None:
    """Papers due of shipments: one matter for each that is not there, for each company that has goods aboard."""
    keys = list(shipments)
    papers = list(RequiredDocument.objects.filter(shipment__in=keys).select_related("shipment"))
    if not papers:
        return
    aboard = companies_of_shipments(keys)
    drafts = []
    for paper in papers:
        move = None
        if paper.done_on is None:
            needed = f", needed for {paper.needed_for}" if paper.needed_for else ""
            move = moves.Move(paper.party, f"{str(paper).lower()} {paper.lacks}{needed}", paper.written_on, paper.due)
        for company in aboard.get(paper.shipment_id, ()):
            drafts.append(
                MatterDraft(
                    kind="document",
                    record=paper.pk,
                    company=company,
                    move=move,
                    person=paper.owner_id if paper.party == moves.US else None,
                )
            )
    known = {(draft.record, draft.company) for draft in drafts}
    before = Matter.objects.filter(kind="document", record__in=[paper.pk for paper in papers])
    gone = {*before.values_list("record", "company")} - known
    write_matters([*drafts, *(MatterDraft("document", key, company, None) for key, company in gone)])
