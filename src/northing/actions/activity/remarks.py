"""Remarks and documents on any record: internal, or shared with the supplier of an order, who is told."""

from dataclasses import dataclass

from django.db.models import Model

from northing.access.acts import Act
from northing.access.permissions import ASK, LOOKS, companies_of, permissions_in
from northing.activity.documents import attach
from northing.activity.models import Document
from northing.activity.operations import Link, add_history, once
from northing.billing.models import Bill, KeptBill
from northing.claims.models import Claim
from northing.core.problems import NotAllowed, Problem, Refused
from northing.costing.models import Charge
from northing.masterdata.models import Item, Party
from northing.messaging import mail
from northing.orders.models import OrderLine, PurchaseOrder
from northing.payments.models import Payment
from northing.receiving.models import Receipt
from northing.shipping.models import Container, Shipment, Voyage

LONGEST = 1_000
# Any of these deals with suppliers, and may say something to them.
SPEAKERS = {"write_order", "send_order", "record_answer", "decide_answer", "chase"}


@dataclass(frozen=True)
class RemarkRequest:
    """Words about a record of one of the kinds in SUBJECTS."""

    record: int
    words: str
    kind: str = "order"
    shared: bool = False


@dataclass(frozen=True)
class DocumentRequest:
    """A file about a record."""

    record: int
    name: str
    content: bytes
    kind: str = "order"
    shared: bool = False


@dataclass(frozen=True)
class Subject:
    """The subject of a remark: the records its story is tied to, and the order a supplier may be told of."""

    links: list[Link]
    company: int | None
    order: PurchaseOrder | None = None


@once
def remark(act: Act, request: RemarkRequest) -> int:
    """Write a remark into the story. A shared one is told to the supplier; theirs is always shared."""
    subject = _subject(act, request.kind, request.record)
    _require_to_speak(act, subject, request.shared)
    words = " ".join(request.words.replace("\x00", " ").split())
    if not words:
        raise Refused(Problem("The remark is empty.", "words", "Write something."))
    if len(words) > LONGEST:
        raise Refused(Problem(f"The remark is longer than {LONGEST} characters.", "words", "Shorten it."))
    shared = _shared(act, subject, request.shared)
    entry = add_history(act, "remark", words, subject.links, shared=shared)
    if shared and act.supplier is None:
        _tell_supplier(act, subject.order, words)
    return entry.pk


@once
def add_document(act: Act, request: DocumentRequest) -> int:
    """Attach a document to a record."""
    subject = _subject(act, request.kind, request.record)
    _require_to_speak(act, subject, request.shared)
    shared = _shared(act, subject, request.shared)
    found = attach(act, request.kind, request.record, subject.company, request.name, request.content, shared)
    add_history(act, "add_document", f"Attached {found.name}", subject.links, shared=shared)
    return found.pk


def _require_to_speak(act: Act, subject: Subject, shared: bool) -> None:
    """People who only look write nothing; remarks to a supplier need the right to deal with suppliers."""
    if act.supplier is not None:
        return
    permissions = permissions_in(act.person, subject.company)
    if not permissions:
        raise NotAllowed(Problem(LOOKS, mend=ASK))
    if shared and not permissions & SPEAKERS:
        raise NotAllowed(Problem("You may not write to suppliers.", "shared", ASK))


def _shared(act: Act, subject: Subject, asked: bool) -> bool:
    if asked and subject.order is None:
        raise Refused(Problem("Only what is about an order can be shared with a supplier.", "shared"))
    return asked or act.supplier is not None


def _subject(act: Act, kind: str, key: int) -> Subject:
    """The record, if the act may speak about it: who sees a record may remark on it."""
    find = SUBJECTS.get(kind)
    found = find(act, key, companies_of(act.person)) if find and key < 2**63 else None
    if found is None or (act.supplier is not None and found.order is None):
        raise Refused(Problem("There is no such record to remark on.", mend="Look again."))
    return found


def _order(act: Act, key: int, companies: set[int]) -> Subject | None:
    order = PurchaseOrder.objects.select_related("supplier").filter(pk=key, company__in=companies).first()
    if order is None:
        return None
    act.require_supplier(order.supplier_id)
    lines: list[Link] = [("line", pk, order.company_id) for pk in order.lines.values_list("pk", flat=True)]
    return Subject([("order", order.pk, order.company_id), *lines], order.company_id, order)


def _line(act: Act, key: int, companies: set[int]) -> Subject | None:
    lines = OrderLine.objects.select_related("order__supplier")
    line = lines.filter(pk=key, order__company__in=companies).first()
    if line is None:
        return None
    order = line.order
    act.require_supplier(order.supplier_id)
    links: list[Link] = [("order", order.pk, order.company_id), ("line", line.pk, order.company_id)]
    return Subject(links, order.company_id, order)


def _shipment(act: Act, key: int, companies: set[int]) -> Subject | None:
    # Several companies may have goods aboard; what one says of its own goods is for all who share the voyage.
    found = Shipment.objects.filter(pk=key)
    aboard = set(found.values_list("containers__shipment_lines__instalment__line__order__company", flat=True))
    return Subject([("shipment", key, None)], None) if aboard & (companies | {None}) else None


def _charge(act: Act, key: int, companies: set[int]) -> Subject | None:
    # A person who has a part of a charge sees it, the person who is billed.
    seen = Charge.objects.filter(pk=key, parts__company__in=companies).exists()
    return Subject([("charge", key, None)], None) if seen else None


def _item(act: Act, key: int, companies: set[int]) -> Subject | None:
    return Subject([("item", key, None)], None) if companies and Item.objects.filter(pk=key).exists() else None


def _container(act: Act, key: int, companies: set[int]) -> Subject | None:
    box = Container.objects.filter(pk=key).values_list("shipment", flat=True).first()
    aboard = _shipment(act, box, companies) if box is not None else None
    return Subject([("container", key, None), *aboard.links], None) if aboard is not None else None


def _party(act: Act, key: int, companies: set[int]) -> Subject | None:
    return Subject([("party", key, None)], None) if companies and Party.objects.filter(pk=key).exists() else None


def _receipt(act: Act, key: int, companies: set[int]) -> Subject | None:
    company = Receipt.objects.filter(pk=key, company__in=companies).values_list("company", flat=True).first()
    return Subject([("receipt", key, company)], company) if company else None


def _voyage(act: Act, key: int, companies: set[int]) -> Subject | None:
    return Subject([("voyage", key, None)], None) if companies and Voyage.objects.filter(pk=key).exists() else None


def _of_company(kind: str, model: type[Model]):
    """The finder of a kind of record that belongs to one company."""

    def found(act: Act, key: int, companies: set[int]) -> Subject | None:
        company = model.objects.filter(pk=key, company__in=companies).values_list("company", flat=True).first()
        return Subject([(kind, key, company)], company) if company else None

    return found


def _case(act: Act, key: int, companies: set[int]) -> Subject | None:
    """A case: what was found, as words and pictures, stands with its line as well."""
    found = Claim.objects.filter(pk=key, company__in=companies).select_related(
        "layer__shipment_line__instalment__line", "layer__receipt_line__stands_for"
    )
    case = found.first()
    if case is None:
        return None
    if case.line is None:
        return Subject([("case", case.pk, case.company_id)], case.company_id)
    line = _line(act, case.line.pk, companies)
    return line and Subject([*line.links, ("case", case.pk, case.company_id)], case.company_id, line.order)


SUBJECTS = {
    "case": _case,
    "order": _order,
    "line": _line,
    "shipment": _shipment,
    "container": _container,
    "charge": _charge,
    "item": _item,
    "party": _party,
    "voyage": _voyage,
    "receipt": _receipt,
    "bill": _of_company("bill", Bill),
    "kept": _of_company("kept", KeptBill),
    "payment": _of_company("payment", Payment),
}


def _tell_supplier(act: Act, order: PurchaseOrder | None, words: str) -> None:
    if order is not None and order.supplier.email:
        supplier = order.supplier
        body = f"Dear {supplier},\n\nabout our order {order.number}:\n\n{words}\n\n{act.person}\n"
        draft = mail.Draft("remark", supplier.email, f"About {order.number}", body, order.company_id, supplier.pk)
        mail.write(act, draft)


def seen(act: Act, kind: str, record: int) -> None:
    """Raises Refused unless the act may speak about the record."""
    _subject(act, kind, record)


def document_of(act: Act, key: int) -> Document:
    """A document, if the act may see the record it is about. Raises Refused."""
    found = Document.objects.filter(pk=key).first()
    if found is None:
        raise Refused(Problem("There is no such document."))
    _subject(act, found.kind, found.record)
    return found
