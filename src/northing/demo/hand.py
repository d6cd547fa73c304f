"""The hand that lays the demo world: actions by short names, on days counted from today."""

import random
from dataclasses import replace
from datetime import date, datetime, time, timedelta
from decimal import Decimal

from django.utils import timezone

from northing.access.acts import Act
from northing.access.models import Person
from northing.actions.billing.bills import book_bill
from northing.actions.billing.request import of_one
from northing.actions.confirmations import answers
from northing.actions.costing import charges
from northing.actions.costing.spread import Share
from northing.actions.customs import entries, office
from northing.actions.customs.covers import Covers, covered
from northing.actions.customs.included import Included
from northing.actions.orders import send, write
from northing.actions.receiving import receive as receive_action
from northing.actions.shipping import container_milestones, milestones
from northing.actions.shipping.pack import (
    ContainerRequest,
    PassageRequest,
    ShipmentRequest,
    StowRequest,
    VoyageRequest,
    add_container,
    create_shipment,
    create_voyage,
    plan_passage,
    stow,
)
from northing.costing.models import Charge
from northing.customs.models import CustomsEntry
from northing.demo.masterdata import SEED
from northing.formats.identifiers import with_container_check_digit
from northing.masterdata.models import Company, Party, Site
from northing.orders.models import Instalment
from northing.shipping.models import Container, Leg, ShipmentLine
from northing.shipping.operations import CallPlan, LegPlan

D = Decimal
TERMS = {"OZU": "FOB", "QIN": "FOB", "DAL": "FCA", "TRE": "FOB", "AMB": "CIF"}
OURS = {"OZU": "on_board", "QIN": "on_board", "DAL": "pickup", "TRE": "on_board", "AMB": "arrival"}
SITES = {"KLN": "TRG", "KLA": "MEL"}


class Hand:
    """Actions by name, on days counted from today."""

    def __init__(self, today: date):
        self.today = today
        self.chance = random.Random(SEED)
        self.people = {person.username: person for person in Person.objects.all()}
        self.companies = {company.code: company for company in Company.objects.all()}
        self.parties = {party.code: party for party in Party.objects.all()}
        self.boxes = 0
        self.minutes = 0

    def act(self, who: str, days: int) -> Act:
        """A person acting `days` from today, in the morning."""
        self.minutes += 1  # actions of one day follow each other in the story as they did in this file
        at = datetime.combine(self.today + timedelta(days=days), time(0, 1)) + timedelta(minutes=self.minutes)
        return Act(self.people[who], timezone.make_aware(at), channel="demo")

    def order(
        self, supplier: str, lines: dict[str, int], sent: int, need: int, company="KLN", agreed=True, stop=""
    ) -> int:
        """An order carried as far as `stop`: draft, check, approve, or all the way."""
        site = Site.objects.get(code=SITES[company])
        request = write.OrderRequest(
            company=self.companies[company].pk,
            supplier=self.parties[supplier].pk,
            site=site.pk,
            incoterm=TERMS[supplier],
            incoterm_place=self.parties[supplier].city,
            ours_from=OURS[supplier],
            need_by=self.today + timedelta(days=need),
            lines=tuple(write.LineRequest(code, "", D(quantity)) for code, quantity in lines.items()),
        )
        key = write.write_order(self.act("ilva", sent - 2), request)
        steps = [("check", send.check_order, "ilva", -1), ("approve", send.approve_order, "tobin", -1)]
        steps.append(("send", send.send_order, "ilva", 0))
        for name, action, who, days in steps:
            if stop == "draft" or (stop == "check" and name == "approve") or (stop == "approve" and name == "send"):
                return key
            action(self.act(who, sent + days), send.OrderAct(key))
        if agreed:
            self.answer(key, sent + 4)
        return key

    def answer(self, order: int, day: int, later: int = 0, up: str = "1", part: str = "1") -> None:
        """The supplier's answer: as asked, or later, dearer, fewer."""
        rows = tuple(
            answers.AnswerRow(
                one.pk,
                (one.quantity * D(part)).quantize(D(1)),
                one.asked_on + timedelta(days=later),
                (one.pack_price * D(up)).quantize(D("0.01")) if up != "1" else one.pack_price,
            )
            for one in Instalment.objects.filter(line__order=order).order_by("pk")
        )
        reference = f"SO-{self.chance.randrange(10000, 99999)}"
        answered = self.today + timedelta(days=day)
        answers.record_answers(self.act("ilva", day), answers.AnswersRequest(order, reference, answered, rows))

    def voyage(self, vessel: str, number: str, carrier: str, load: str, discharge: str, imo: str) -> int:
        """A voyage."""
        request = VoyageRequest(vessel, imo, number, self.parties[carrier].pk, (CallPlan(load), CallPlan(discharge)))
        return create_voyage(self.act("hanne", -130), request)

    def shipment(
        self, orders: list[int], voyage: int, ports: tuple[str, str, str], day: int, sea: int, boxes: int = 1
    ) -> int:
        """Everything of the orders packed, with road, sea, customs and road legs; `day` is the planned departure."""
        start = self.today + timedelta(days=day)
        landed = start + timedelta(days=sea)
        plans = (
            LegPlan("road", "supplier", ports[0], start - timedelta(days=3), start - timedelta(days=1)),
            LegPlan("sea", ports[0], ports[1], start, landed, True),
            LegPlan("customs", ports[1], ports[1], landed + timedelta(days=1), landed + timedelta(days=2)),
            LegPlan("road", ports[1], ports[2], landed + timedelta(days=3), landed + timedelta(days=3)),
        )
        return self.pack(orders, voyage, plans, day - 5, boxes)

    def pack(self, orders: list[int], voyage: int, plans: tuple[LegPlan, ...], packed: int, boxes: int = 1) -> int:
        """Everything of the orders packed on a day into containers that take those legs."""
        key = create_shipment(
            self.act("hanne", packed),
            ShipmentRequest(f"QMF{self.chance.randrange(100000, 999999)}", self.parties["QUI"].pk),
        )
        plan_passage(self.act("hanne", packed), PassageRequest(key, voyage, plans))
        parts = list(Instalment.objects.filter(line__order__in=orders).order_by("pk"))
        for index in range(boxes):
            self.boxes += 1
            number = with_container_check_digit(f"QXNU{self.boxes * 7 + 100300:06d}")
            request = ContainerRequest(key, number, "42G1", f"KL{self.boxes:05d}")
            box = add_container(self.act("hanne", packed), request)
            rows = tuple((part.pk, self._portion(part.quantity, index, boxes)) for part in parts)
            stow(self.act("hanne", packed), StowRequest(box, rows))
        return key

    @staticmethod
    def _portion(quantity: Decimal, index: int, boxes: int) -> Decimal:
        each = quantity // boxes
        return quantity - each * (boxes - 1) if index == boxes - 1 else each

    def say(
        self,
        shipment: int,
        milestone: str,
        value: int,
        said: int | None = None,
        kind: str = "actual",
        main: bool = True,
    ) -> None:
        """A departure or arrival, of the sea leg or of the first one."""
        leg = Leg.objects.filter(shipment=shipment, main=main).order_by("number").first()
        self.say_leg(shipment, leg.number, milestone, value, said, kind)

    def say_leg(
        self, shipment: int, number: int, milestone: str, value: int, said: int | None = None, kind: str = "actual"
    ) -> None:
        """A departure or arrival of a leg by its number."""
        leg = Leg.objects.get(shipment=shipment, number=number)
        request = milestones.DateRequest(leg.pk, milestone, kind, self.today + timedelta(days=value), accept=True)
        milestones.say_date(self.act("hanne", value if said is None else said), request)

    def handle(self, shipment: int, milestone: str, value: int) -> None:
        """The milestones of all containers of a shipment."""
        boxes = tuple(Container.objects.filter(shipment=shipment).values_list("pk", flat=True))
        request = container_milestones.BoxesRequest(shipment, boxes, milestone, self.today + timedelta(days=value))
        container_milestones.say_boxes(self.act("hanne", value), request)

    def charge(
        self,
        shipment: int,
        payee: str,
        kind: str,
        amount: str,
        currency: str,
        basis: str,
        day: int,
        bill="",
        company="KLN",
        shares: tuple[Share, ...] = (),
    ) -> int:
        """A bill with a number (of an estimate of that kind, if there is one), or without one an estimate."""
        request = charges.ChargeRequest(
            company=self.companies[company].pk,
            payee=self.parties[payee].pk,
            kind=kind,
            basis=basis,
            currency=currency,
            amount=D(amount),
            day=self.today + timedelta(days=day),
            shipments=(shipment,),
            shares=shares,
        )
        act = self.act("pell", day)
        if not bill:
            return charges.enter_estimate(act, request)
        estimate = Charge.objects.filter(shipments=shipment, kind=kind, closed_on=None).first()
        return book_bill(act, of_one(request, bill, estimate.pk if estimate else None))

    def entry(
        self,
        shipment: int,
        number: str,
        day: int,
        company: str = "KLN",
        office: str = "CTG",
        more_tax: str = "",
        boxes: int = 0,
        included: tuple[Included, ...] = (),
    ) -> None:
        """A customs entry, of the first `boxes` if so many are said; the office may ask for more tax than we reckon."""
        office_key = self.parties[office].pk
        on = self.today + timedelta(days=day)
        some = Container.objects.filter(shipment=shipment).order_by("pk").values_list("pk", flat=True)[:boxes]
        covers = Covers(containers=tuple(some)) if boxes else Covers((shipment,))
        request = entries.EntryRequest(covers, self.companies[company].pk, office_key, number, on, included=included)
        if more_tax:
            goods = covered(covers, self.companies[company])
            ours = entries.declare(goods, self.companies[company], on).sheet.tax
            request = replace(request, their_tax=ours + Decimal(more_tax), reason="freight at another rate")
        entries.book_customs_entry(self.act("pell", day), request)

    def cleared(self, shipment: int, paid: int, released: int, company: str = "KLN") -> None:
        """The office is paid, then releases the goods, so many days from today."""
        key = self.companies[company].pk
        entry = CustomsEntry.objects.get(shipments=shipment, company=key, reversed_by=None)
        on = self.today + timedelta(days=paid)
        office.pay_office(self.act("maris", paid), office.PayOfficeRequest(entry.pk, on))
        on = self.today + timedelta(days=released)
        office.release(self.act("pell", released), office.ReleaseRequest(entry.pk, on))

    def receive(
        self, shipment: int, note: str, day: int, short: dict[str, int] | None = None, who="rua", lot: str = ""
    ) -> int:
        """Everything of the first container, less what `short` says is missing for good."""
        short = short or {}
        box = Container.objects.filter(shipment=shipment).order_by("pk").first()
        rows = []
        for part in ShipmentLine.objects.filter(container=box).select_related("instalment__line__item").order_by("pk"):
            item = part.instalment.line.item
            missing = short.get(item.code, 0)
            best = self.today + timedelta(days=500) if item.keeps_best_before else None
            rows.append(
                receive_action.ReceiveRow(
                    part.pk, part.quantity - missing, not missing, lot if item.keeps_lot else "", best
                )
            )
        site = Site.objects.get(code="TRG").pk
        request = receive_action.ReceiveRequest(box.pk, site, note, self.today + timedelta(days=day), tuple(rows), True)
        return receive_action.receive(self.act(who, day), request)
