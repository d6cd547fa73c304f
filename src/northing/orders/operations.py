"""Writes of orders, lines, instalments and revisions."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from django.db.models import F

from northing.directory.acts import Act
from northing.directory.columns import update_columns
from northing.directory.models import Company, Item, Party, Site
from northing.orders.models import Instalment, OrderLine, PurchaseOrder, Revision


@dataclass(frozen=True)
class Terms:
    """The head of an order."""

    company: Company
    supplier: Party
    site: Site
    incoterm: str
    incoterm_place: str
    ours_from: str
    need_by: date


@dataclass(frozen=True)
class LineTerms:
    """A line as it will be written; quantity in base units, price per pack."""

    item: Item
    pack: str
    pack_factor: Decimal
    quantity: Decimal
    pack_price: Decimal
    agreed_pack_price: Decimal | None
    discount: Decimal
    need_by: date


def next_number(company: Company) -> str:
    """The company's next order number, without gaps: the row is locked until the order is saved."""
    Company.objects.filter(pk=company.pk).update(last_order_number=F("last_order_number") + 1)
    company.refresh_from_db(fields=["last_order_number"])
    return f"{company.code}-{company.last_order_number:05d}"


def write_order(act: Act, terms: Terms, lines: Sequence[LineTerms], number: str = "") -> PurchaseOrder:
    """A draft order with its lines."""
    order = PurchaseOrder.objects.create(
        company=terms.company,
        number=number or next_number(terms.company),
        supplier=terms.supplier,
        site=terms.site,
        buyer=act.person,
        currency=terms.supplier.currency,
        incoterm=terms.incoterm,
        incoterm_place=terms.incoterm_place,
        ours_from=terms.ours_from,
        need_by=terms.need_by,
        created_at=act.at,
    )
    OrderLine.objects.bulk_create(
        OrderLine(
            order=order,
            number=number,
            item=line.item,
            pack=line.pack,
            pack_factor=line.pack_factor,
            quantity=line.quantity,
            pack_price=line.pack_price,
            agreed_pack_price=line.agreed_pack_price,
            discount=line.discount,
            need_by=line.need_by,
        )
        for number, line in enumerate(lines, 1)
    )
    return order


def mark(order: PurchaseOrder, **facts) -> None:
    """Record facts of the order's way out: checked, approved, sent."""
    for name, value in facts.items():
        setattr(order, name, value)
    order.save(update_fields=list(facts))


def write_instalments(order: PurchaseOrder) -> list[Instalment]:
    """One instalment for each line, asked to be ready in time for its need-by date at our dock."""
    passage = timedelta(days=order.supplier.passage_days)
    return Instalment.objects.bulk_create(
        Instalment(
            line=line, number=1, quantity=line.quantity, asked_on=line.need_by - passage, pack_price=line.pack_price
        )
        for line in order.lines.order_by("number")
    )


def write_revision(act: Act, order: PurchaseOrder) -> Revision:
    """The snapshot of what is sent now."""
    content = {
        "number": order.number,
        "supplier": order.supplier.name,
        "currency": order.currency,
        "incoterms": f"{order.incoterm} {order.incoterm_place}".strip(),
        "need_by": order.need_by.isoformat(),
        "lines": [
            {
                "number": line.number,
                "item": line.item.code,
                "description": line.item.description,
                "quantity": str(line.quantity),
                "pack": line.pack,
                "pack_factor": str(line.pack_factor),
                "pack_price": str(line.pack_price),
                "discount": str(line.discount),
                "need_by": line.need_by.isoformat(),
            }
            for line in order.lines.select_related("item").order_by("number")
        ],
    }
    return Revision.objects.create(
        order=order, number=order.revision + 1, sent_at=act.at, sent_by=act.person, content=content
    )


def agree_as_asked(agreed: Iterable[tuple[Instalment, date]]) -> None:
    """Take over answers that equal what was asked: the whole quantity for that ready date."""
    rows = [(part.pk, part.quantity, part.first_promise or ready_on, ready_on) for part, ready_on in agreed]
    types = {"agreed_quantity": "numeric", "first_promise": "date", "promise": "date"}
    update_columns(Instalment._meta.db_table, types, rows)


def agree(instalment: Instalment, quantity: Decimal, ready_on: date, pack_price: Decimal) -> Instalment | None:
    """Take over what was agreed. A smaller quantity splits off the rest, which is returned, not agreed."""
    rest = instalment.quantity - quantity
    later = None
    if rest > 0:
        last = Instalment.objects.filter(line=instalment.line_id).order_by("-number").first()
        later = Instalment.objects.create(
            line_id=instalment.line_id,
            number=last.number + 1,
            quantity=rest,
            asked_on=instalment.asked_on,
            pack_price=instalment.pack_price,
        )
    instalment.quantity = instalment.agreed_quantity = quantity
    instalment.pack_price = pack_price
    instalment.first_promise = instalment.first_promise or ready_on
    instalment.promise = ready_on
    instalment.save(update_fields=["quantity", "agreed_quantity", "pack_price", "first_promise", "promise"])
    return later
