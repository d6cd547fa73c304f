"""The orders that a supplier sees through its link: its own only."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date, timedelta

from django.db.models import F, Prefetch, Q

from northing.activity.models import Document, HistoryEntry, HistoryLink
from northing.billing.models import Bill, KeptBill
from northing.claims.models import Claim
from northing.confirmations.models import Answer
from northing.drawings.figures import written_price
from northing.masterdata.models import Agreement, Company, Party
from northing.orders.models import Instalment, OrderLine, PurchaseOrder
from northing.reports.billable import Billable, Start, billable
from northing.reports.settlement import Settlement, settlements
from northing.shipping.models import ShipmentLine

MOST = 500
MOST_SHIPPED = 50
# For so long after its departure an order is still read.
LATELY = timedelta(days=120)


@dataclass
class OrderShown:
    """An order with its parts, by what has to happen to them."""

    order: PurchaseOrder
    waits: list[Instalment] = field(default_factory=list)
    undecided: list[Instalment] = field(default_factory=list)
    confirmed: list[Instalment] = field(default_factory=list)
    documents: list[Document] = field(default_factory=list)
    remarks: list[HistoryEntry] = field(default_factory=list)

    @property
    def parts(self) -> list[Instalment]:
        """All of it, in the order of its lines."""
        both = [*self.waits, *self.undecided, *self.confirmed]
        return sorted(both, key=lambda part: (part.line.number, part.number))

    @property
    def there(self) -> list[Instalment]:
        """All of it that is still with the supplier."""
        return [part for part in self.parts if part.position.with_supplier > 0]


def _typed(part: Instalment, typed: Mapping[str, str] | None) -> dict[str, str]:
    """The values in the fields of a part: as typed, or as asked."""
    if typed and f"quantity-{part.pk}" in typed:
        names = {"quantity": "", "ready": "", "price": "", "remark": "", "quantity_1": "-1", "ready_1": "-1"}
        return {name: typed.get(f"{name.split('_')[0]}-{part.pk}{more}", "") for name, more in names.items()}
    return {
        "quantity": f"{part.quantity.normalize():f}",
        "ready": part.asked_day.isoformat(),
        "price": written_price(part.asked_price, part.line.order.currency),
    }


# Units that are on their way, and those that the supplier still has something to say about.
ON_THE_WAY = Q(position__packed__gt=0) | Q(position__under_way__gt=0) | Q(position__landed__gt=0)
OPEN = Q(position__with_supplier__gt=0) | Q(agreed_quantity__lt=F("quantity")) & ON_THE_WAY


def open_parts(supplier: Party):
    """Instalments with the supplier, and those on their way that were never answered; by order and line."""
    answers = Prefetch("answers", Answer.objects.filter(outcome="open"), to_attr="open_answers")
    found = Instalment.objects.filter(OPEN, line__order__supplier=supplier, line__order__sent_at__isnull=False)
    return (
        found.select_related("line__order__company", "line__item", "position")
        .prefetch_related(answers)
        .order_by("line__order", "line__number", "number")
    )


@dataclass
class Shipped:
    """An order of which nothing is to be answered any more: where its goods are, and what was said of it."""

    order: PurchaseOrder
    boxes: list[ShipmentLine]
    remarks: list[HistoryEntry]
    documents: list[Document]


def shipped_orders(supplier: Party, shown: Iterable[int], today: date) -> list[Shipped]:
    """The newest orders that left of late or are on their way, beside those shown (ids)."""
    lately = Q(lines__instalments__shipment_lines__container__shipment__departed_on__gte=today - LATELY)
    on_the_way = Q(lines__in=OrderLine.objects.filter(instalments__in=Instalment.objects.filter(ON_THE_WAY)))
    found = PurchaseOrder.objects.filter(lately | on_the_way, supplier=supplier, sent_at__isnull=False)
    orders = list(found.exclude(pk__in=list(shown)).distinct().order_by("-pk")[:MOST_SHIPPED])
    keys = [order.pk for order in orders]
    boxes: dict[int, list[ShipmentLine]] = {key: [] for key in keys}
    packed = ShipmentLine.objects.filter(instalment__line__order__in=keys, container__isnull=False)
    packed = packed.select_related("container__shipment__voyage", "instalment__line__item")
    for part in packed.order_by("container", "instalment"):
        boxes[part.instalment.line.order_id].append(part)
    said, papers = remarks_of(keys), documents_of(keys)
    return [Shipped(order, boxes[order.pk], said[order.pk], papers[order.pk]) for order in orders]


def remarks_of(orders: Iterable[int]) -> dict[int, list[HistoryEntry]]:
    """The remarks about orders (ids) that the supplier may read, the newest last."""
    found: dict[int, list[HistoryEntry]] = {key: [] for key in orders}
    links = HistoryLink.objects.filter(kind="order", record__in=list(found), entry__shared=True, entry__action="remark")
    for link in links.select_related("entry__actor").order_by("entry"):
        found[link.record].append(link.entry)
    return found


def documents_of(orders: Iterable[int]) -> dict[int, list[Document]]:
    """The documents of orders (ids) that the supplier may open."""
    found: dict[int, list[Document]] = {key: [] for key in orders}
    for document in Document.objects.filter(kind="order", record__in=list(found), shared=True).order_by("pk"):
        found[document.record].append(document)
    return found


def shown_orders(supplier: Party, typed: Mapping[str, str] | None = None) -> list[OrderShown]:
    """The orders that concern the supplier now; what they have typed already is kept in its fields."""
    codes = dict(
        Agreement.objects.filter(supplier=supplier).order_by("valid_from").values_list("item", "supplier_code")
    )
    orders: dict[int, OrderShown] = {}
    for part in open_parts(supplier)[:MOST]:
        shown = orders.setdefault(part.line.order_id, OrderShown(part.line.order))
        part.supplier_code = codes.get(part.line.item_id, "")
        part.asked_day = part.counter_on or part.promise or part.asked_on
        part.asked_price = part.counter_price if part.counter_price is not None else part.pack_price
        part.row = f"row-{part.pk}"
        part.typed = _typed(part, typed)
        # What is partly packed can be confirmed as it was asked; only whole instalments can be answered otherwise.
        part.whole = part.position.with_supplier == part.quantity
        if part.open_answers:
            part.answer, part.state = part.open_answers[0], "undecided"
        else:
            part.state = "waits" if part.agreed_quantity < part.quantity or part.counter_on else "confirmed"
        # What waits is answered together, what was confirmed is changed by itself.
        part.form_id = f"change-{part.pk}" if part.state == "confirmed" else f"answer-{part.line.order_id}"
        getattr(shown, part.state).append(part)
    said, papers = remarks_of(orders), documents_of(orders)
    for key, shown in orders.items():
        shown.remarks, shown.documents = said[key], papers[key]
    return list(orders.values())


MOST_CASES = 50
MOST_BILLS = 50


def bills_shown(supplier: Party) -> list[tuple[Bill, Settlement]]:
    """The newest bills of a supplier that stand, and how far each is settled."""
    found = Bill.objects.filter(party=supplier, kind=Bill.Kind.BILL, reversed_by=None).order_by("-day", "-pk")
    bills = list(found[:MOST_BILLS])
    known = settlements(bills)
    return [(bill, known[bill.pk]) for bill in bills]


Head = tuple[int, str]


def to_bill(supplier: Party) -> dict[Head, list[Billable]]:
    """What the supplier may bill now, by company (id) and currency: what is ours and not billed."""
    found: dict[Head, list[Billable]] = {}
    for one in billable(Start(supplier=supplier.pk), Company.objects.values_list("pk", flat=True)):
        if one.proposed > 0:
            found.setdefault((one.line.order.company_id, one.line.order.currency), []).append(one)
    return found


def kept_shown(supplier: Party) -> list[KeptBill]:
    """Bills that the supplier entered, that wait or went back, and those that we do not book."""
    shown = (*KeptBill.OPEN, KeptBill.State.DROPPED)
    found = KeptBill.objects.filter(party=supplier, state__in=shown).select_related("company")
    return list(found.order_by("-day", "-pk")[:MOST_BILLS])


def cases_shown(supplier: Party) -> list[Claim]:
    """Rejected goods of the supplier that have no end yet, the oldest first."""
    found = Claim.objects.filter(supplier=supplier, kind=Claim.Kind.REJECTED, withdrawn_at=None)
    found = found.filter(ended__lt=F("quantity")).order_by("pk")
    return list(found.select_related("layer__item", "layer__shipment_line__instalment__line__order")[:MOST_CASES])
