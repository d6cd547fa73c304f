"""Bringing open matters up to date in the transaction of the fact that moved them."""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal

from django.db import connection
from django.db.models import Max, Sum
from django.utils import timezone

from northing.claims.models import Claim
from northing.confirmations.models import Answer
from northing.core.confirmations.answers import Terms, differences
from northing.core.money.money import converted, rounded
from northing.core.orders.orders import net_amount
from northing.core.planning.free_time import price_of, read_tiers
from northing.core.worklist import moves
from northing.drawings.figures import money
from northing.inventory.models import OnHand
from northing.ledger.models import CostLayer
from northing.masterdata.models import Company, ExchangeRate
from northing.messaging.models import Message
from northing.orders.models import Instalment, OrderLine, PurchaseOrder
from northing.reports.clocks import Standing, standings_of
from northing.shipping.models import Container, DespatchNotice, Leg, NoticeLine, RequiredDocument, Ripple, Shipment
from northing.shipping.queries import companies_of_shipments
from northing.worklist.models import Matter
from northing.worklist.operations import MatterDraft, settle_matters

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
    found = list(PurchaseOrder.objects.filter(pk__in=list(orders)).select_related("company", "supplier"))
    # Plain rows: a file writes thousands of lines at once, and of each only its amount is needed.
    terms: dict[int, list[tuple]] = {order.pk: [] for order in found}
    columns = ("order_id", "quantity", "pack_factor", "pack_price", "net_share")
    for key, *line in OrderLine.objects.filter(order__in=terms).values_list(*columns):
        terms[key].append(line)
    for order in found:
        facts = moves.OrderFacts(
            created_on=_day(order.created_at),
            checked_on=_day(order.checked_at),
            approved_on=_day(order.approved_at),
            sent_on=_day(order.sent_at),
            need_by=order.need_by,
        )
        amounts = [net_amount(*line, order.currency) for line in terms[order.pk]]
        drafts.append(
            MatterDraft(
                kind="order",
                record=order.pk,
                company=order.company_id,
                move=moves.order_move(facts),
                subject=f"Order {order.number} to {order.supplier.name}",
                url=f"/orders/{order.pk}/",
                at_stake=stakes.base(order.company, sum(amounts, ZERO), order.currency),
                person=order.buyer_id,
            )
        )
    settle_matters(drafts)


def refresh_instalments(instalments: Iterable[int]) -> None:
    """Instalments with units at the supplier, or with an answer that waits for us."""
    keys = list(instalments)
    stakes, drafts = Stakes(), []
    answers = {answer.instalment_id: answer for answer in Answer.objects.filter(instalment__in=keys, outcome="open")}
    decided = Answer.objects.filter(instalment__in=keys, outcome__in=["refused", "countered"])
    refused = decided.values_list("instalment")
    refused = dict(refused.annotate(latest=Max("decided_at")))
    agreed = Answer.objects.filter(instalment__in=keys, outcome="accepted").values_list("instalment")
    agreed = dict(agreed.annotate(latest=Max("answered_on")))
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
            agreed_on=agreed.get(part.pk),
            promise=part.promise,
            answered_on=answer.answered_on if answer else None,
            differs=" and ".join(_differs(answer)) if answer else "",
            refused_on=_day(refused.get(part.pk)),
            countered=part.counter_on is not None,
        )
        value = net_amount(
            part.position.with_supplier, line.pack_factor, part.pack_price, part.net_share, order.currency
        )
        drafts.append(
            MatterDraft(
                kind="instalment",
                record=part.pk,
                company=order.company_id,
                move=moves.instalment_move(facts),
                subject=f"{order.number} line {line.number}: {line.item.code} {line.item.description}",
                url=f"/orders/lines/{line.pk}/",
                at_stake=stakes.base(order.company, value, order.currency),
                per_day=line.item.delay_cost,
                person=order.buyer_id,
            )
        )
    settle_matters(drafts)


def _differs(answer: Answer) -> list[str]:
    asked = Terms(answer.asked_quantity, answer.asked_on, answer.asked_pack_price)
    return differences(asked, Terms(answer.quantity, answer.ready_on, answer.pack_price))


ABOARD = """
select c.shipment_id, o.company_id, o.currency, sum(greatest(s.quantity - s.settled, 0)),
       sum(greatest(s.quantity - s.settled, 0) * n.pack_price * n.net_share / l.pack_factor)
  from shipping_stowage s
  join shipping_container c on c.id = s.container_id
  join orders_instalment n on n.id = s.instalment_id
  join orders_orderline l on l.id = n.line_id
  join orders_purchaseorder o on o.id = l.order_id
 where c.shipment_id = any(%s)
 group by c.shipment_id, o.company_id, o.currency
"""


@dataclass
class _Aboard:
    """What a company has in a shipment that is not settled: units, and their worth in base currency."""

    units: Decimal = ZERO
    value: Decimal = ZERO


def _aboard(shipments: list[int]) -> dict[tuple[int, Company], _Aboard]:
    with connection.cursor() as cursor:
        cursor.execute(ABOARD, [shipments])
        rows = cursor.fetchall()
    companies = Company.objects.in_bulk({company for _, company, *_ in rows})
    stakes, found = Stakes(), {}
    for shipment, company, currency, units, amount in rows:
        one = found.setdefault((shipment, companies[company]), _Aboard())
        one.units += units
        one.value += stakes.base(companies[company], rounded(amount, currency), currency)
    return found


def refresh_shipments(shipments: Iterable[int]) -> None:
    """Shipments on their way, one matter for each company aboard; a company that is not any more has none."""
    keys = list(shipments)
    found = Shipment.objects.prefetch_related("customs_entries").in_bulk(keys)
    mains = {leg.shipment_id: leg for leg in Leg.objects.filter(shipment__in=keys, main=True)}
    aboard = _aboard(keys)
    drafts = []
    for (key, company), goods in aboard.items():
        shipment, main = found[key], mains.get(key)
        entries = {entry.company_id: entry.day for entry in shipment.customs_entries.all()}
        facts = moves.ShipmentFacts(
            created_on=_day(shipment.created_at),
            packed_something=True,
            open_quantity=goods.units,
            departure=main.expected_start if main else None,
            arrival=main.expected_end if main else None,
            dock=shipment.expected_dock,
            departed_on=shipment.departed_on,
            arrived_on=shipment.arrived_on,
            entry_on=entries.get(company.pk),
        )
        drafts.append(
            MatterDraft(
                kind="shipment",
                record=key,
                company=company.pk,
                move=moves.shipment_move(facts),
                subject=f"Shipment {shipment.reference}",
                url=f"/shipping/{key}/",
                at_stake=goods.value,
            )
        )
    standing_before = Matter.objects.filter(kind="shipment", record__in=keys).values_list("record", "company")
    gone = {*standing_before} - {(key, company.pk) for key, company in aboard}
    settle_matters([*drafts, *(MatterDraft("shipment", key, company, None) for key, company in gone)])
    refresh_clocks(keys)
    refresh_papers(keys)


def refresh_papers(shipments: Iterable[int]) -> None:
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
                    kind="paper",
                    record=paper.pk,
                    company=company,
                    move=move,
                    subject=f"{paper} of {paper.shipment.reference}",
                    url=f"/shipping/{paper.shipment_id}/#papers",
                    person=paper.owner_id if paper.party == moves.US else None,
                )
            )
    known = {(draft.record, draft.company) for draft in drafts}
    before = Matter.objects.filter(kind="paper", record__in=[paper.pk for paper in papers])
    gone = {*before.values_list("record", "company")} - known
    settle_matters([*drafts, *(MatterDraft("paper", key, company, None) for key, company in gone)])


def refresh_notices(notices: Iterable[int]) -> None:
    """Despatch notices that wait to be taken: ours, for each company whose orders they name."""
    drafts = []
    found = DespatchNotice.objects.filter(pk__in=list(notices)).select_related("supplier")
    named = NoticeLine.objects.filter(notice__in=found, order_line__isnull=False).order_by()
    pairs = set(named.values_list("notice", "order_line__order__company").distinct())
    for notice in found:
        waits = None
        if notice.state == DespatchNotice.State.SHOWN:
            waits = moves.Move(moves.US, "a despatch notice to be taken or dropped", _day(notice.made_at))
        subject = f"Despatch notice {notice.number} of {notice.supplier or 'a forwarder'}"
        url = f"/shipping/notices/{notice.pk}/"
        drafts += [
            MatterDraft("notice", notice.pk, company, waits, subject, url) for key, company in pairs if key == notice.pk
        ]
    settle_matters(drafts)


def refresh_ripples(ripples: Iterable[int]) -> None:
    """What machines moved, for the people who own the lines: ours until it is seen."""
    drafts = []
    for ripple in Ripple.objects.filter(pk__in=list(ripples)):
        count = len(ripple.lines)
        reason = f"{ripple.source} moved {count} line{'s' if count > 1 else ''}"
        reason += f"; {ripple.broken} need-by broken, {ripple.saved} saved"
        waits = None if ripple.seen_at else moves.Move(moves.US, reason, _day(ripple.at))
        url = f"/shipping/moved/{ripple.pk}/"
        drafts.append(
            MatterDraft("ripple", ripple.pk, ripple.company_id, waits, "Dates were moved", url, person=ripple.person_id)
        )
    settle_matters(drafts)


BOXES = """
select distinct s.container_id, o.company_id
  from shipping_stowage s
  join orders_instalment n on n.id = s.instalment_id
  join orders_orderline l on l.id = n.line_id
  join orders_purchaseorder o on o.id = l.order_id
 where s.container_id = any(%s)
"""


def refresh_clocks(shipments: Iterable[int]) -> None:
    """Containers whose free time runs: one matter for each company that had goods in it, until the clock ends."""
    keys = list(shipments)
    boxes = Container.objects.filter(shipment__in=keys, shipment__arrived_on__isnull=False)
    boxes = list(boxes.select_related("shipment__voyage__carrier", "shipment__discharge_port").order_by("pk"))
    if not boxes:
        return
    running: dict[int, Standing] = {}
    for one in standings_of(boxes):
        if one.ended is None:
            # Of several clocks the one that is free for the shortest time.
            first = running.setdefault(one.container.pk, one)
            running[one.container.pk] = min(first, one, key=lambda each: each.free_until)
    with connection.cursor() as cursor:
        cursor.execute(BOXES, [[box.pk for box in boxes]])
        aboard = cursor.fetchall()
    companies = Company.objects.in_bulk({company for _, company in aboard})
    drafts, stakes = [], Stakes()
    for box, company in aboard:
        found = running.get(box)
        draft = MatterDraft("container", box, company, None)
        if found is not None:
            free, number = found.free, found.container.number
            price = price_of(read_tiers(free.tiers), 1)
            said = f"{free.currency} {money(price, free.currency)}"
            draft = MatterDraft(
                kind="container",
                record=box,
                company=company,
                move=moves.clock_move(moves.ClockFacts(found.out, found.started, found.free_until, said)),
                subject=f"Container {number} of {found.container.shipment.reference}",
                url=f"/shipping/{found.container.shipment_id}/",
                per_day=stakes.base(companies[company], price, free.currency),
            )
        drafts.append(draft)
    settle_matters(drafts)


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
    found = Claim.objects.filter(pk__in=list(cases)).select_related("layer__item", "supplier")
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
                url=f"/claims/{case.pk}/",
                at_stake=round(cost, 2),
            )
        )
    settle_matters(drafts)


def refresh_letters(letters: Iterable[int]) -> None:
    """Letters that failed for good: ours."""
    drafts = []
    for letter in Message.objects.filter(pk__in=list(letters), company__isnull=False).select_related("supplier"):
        failed = letter.state == Message.State.FAILED
        waits = moves.Move(moves.US, f"letter failed: {letter.error}"[:240], _day(letter.made_at)) if failed else None
        subject = f"Letter to {letter.supplier or letter.recipient}: {letter.subject}"
        drafts.append(MatterDraft("letter", letter.pk, letter.company_id, waits, subject, "/confirmations/chasers/"))
    settle_matters(drafts)


def letter_changed(letter: Message) -> None:
    """A letter was sent, was put off, or has failed."""
    refresh_letters([letter.pk])
