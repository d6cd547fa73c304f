"""Acts on open matters on the spot: each row that waits carries the act that ends the waiting."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from django.db.models import F
from django.urls import reverse
from django.utils import timezone

from northing.access.permissions import may
from northing.access.queries import scoped
from northing.billing.models import Bill
from northing.confirmations.models import Answer
from northing.core.orders.orders import asks_second_person
from northing.core.worklist.moves import ACCOUNTS, CARRIER, CUSTOMS, DOCK, QUALITY, TO_PAY, TO_RELEASE
from northing.customs.models import CustomsEntry, Release
from northing.drawings.figures import count, price
from northing.messaging.models import Message
from northing.orders.models import Instalment, PurchaseOrder
from northing.payments.models import AskedPayment
from northing.shipping.models import Leg, ShipmentLine
from northing.shipping.queries import first_carried
from northing.worklist.models import Matter

ZERO = Decimal(0)


@dataclass(frozen=True)
class Act:
    """A button of a row: sent with `fields` where it acts, a link where there is something to enter."""

    words: str
    address: str
    permission: str
    letter: str = ""
    fields: dict[str, str] | None = None
    title: str = ""
    record: int = 0
    # People (ids) who may not do it, whatever their roles.
    not_by: tuple[int | None, ...] = ()

    @property
    def marked(self) -> tuple[str, str, str]:
        """The words before, at and after the letter that does it."""
        at = self.words.lower().find(self.letter) if self.letter else -1
        return (self.words, "", "") if at < 0 else (self.words[:at], self.words[at], self.words[at + 1 :])


def acts_of(matters: Sequence[Matter], person) -> dict[int, list[Act]]:
    """The acts for each matter (id) that the person may do; one or two queries for each kind of record."""
    by_kind: dict[str, list[Matter]] = {}
    for matter in matters:
        by_kind.setdefault(matter.kind, []).append(matter)
    found: dict[int, list[Act]] = {}
    for kind, some in by_kind.items():
        for matter, act in FOR[kind](some) if kind in FOR else ():
            if person.pk not in act.not_by and may(person, act.permission, matter.company_id):
                found.setdefault(matter.pk, []).append(act)
    return found


def acts_on(kind: str, record: int, person) -> list[Act]:
    """The acts on one record's open matters, for its own page; one of each, though several companies wait for it."""
    matters = list(scoped(Matter.objects.filter(kind=kind, record=record), person).order_by("pk"))
    found = acts_of(matters, person)
    return list({act.address: act for matter in matters for act in found.get(matter.pk, ())}.values())


def acts_on_each(kind: str, records: Sequence[int], person) -> dict[int, list[Act]]:
    """The acts on the open matters of records (ids) of a kind, by record, for a list of them."""
    matters = list(scoped(Matter.objects.filter(kind=kind, record__in=records), person).order_by("pk"))
    found = acts_of(matters, person)
    return {matter.record: found[matter.pk] for matter in matters if matter.pk in found}


Offered = list[tuple[Matter, Act]]


def _orders(matters: Sequence[Matter]) -> Offered:
    """Send; where a second person is needed check, and approve and send."""
    found = PurchaseOrder.objects.filter(pk__in=[matter.record for matter in matters]).select_related("company")
    known = {order.pk: order for order in found}
    offered = []
    for matter in matters:
        order = known[matter.record]
        # Nothing is at stake of an order whose currency has no rate: its amount is unknown.
        if order.approved_at or not asks_second_person(order.company.approval_above, matter.at_stake or None):
            offered.append((matter, _post("Send", "send", order.pk, "send_order", "s")))
        elif order.checked_at:
            approve = _post("Approve and send", "approve-and-send", order.pk, "approve_order", "a")
            offered.append((matter, replace(approve, not_by=(order.buyer_id, order.checked_by_id))))
        else:
            offered.append((matter, _post("Check", "check", order.pk, "check_order", "c")))
    return offered


def _unbilled(matters: Sequence[Matter]) -> Offered:
    """Enter the bill: what is ours is proposed."""
    address = reverse("supplier-bill")
    return [(one, Act("Bill", f"{address}?order={one.record}", "book_bill", "b")) for one in matters]


def _deposits(matters: Sequence[Matter]) -> Offered:
    """Pay the deposit: what is due of it is proposed."""
    return [(one, Act("Pay", f"{reverse('pay')}?order={one.record}", "pay", "p")) for one in matters]


def _bills(matters: Sequence[Matter]) -> Offered:
    """Approve for payment, by another person than who entered it; accept what is in dispute."""
    entered = dict(Bill.objects.filter(pk__in=[one.record for one in matters]).values_list("pk", "entered_by"))
    offered = []
    for one in matters:
        if one.party == ACCOUNTS:
            act = Act("Approve", reverse("bill-act", args=[one.record, "approve"]), "approve_bill", "a", {})
            offered.append((one, replace(act, record=one.record, not_by=(entered[one.record],))))
        else:
            act = Act("Accept", reverse("bill-act", args=[one.record, "end-dispute"]), "book_bill", "a", {})
            offered.append((one, replace(act, record=one.record)))
    return offered


def _kept(matters: Sequence[Matter]) -> Offered:
    """Look at the bill beside what is ours, and book it."""
    return [
        (one, Act("Book it", f"{reverse('supplier-bill')}?kept={one.record}", "book_bill", "b"))
        for one in matters
        if one.party == ACCOUNTS
    ]


def _asked(matters: Sequence[Matter]) -> Offered:
    """Approve a payment, by another person than who asked for it."""
    by = dict(AskedPayment.objects.filter(pk__in=[one.record for one in matters]).values_list("pk", "asked_by"))
    offered = []
    for one in matters:
        act = Act("Approve", reverse("asked-act", args=[one.record, "approve"]), "approve_bill", "a", {})
        offered.append((one, replace(act, record=one.record, not_by=(by[one.record],))))
    return offered


def _post(words: str, name: str, record: int, permission: str, letter: str, **fields: str) -> Act:
    return Act(words, reverse(name, args=[record]), permission, letter, fields, record=record)


def _instalments(matters: Sequence[Matter]) -> Offered:
    """Accept what a supplier answered, or chase the one who has not."""
    by_part = {matter.record: matter for matter in matters}
    answers = Answer.objects.filter(instalment__in=by_part, outcome="open").select_related("instalment__line__order")
    offered = [(by_part[answer.instalment_id], _accept(answer)) for answer in answers]
    silent = [key for key, matter in by_part.items() if matter.reason == "has not answered"]
    rows = Instalment.objects.filter(pk__in=silent).values_list(
        "pk", "line__order__supplier", "line__order__supplier__name"
    )
    for part, supplier, name in rows:
        title = f"One letter with all unanswered lines of {name}"
        chase = Act("Chase", reverse("chase", args=[supplier]), "chase", "c", {"how": "unanswered"}, title, supplier)
        offered.append((by_part[part], chase))
    return offered


def _accept(answer: Answer) -> Act:
    """Accept, with what differs in the words of the button."""
    if answer.quantity != answer.asked_quantity:
        differs = count(answer.quantity)
    elif answer.ready_on != answer.asked_on:
        differs = f"{answer.ready_on:%-d %b}"
    else:
        differs = price(answer.pack_price, answer.instalment.line.order.currency)
    fields = {"accept": str(answer.pk)}
    return Act(f"Accept {differs}", reverse("decide-many"), "decide_answer", "a", fields, record=answer.pk)


def _shipments(matters: Sequence[Matter]) -> Offered:
    """The acts on a shipment: load, what happened today, its customs entry, its receipt."""
    legs: dict[int, list[Leg]] = {}
    for leg in Leg.objects.filter(shipment__in=[one.record for one in matters]).order_by("shipment", "number"):
        legs.setdefault(leg.shipment_id, []).append(leg)
    at_dock = _open_boxes([matter.record for matter in matters if matter.party == DOCK])
    unreleased = _unreleased([matter.record for matter in matters if matter.reason == TO_RELEASE])
    offered = []
    for matter in matters:
        if matter.party == DOCK:
            acts = [_receive(*box) for box in at_dock.get((matter.record, matter.company_id), ())]
        else:
            acts = [_on_the_way(matter, legs.get(matter.record, []), unreleased)]
        offered += [(matter, act) for act in acts if act]
    return offered


# Of a shipment so many containers are offered; the dock's page has them all.
BOXES = 3


def _open_boxes(shipments: Sequence[int]) -> dict[tuple[int, int], list[tuple[int, int, str]]]:
    """Containers with goods to come, with their site: by shipment and company (ids)."""
    found = ShipmentLine.objects.filter(container__shipment__in=shipments, accounted__lt=F("quantity"))
    columns = ("container__shipment", "instalment__line__order__company", "container", "instalment__line__order__site")
    rows = (
        found.order_by("container__number").values_list(*columns, "container__number").distinct() if shipments else ()
    )
    boxes: dict[tuple[int, int], list[tuple[int, int, str]]] = {}
    for shipment, company, *box in rows:
        if len(boxes.setdefault((shipment, company), [])) < BOXES:
            boxes[shipment, company].append((box[0], box[1], box[2]))
    return boxes


def _receive(container: int, site: int, number: str) -> Act:
    return Act("Receive", reverse("receive", args=[container, site]), "receive", "r", title=f"Container {number}")


def _unreleased(shipments: Sequence[int]) -> dict[tuple[int, int], str]:
    """Where the release of goods is recorded, by shipment and company (ids), where one entry waits for it."""
    standing = CustomsEntry.objects.filter(shipments__in=shipments, reversed_by=None)
    rows = standing.exclude(releases__in=Release.objects.filter(withdrawn_at=None)) if shipments else standing.none()
    found: dict[tuple[int, int], list[int]] = {}
    for shipment, company, entry in rows.order_by("pk").values_list("shipments", "company", "pk"):
        found.setdefault((shipment, company), []).append(entry)
    return {key: reverse("release-goods", args=[some[0]]) for key, some in found.items() if len(some) == 1}


def _on_the_way(matter: Matter, legs: Sequence[Leg], unreleased: Mapping[tuple[int, int], str]) -> Act | None:
    """Up to the dock: what is to be entered about the shipment next."""
    key = matter.record
    page = reverse("customs", args=[key, matter.company_id])
    if matter.reason == TO_RELEASE:
        return Act("Released", unreleased.get((key, matter.company_id), page), "book_customs_entry", "b")
    if matter.reason == TO_PAY:
        return Act("Pay the office", page, "pay", "p")
    if matter.party == CUSTOMS:
        return Act("Book entry", page, "book_customs_entry", "b")
    if matter.party == CARRIER:
        departs = matter.reason == "to depart"
        leg = first_carried(legs) if departs else next((leg for leg in legs if leg.main), None)
        words, milestone = ("Departed today", "departure") if departs else ("Arrived today", "arrival")
        fields = {"milestone": milestone, "kind": "actual", "value": timezone.localdate().isoformat()}
        return leg and _post(words, "say-date", key, "say_dates", "d", leg=str(leg.pk), **fields)
    if legs:
        return None
    return Act("Load", reverse("load", args=[key]), "pack", "p")


def _layers(matters: Sequence[Matter]) -> Offered:
    return [
        (matter, Act("Inspect", reverse("inspect", args=[matter.record]), "inspect", "i"))
        for matter in matters
        if matter.party == QUALITY
    ]


def _notices(matters: Sequence[Matter]) -> Offered:
    return [(matter, Act("Read", reverse("notice", args=[matter.record]), "pack", "r")) for matter in matters]


def _letters(matters: Sequence[Matter]) -> Offered:
    failed = set(
        Message.objects.filter(pk__in=[one.record for one in matters], state="failed").values_list("pk", flat=True)
    )
    return [
        (matter, _post("Try again", "send-again", matter.record, "chase", "t"))
        for matter in matters
        if matter.record in failed
    ]


def _rates(matters: Sequence[Matter]) -> Offered:
    """Believe a rate that jumps, or drop it."""
    offered = []
    for one in matters:
        address = reverse("asked-rate", args=[one.record])
        offered.append((one, Act("It is right", address, "enter_rate", "r", {"believe": "yes"}, record=one.record)))
        offered.append((one, Act("Drop it", address, "enter_rate", "d", {"drop": "yes"}, record=one.record)))
    return offered


def _receipts(matters: Sequence[Matter]) -> Offered:
    """Declare what came unpacked."""
    return [
        (one, Act("Book entry", reverse("customs-unpacked", args=[one.record]), "book_customs_entry", "b"))
        for one in matters
    ]


FOR: dict[str, Callable[[Sequence[Matter]], Offered]] = {
    "order": _orders,
    "unbilled": _unbilled,
    "bill": _bills,
    "deposit": _deposits,
    "kept bill": _kept,
    "payment": _asked,
    "instalment": _instalments,
    "shipment": _shipments,
    "layer": _layers,
    "notice": _notices,
    "letter": _letters,
    "rate": _rates,
    "receipt": _receipts,
}
