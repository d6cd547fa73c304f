"""Bringing open matters up to date in the transaction of the fact that moved them."""

from collections.abc import Iterable
from decimal import Decimal

from django.db.models import Sum
from django.utils import timezone

from northing.confirmations.models import Answer
from northing.core import moves
from northing.core.agreeing import Terms, differences
from northing.core.money import converted
from northing.core.ordering import net_amount
from northing.directory.models import Company, ExchangeRate
from northing.ledger.models import CostLayer, OnHand
from northing.orders.models import Instalment, PurchaseOrder
from northing.quality.models import Case
from northing.shipping.models import Leg, Shipment, Stowage
from northing.standing.operations import MatterDraft, settle_matters

ZERO = Decimal(0)


def _day(instant):
    return timezone.localdate(instant) if instant else None


class Stakes:
    """Amounts in base currency at the newest book rate, whatever its age; 0 where none was ever entered."""

    def __init__(self):
        self._rates: dict[tuple[int, str], Decimal] = {}

    def base(self, company, amount: Decimal, currency: str) -> Decimal:
        if currency == company.currency:
            return amount
        key = (company.pk, currency)
        if key not in self._rates:
            newest = ExchangeRate.objects.filter(company=company, currency=currency, purpose="book").order_by("-day")
            self._rates[key] = newest.values_list("rate", flat=True).first() or ZERO
        return converted(amount, self._rates[key], company.currency)


def refresh_orders(orders: Iterable[int]) -> None:
    """Orders on their way out: check, approve, send."""
    stakes, drafts = Stakes(), []
    found = PurchaseOrder.objects.filter(pk__in=list(orders)).select_related("company", "supplier")
    for order in found.prefetch_related("lines"):
        facts = moves.OrderFacts(
            created_on=_day(order.created_at),
            checked_on=_day(order.checked_at),
            approved_on=_day(order.approved_at),
            sent_on=_day(order.sent_at),
            need_by=order.need_by,
        )
        amounts = [
            net_amount(line.quantity, line.pack_factor, line.pack_price, line.discount, order.currency)
            for line in order.lines.all()
        ]
        drafts.append(
            MatterDraft(
                kind="order",
                record=order.pk,
                company=order.company_id,
                move=moves.order_move(facts),
                subject=f"Order {order.number} to {order.supplier.name}",
                url=f"/orders/{order.pk}/",
                at_stake=stakes.base(order.company, sum(amounts, ZERO), order.currency),
            )
        )
    settle_matters(drafts)


def refresh_instalments(instalments: Iterable[int]) -> None:
    """Instalments with units at the supplier, or with an answer that waits for us."""
    keys = list(instalments)
    stakes, drafts = Stakes(), []
    answers = {answer.instalment_id: answer for answer in Answer.objects.filter(instalment__in=keys, outcome="open")}
    parts = Instalment.objects.filter(pk__in=keys).select_related(
        "position", "line__order__company", "line__order__supplier", "line__item"
    )
    for part in parts:
        line, order, answer = part.line, part.line.order, answers.get(part.pk)
        facts = moves.InstalmentFacts(
            with_supplier=part.position.with_supplier,
            agreed=part.agreed_quantity,
            quantity=part.quantity,
            sent_on=_day(order.sent_at),
            asked_on=part.asked_on,
            agreed_on=None,
            promise=part.promise,
            answered_on=answer.answered_on if answer else None,
            differs=" and ".join(_differs(answer)) if answer else "",
        )
        value = net_amount(
            part.position.with_supplier, line.pack_factor, part.pack_price, line.discount, order.currency
        )
        drafts.append(
            MatterDraft(
                kind="instalment",
                record=part.pk,
                company=order.company_id,
                move=moves.instalment_move(facts),
                subject=f"{order.number} line {line.number}: {line.item.code} {line.item.description}",
                url=f"/lines/{line.pk}/",
                at_stake=stakes.base(order.company, value, order.currency),
            )
        )
    settle_matters(drafts)


def _differs(answer: Answer) -> list[str]:
    asked = Terms(answer.asked_quantity, answer.asked_on, answer.asked_pack_price)
    return differences(asked, Terms(answer.quantity, answer.ready_on, answer.pack_price))


ABOARD = (
    "instalment__line__order__company",
    "quantity",
    "settled",
    "instalment__line__pack_factor",
    "instalment__pack_price",
    "instalment__line__discount",
    "instalment__line__order__currency",
)


def refresh_shipments(shipments: Iterable[int]) -> None:
    """Shipments on their way, one matter for each company aboard."""
    stakes, drafts = Stakes(), []
    for shipment in Shipment.objects.filter(pk__in=list(shipments)).prefetch_related("customs_entries"):
        aboard: dict[int, list[tuple]] = {}
        for company, *part in Stowage.objects.filter(container__shipment=shipment).values_list(*ABOARD).iterator():
            aboard.setdefault(company, []).append(part)
        companies = Company.objects.in_bulk(aboard)
        main = Leg.objects.filter(shipment=shipment, main=True).first()
        entries = {entry.company_id: entry.day for entry in shipment.customs_entries.all()}
        for key, parts in aboard.items():
            facts = moves.ShipmentFacts(
                created_on=_day(shipment.created_at),
                packed_something=bool(parts),
                open_quantity=sum((max(quantity - settled, ZERO) for quantity, settled, *_ in parts), ZERO),
                departure=main.expected_start if main else None,
                arrival=main.expected_end if main else None,
                dock=shipment.expected_dock,
                departed_on=shipment.departed_on,
                arrived_on=shipment.arrived_on,
                entry_on=entries.get(key),
            )
            drafts.append(
                MatterDraft(
                    kind="shipment",
                    record=shipment.pk,
                    company=key,
                    move=moves.shipment_move(facts),
                    subject=f"Shipment {shipment.reference}",
                    url=f"/passage/{shipment.pk}/",
                    at_stake=sum((_open_value(part, companies[key], stakes) for part in parts), ZERO),
                )
            )
    settle_matters(drafts)


def _open_value(part: tuple, company: Company, stakes: Stakes) -> Decimal:
    """What the units of a part that are not settled yet are worth, in base currency."""
    quantity, settled, pack_factor, pack_price, discount, currency = part
    if settled >= quantity:
        return ZERO
    return stakes.base(company, net_amount(quantity - settled, pack_factor, pack_price, discount, currency), currency)


def refresh_layers(layers: Iterable[int]) -> None:
    """Layers with held units: quality's move."""
    keys = list(layers)
    held = dict(
        OnHand.objects.filter(layer__in=keys, status="held").values_list("layer").annotate(total=Sum("quantity"))
    )
    drafts = []
    for layer in CostLayer.objects.filter(pk__in=keys, kind="stock").select_related("item"):
        quantity = held.get(layer.pk) or ZERO
        waits = moves.Move(moves.QUALITY, "held, to be inspected", layer.occurred_on) if quantity else None
        value = layer.value * quantity / layer.remaining if layer.remaining else ZERO
        drafts.append(
            MatterDraft(
                kind="layer",
                record=layer.pk,
                company=layer.company_id,
                move=waits,
                subject=f"{quantity.normalize():f} {layer.item.unit} {layer.item.code} {layer.item.description}",
                url=f"/quality/{layer.pk}/inspect/",
                at_stake=round(value, 2),
            )
        )
    settle_matters(drafts)


def refresh_cases(cases: Iterable[int]) -> None:
    """Cases with units that have no end yet: ours."""
    drafts = []
    found = Case.objects.filter(pk__in=list(cases)).select_related("layer__item", "supplier")
    for case in found:
        reason = f"{case.kind}: {case.reason or 'no reason given'}; settle with {case.supplier.name}"
        waits = moves.Move(moves.US, reason, case.opened_on) if case.open_quantity else None
        cost = case.layer.total_cost * case.open_quantity / case.layer.received if case.layer.received else ZERO
        drafts.append(
            MatterDraft(
                kind="case",
                record=case.pk,
                company=case.company_id,
                move=waits,
                subject=f"Case {case.pk}: {case.open_quantity.normalize():f} {case.layer.item.code}",
                url=f"/quality/cases/{case.pk}/",
                at_stake=round(cost, 2),
            )
        )
    settle_matters(drafts)
