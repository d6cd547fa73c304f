"""The papers of a claim as one PDF: its facts, a checklist of what proves it, and those papers themselves."""

import base64
from collections.abc import Iterator, Mapping
from typing import Any

from northing.activity.documents import content_of, where
from northing.activity.models import Document
from northing.activity.pdf_pages import page_count, picture_of
from northing.billing.models import BillLine
from northing.claims.models import Claim
from northing.claims.queries import open_claims
from northing.core.problems import Refused
from northing.drawings.small_picture import small_picture
from northing.masterdata.models import Party
from northing.messaging.mail import File
from northing.messaging.print_pdf import to_pdf

# Pictures of a paper: so many, and no longer than so many dots.
MOST, LONGEST = 16, 1_400


def claim_paper(case: Claim) -> bytes:
    """The facts of a case, what proves them, its documents and those of its shipment, as far as they can be drawn."""
    documents = list(_documents(case))
    claimed = open_claims([case.pk])
    parties = Party.objects.in_bulk({party for _, party, _ in claimed})
    context: dict[str, Any] = {
        "case": case,
        "line": case.line,
        "shipment": _shipment(case),
        "claims": [
            (parties[party], currency, amount)
            for (_, party, currency), (amount, _) in sorted(claimed.items())
            if amount
        ],
        "proofs": _proofs(case, documents),
        "documents": documents,
        "pictures": [one for _, one in zip(range(MOST), _pictures(documents), strict=False)],
    }
    return to_pdf("claims/claim_paper.html", context, sums=False)


def claim_files(case: int, _said: Mapping[str, str]) -> list[File]:
    """The same as the file of a letter."""
    found = Claim.objects.select_related("layer__item", "supplier", "against", "company").get(pk=case)
    return [(f"case-{case}.pdf", "application/pdf", claim_paper(found))]


def _shipment(case: Claim):
    box = case.layer.shipment_line.container if case.layer.shipment_line else None
    return box.shipment if box else None


def _documents(case: Claim) -> Iterator[Document]:
    yield from Document.objects.filter(kind="case", record=case.pk).order_by("pk")
    shipment = _shipment(case)
    if shipment:
        yield from Document.objects.filter(kind="shipment", record=shipment.pk).order_by("pk")


def _proofs(case: Claim, documents: list[Document]) -> list[tuple[str, str]]:
    """What a claim is proved by, and where it is; an empty word says that it is missing."""
    shipment, receipt = _shipment(case), case.layer.receipt_line.receipt if case.layer.receipt_line else None
    names = [one.name.lower() for one in documents]
    line = case.line
    bills = BillLine.objects.filter(order_line=line, order_line__isnull=False, bill__reversed_by=None)
    bill = bills.filter(bill__kind="bill").first()
    shown = [one for one in documents if one.picture]
    return [
        ("Transport document", shipment.document if shipment else ""),
        ("Packing list", f"shipment {shipment.reference}" if shipment else ""),
        ("Invoice", str(bill.bill) if bill else ""),
        ("Delivery note", receipt.delivery_note if receipt else ""),
        ("Survey", next((one for one in names if "survey" in one), "")),
        ("Pictures", f"{len(shown)} attached" if shown else ""),
    ]


def _pictures(documents: list[Document]) -> Iterator[tuple[str, str]]:
    """Each picture, and each page of a PDF: its name, and itself as the address of an image."""
    for one in documents:
        if one.paged:
            for page in range(1, page_count(where(one.sha256)) + 1):
                made = picture_of(where(one.sha256), page)
                if made:
                    yield f"{one.name}, page {page}", _address(made, "png")
        elif one.picture and (made := _small(one)):
            yield one.name, _address(made, "jpeg")


def _small(document: Document) -> bytes:
    """A picture as a paper needs it; empty where its file is gone or holds none."""
    try:
        with content_of(document) as file:
            return small_picture(file, LONGEST)
    except Refused:
        return b""


def _address(content: bytes, kind: str) -> str:
    return f"data:image/{kind};base64,{base64.b64encode(content).decode()}"
