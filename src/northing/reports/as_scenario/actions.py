"""The actions of a scenario: what happened to the lines it reaches, in the order in which it was recorded."""

from collections import defaultdict
from collections.abc import Iterator
from decimal import Decimal
from typing import Any

from django.db.models import Q

from northing.activity.models import HistoryEntry
from northing.billing.models import Bill, BillLine
from northing.core.money.exact import divide, plain
from northing.costing.models import Charge, ChargeShare
from northing.orders.models import Instalment, OrderLine
from northing.payments.models import PaymentPart
from northing.receiving.models import Receipt, ReceiptLine
from northing.reports.as_scenario.customs import CUSTOMS
from northing.reports.as_scenario.reach import Reach
from northing.reports.as_scenario.recorded import Recorded, action, reversal
from northing.reports.as_scenario.stock import STOCK
from northing.reports.as_scenario.world import Names, priced_parts
from northing.shipping.models import DateStatement, Shipment, ShipmentLine

ZERO = Decimal(0)


def actions_of(reach: Reach, names: Names) -> list[dict[str, Any]]:
    """All actions, oldest first. A fact that was reversed is there with its reversal."""
    found: list[Recorded] = []
    money = (_charges, _bills, _spreads, _payments, *CUSTOMS)
    for part in (_orders, _shipments, *money, _receipts, *STOCK):
        found += part(reach, names)
    found.sort(key=lambda one: one[:2])
    return [one for _, _, one in found]


def _orders(reach: Reach, names: Names) -> Iterator[Recorded]:
    for key, order in names.orders.items():
        if not order.sent_at:
            continue
        lines = [line for line in names.lines if line.order_id == key]
        facts = {
            "id": names.of("order", key),
            "company": names.of("company", order.company_id),
            "supplier": names.of("party", order.supplier_id),
            "site": names.of("site", order.site_id),
            "incoterm": order.incoterm,
            "ours_from": order.ours_from.replace("_", " "),
            "lines": [_line(line, names) for line in lines],
        }
        yield order.sent_at, 0, action("order", order.sent_at.date(), **facts)


def _line(line: OrderLine, names: Names) -> dict[str, Any]:
    all_parts = list(line.instalments.all())
    facts: dict[str, Any] = {
        "item": names.of("item", line.item_id),
        "quantity": plain(sum((one.quantity for one in all_parts), ZERO)),
        "price": _price(all_parts[0], line),
    }
    if parts := priced_parts(line):
        facts["parts"] = [
            {"quantity": plain(one.quantity), "ready": one.asked_on.isoformat(), "price": _price(one, line)}
            for one in parts
        ]
    return facts


def _price(part: Instalment, line: OrderLine) -> str:
    """What a base unit of a part costs, after discounts."""
    return plain(divide(part.pack_price * part.net_share, line.pack_factor, 10))


def _shipments(reach: Reach, names: Names) -> Iterator[Recorded]:
    for shipment in Shipment.objects.filter(pk__in=reach.shipments).order_by("pk"):
        name = names.of("shipment", shipment.pk)
        parts = _packed(shipment, reach, names)
        packed = HistoryEntry.objects.filter(links__kind="shipment", links__record=shipment.pk).order_by("pk")
        begun = packed.filter(action__in=("stow", "load", "build", "open_afloat")).last()
        at = begun.at if begun else shipment.created_at
        of_voyage = Q(call__voyage=shipment.voyage_id, call__isnull=False)
        said = DateStatement.objects.filter(Q(leg__shipment=shipment) | of_voyage, kind="actual", retracted=False)
        days = {"departs": shipment.departed_on or at.date(), "arrives": shipment.arrived_on}
        days = {key: day.isoformat() for key, day in days.items() if day}
        yield at, 1, action("ship", at.date(), id=name, parts=parts, **days)
        for do, milestone, day in (
            ("depart", "departure", shipment.departed_on),
            ("arrive", "arrival", shipment.arrived_on),
        ):
            if day:
                told = said.filter(milestone=milestone, value=day).order_by("-said_at").first()
                yield told.said_at if told else at, 3 if do == "depart" else 5, action(do, day, shipment=name)


def _packed(shipment: Shipment, reach: Reach, names: Names) -> list[dict[str, str]]:
    """The packed goods: those in the containers, and those that the dock did not find in one that it emptied."""
    of_shipment = {"container__shipment": shipment, "instalment__line__in": reach.lines}
    held = ShipmentLine.objects.filter(**of_shipment).select_related("instalment").order_by("pk")
    rows = [(one.pk, one.instalment, one.container_id, one.quantity) for one in held]
    lines = ReceiptLine.objects.filter(back__gt=0, receipt__reversed_by=None, receipt__container__shipment=shipment)
    lines = lines.filter(instalment__line__in=reach.lines).select_related("instalment", "receipt").order_by("pk")
    rows += [(line.shipment_line_id, line.instalment, line.receipt.container_id, line.back) for line in lines]
    found: dict[int, dict[str, str]] = {}
    units: dict[int, Decimal] = defaultdict(Decimal)
    for key, part, box, quantity in rows:
        units[key] += quantity
        found.setdefault(key, {"line": names.part(part), "container": names.of("container", box)})
    return [{**found[key], "quantity": plain(units[key])} for key in sorted(found)]


def _over(charge: Charge, names: Names) -> dict[str, list[str]]:
    return {
        "shipments": [names.of("shipment", one.pk) for one in charge.shipments.order_by("pk")],
        "containers": [names.box(box) for box in charge.containers.order_by("pk")],
        "lines": [names.of("line", one.pk) for one in charge.lines.order_by("pk")],
    }


def _kind(charge: Charge, names: Names) -> dict[str, Any]:
    return {"kind": charge.kind, "basis": _basis(charge), "over": _over(charge, names)}


def _basis(charge: Charge) -> str:
    """The basis that a charge begins with; shares by hand are given later."""
    return Charge.Basis.EQUAL if charge.basis == Charge.Basis.BY_HAND else charge.basis


def _spreads(reach: Reach, names: Names) -> Iterator[Recorded]:
    """Shares by hand, as they are after the last that happened to their charge."""
    by_hand = Charge.objects.filter(pk__in=reach.charges, basis=Charge.Basis.BY_HAND)
    for charge in by_hand.exclude(kind__in=(Charge.Kind.DUTY, Charge.Kind.IMPORT_TAX)).order_by("pk"):
        last = HistoryEntry.objects.filter(links__kind="charge", links__record=charge.pk).order_by("pk").last()
        if last is None or charge.ended:
            continue
        shares = charge.shares.select_related("shipment_line__container").order_by("pk")
        rows = [_hand_share(share, names) for share in shares]
        yield last.at, 8, action("spread", last.occurred_on, charge=_charge_name(charge, names), shares=rows)


def _hand_share(share: ChargeShare, names: Names) -> dict[str, str]:
    said = {"line": names.of("line", share.order_line_id), "amount": plain(share.amount)}
    box = share.shipment_line.container if share.shipment_line else None
    if box is not None:
        said["container"] = names.box(box)
    return said


def _charge_name(charge: Charge, names: Names) -> str:
    """The name of a charge: its own, or that of the bill line it began with."""
    if charge.estimated is not None:
        return names.of("charge", charge.pk)
    first = BillLine.objects.filter(charge=charge).order_by("pk")[0]
    return f"{names.of('bill', first.bill_id)}/{first.number}"


def _charges(reach: Reach, names: Names) -> Iterator[Recorded]:
    for charge in Charge.objects.filter(pk__in=reach.charges, estimated__isnull=False).order_by("pk"):
        told = HistoryEntry.objects.filter(links__kind="charge", links__record=charge.pk).order_by("pk")
        entered = told.filter(action="enter_estimate").first()
        if entered is None:
            continue
        name = names.of("charge", charge.pk)
        facts = {"company": names.of("company", charge.company_id), "payee": names.of("party", charge.payee_id)}
        facts |= {"amount": plain(charge.estimated), "currency": charge.estimated_currency} | _kind(charge, names)
        facts |= {"remark": charge.remark} if charge.remark else {}
        yield entered.at, 2, action("charge", charge.estimated_on, id=name, **facts)
        ended = told.filter(action="end_estimate").first()
        if ended is not None:
            yield ended.at, 7, action("end", ended.occurred_on, charge=name)


def _bills(reach: Reach, names: Names) -> Iterator[Recorded]:
    in_reach = Q(charge__in=reach.charges) | Q(order_line__in=reach.lines) | Q(case__layer__in=reach.layers)
    of_lines = Q(pk__in=BillLine.objects.filter(in_reach).values("bill"))
    bills = Bill.objects.filter(of_lines).distinct().order_by("pk")
    for bill in bills.select_related("party", "reversed_by", "company"):
        name = names.of("bill", bill.pk)
        lines = bill.lines.filter(in_reach).select_related("charge", "case", "bill").order_by("number")
        facts = {
            "id": name,
            {"customs": "office"}.get(bill.party.kind, bill.party.kind): names.of("party", bill.party_id),
            "company": names.of("company", bill.company_id),
            "number": name,
            "currency": bill.currency,
            "rate": plain(bill.rate) if bill.currency != bill.company.currency else None,
            "tax": plain(bill.tax),
            "lines": [_bill_line(line, names) for line in lines],
            "accept": True if any(line.order_line_id for line in lines) else None,
        }
        facts = {key: value for key, value in facts.items() if value is not None}
        # What is about a case comes after what opened it.
        yield bill.at, 8 if any(line.case_id for line in lines) else 4, action(bill.kind, bill.day, **facts)
        yield from reversal(bill, name)


def _bill_line(line: BillLine, names: Names) -> dict[str, Any]:
    """A line of goods, of an estimate, of a charge that an earlier bill began, or of a charge of its own."""
    if line.case:
        into = {"into": line.into} if line.into else {}
        return {"case": names.case(line.case), "amount": plain(line.amount)} | into
    if line.order_line_id and line.bill.kind == Bill.Kind.CREDIT:
        return {"line": names.of("line", line.order_line_id), "amount": plain(line.amount)}
    if line.order_line_id:
        units = {"line": names.of("line", line.order_line_id), "quantity": plain(line.quantity)}
        return units | {"amount": plain(line.amount)}
    facts: dict[str, Any] = {"amount": plain(line.amount), "final": line.final}
    charge = line.charge
    first = BillLine.objects.filter(charge=charge).order_by("pk").first()
    if charge.estimated is not None or first is not None and first.pk != line.pk:
        facts["charge"] = _charge_name(charge, names)
    if charge.goods.exists():
        # It lies over the goods of its bill, as a line that names nothing does.
        return facts | {"kind": charge.kind, "basis": _basis(charge)}
    return facts | _kind(charge, names)


def _payments(reach: Reach, names: Names) -> Iterator[Recorded]:
    """Each part of a payment by itself, at what the money for it was worth; with what is set off as a whole."""
    which = Q(order__in=names.orders) | Q(bill__lines__order_line__in=reach.lines)
    which |= Q(bill__lines__case__layer__in=reach.layers)
    parts = PaymentPart.objects.filter(pk__in=PaymentPart.objects.filter(which).values("pk"))
    by_payment: dict[int, list[PaymentPart]] = defaultdict(list)
    for part in parts.select_related("bill", "payment__company", "payment__reversed_by").order_by("pk"):
        by_payment[part.payment_id].append(part)
    for some in by_payment.values():
        if any(part.set_off for part in some):
            yield from _set_off(some, names)
        else:
            for part in some:
                yield from _paid(part, names)


def _paid(part: PaymentPart, names: Names) -> Iterator[Recorded]:
    payment, name = part.payment, names.of("payment part", part.pk)
    worth = None if payment.currency == payment.company.currency else plain(part.paid_base)
    facts: dict[str, Any] = {"id": name} | ({"bank": worth} if worth else {})
    if part.order_id:
        facts |= {"order": names.of("order", part.order_id), "amount": plain(part.amount)}
    else:
        facts |= {"bills": [_named(part, names)], "discount": plain(part.discount)}
    yield payment.at, 5, action("deposit" if part.order_id else "pay", payment.day, **facts)
    yield from reversal(payment, name)


def _named(part: PaymentPart, names: Names) -> dict[str, str]:
    """A bill, a credit note or an advance with the amount of a part."""
    of = {"id": names.of("bill", part.bill_id)} if part.bill_id else {"order": names.of("order", part.order_id)}
    return of | {"amount": plain(part.amount)}


def _set_off(parts: list[PaymentPart], names: Names) -> Iterator[Recorded]:
    """Bills less credit notes and advances; nothing but those; or what comes back of them."""
    payment, name = parts[0].payment, names.of("payment part", parts[0].pk)
    paid, against = ([one for one in parts if one.set_off is so] for so in (False, True))
    facts: dict[str, Any] = {"id": name, "credits": [_named(one, names) for one in against if one.bill_id]}
    facts |= {"advances": [_named(one, names) for one in against if one.order_id]}
    net = sum(one.sign * one.amount for one in parts)
    if paid:
        facts |= {"bills": [_named(one, names) for one in paid]}
    if net and payment.currency != payment.company.currency:
        # The worth of what is paid beyond what is set off, or of what came back.
        facts["bank"] = plain(abs(sum(one.sign * one.paid_base for one in parts) if paid else payment.bank_base))
    yield payment.at, 5, action("pay" if paid and net else "offset" if paid else "refund", payment.day, **facts)
    yield from reversal(payment, name)


def _receipts(reach: Reach, names: Names) -> Iterator[Recorded]:
    receipts = Receipt.objects.filter(lines__instalment__line__in=reach.lines).distinct().order_by("pk")
    for receipt in receipts.select_related("container", "reversed_by"):
        name = names.of("receipt", receipt.pk)
        lines = receipt.lines.filter(instalment__line__in=reach.lines)
        lines = list(lines.select_related("instalment__line__order", "receipt").order_by("pk"))
        for order, called in names.receipts(receipt).items():
            those = [line for line in lines if order in (None, line.instalment.line.order_id)]
            facts = {"id": called, "site": names.of("site", receipt.site_id), "note": name}
            yield receipt.at, 6, action("receive", receipt.occurred_on, **facts, **_came(receipt, order, those, names))
            yield from reversal(receipt, called)


def _came(receipt: Receipt, order: int | None, lines: list[ReceiptLine], names: Names) -> dict[str, Any]:
    """Out of what goods came, and the rows of their count."""
    facts: dict[str, Any] = {"rows": [_received(line, names) for line in lines]}
    if any(line.excess for line in lines):
        facts["accept"] = True
    if order is not None:
        return facts | {"from": names.of("order", order)}
    facts["from"] = names.of("shipment", receipt.container.shipment_id)
    facts["container"] = names.of("container", receipt.container_id)
    return facts | ({"emptied": True} if any(line.back for line in lines) else {})


def _received(line: ReceiptLine, names: Names) -> dict[str, Any]:
    unpacked = line.receipt.container_id is None
    rest = "dispute" if line.missing and unpacked else "no more" if line.missing or line.dropped else "coming"
    facts = {"line": names.part(line.instalment), "quantity": plain(line.quantity), "rest": rest}
    facts |= {"condition": line.condition} if line.condition else {}
    return facts | ({"bin": names.of("bin", line.bin_id)} if line.quantity else {})
