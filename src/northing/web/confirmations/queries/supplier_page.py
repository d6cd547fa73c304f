"""The orders that a supplier sees through its link: its own only."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from django.db.models import Prefetch

from northing.activity.models import Document
from northing.confirmations.models import Answer
from northing.drawings.figures import written_price
from northing.masterdata.models import Agreement, Party
from northing.orders.models import Instalment, PurchaseOrder

MOST = 500


@dataclass
class OrderShown:
    """An order with its parts, by what has to happen to them."""

    order: PurchaseOrder
    waits: list[Instalment] = field(default_factory=list)
    undecided: list[Instalment] = field(default_factory=list)
    confirmed: list[Instalment] = field(default_factory=list)
    documents: list[Document] = field(default_factory=list)

    @property
    def there(self) -> list[Instalment]:
        """All of it that is still with the supplier."""
        return [*self.waits, *self.undecided, *self.confirmed]


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


def open_parts(supplier: Party):
    """Instalments of which units are still with the supplier, oldest need first."""
    answers = Prefetch("answers", Answer.objects.filter(outcome="open"), to_attr="open_answers")
    found = Instalment.objects.filter(line__order__supplier=supplier, position__with_supplier__gt=0)
    found = found.filter(line__order__sent_at__isnull=False)
    return (
        found.select_related("line__order__company", "line__item", "position")
        .prefetch_related(answers)
        .order_by("line__order", "line__number", "number")
    )


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
        # What is partly packed is agreed as it is; only whole instalments can be answered.
        part.whole = part.position.with_supplier == part.quantity
        if part.open_answers:
            part.answer = part.open_answers[0]
            shown.undecided.append(part)
        elif part.agreed_quantity < part.quantity or part.counter_on:
            shown.waits.append(part)
        else:
            shown.confirmed.append(part)
    for document in Document.objects.filter(kind="order", record__in=list(orders), shared=True):
        orders[document.record].documents.append(document)
    return list(orders.values())
