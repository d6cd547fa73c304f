"""Playing a scenario: each action through the function that pages and the API call."""

from collections.abc import Callable
from datetime import UTC, timedelta
from decimal import Decimal
from typing import Any

from django.utils import timezone

from northing.actions.claims import returns
from northing.actions.confirmations import answers
from northing.actions.costing import charges
from northing.actions.customs import entries
from northing.actions.inventory import issue as issuing
from northing.actions.masterdata import opening
from northing.actions.orders import write
from northing.actions.quality import inspect as inspecting
from northing.actions.receiving import receive as receiving
from northing.actions.receiving import reverse as reversing
from northing.actions.shipping import milestones, pack
from northing.claims.models import Claim
from northing.core.costing.ownership import INCOTERMS, proposed_moment
from northing.core.problems import Problem, Refused
from northing.formats.identifiers import with_container_check_digit
from northing.formats.tables import csv_line
from northing.ledger.models import CostLayer
from northing.orders.models import Instalment, OrderLine
from northing.scenarios import shapes
from northing.scenarios.shapes import NotScenario, Scenario
from northing.scenarios.world import Laid, lay
from northing.shipping.models import Container, Leg, ShipmentLine
from northing.shipping.operations import LegPlan

ZERO = Decimal(0)
# Days of a passage of which nothing is said.
PASSAGE, TO_DOCK, TO_NEED = 30, 3, 90
MISSING = "An earlier action was refused, or is missing."


class Player:
    """The world of one scenario, and what its actions made, by their ids."""

    def __init__(self, scenario: Scenario):
        self.scenario = scenario
        self.laid: Laid = lay(scenario.world)
        self.made: dict[str, tuple[str, int]] = {}
        self.boxes = 0
        self.moves: dict[str, Callable[[Any], tuple[str, int] | None]] = {
            "order": self.order,
            "ship": self.ship,
            "depart": self.depart,
            "arrive": self.arrive,
            "charge": self.charge,
            "end": self.end,
            "customs": self.customs,
            "receive": self.receive,
            "issue": self.issue,
            "inspect": self.inspect,
            "return": self.give_back,
            "reverse": self.reverse,
            "open": self.open,
        }

    def play(self) -> list[dict[str, Any]]:
        """Do the actions in the order of the file; one that is refused changes nothing, and the next goes on."""
        with timezone.override(UTC):
            return [self._one(action) for action in self.scenario.actions]

    def _one(self, action: Any) -> dict[str, Any]:
        said: dict[str, Any] = {"do": action.do} | ({"id": action.id} if action.id else {})
        if action.id and action.id in self.made:
            raise NotScenario(f"actions: the id {action.id!r} is there twice")
        try:
            made = self.moves[action.do](action)
        except Refused as refused:
            return said | {"refused": [_said(problem) for problem in refused.problems]}
        if action.id and made:
            self.made[action.id] = made
        return said

    def find(self, kind: str, name: str) -> int:
        """The record that an earlier action made. Raises Refused where it made none, NotScenario for another kind."""
        if name not in self.made:
            raise Refused(Problem(f"There is no {kind} {name}.", kind, MISSING))
        found, key = self.made[name]
        if found != kind:
            raise NotScenario(f"{name} is a {found}, not a {kind}")
        return key

    def line(self, name: str) -> OrderLine:
        """A line by the name of its order and its number."""
        order, _, number = name.partition("/")
        key = self.find("order", order)
        found = OrderLine.objects.filter(order=key, number=int(number) if number.isdigit() else 0).first()
        if found is None:
            raise NotScenario(f"there is no line {name}")
        return found

    def order(self, action: shapes.Order) -> tuple[str, int]:
        """Write, check, approve, send; the supplier answers as asked."""
        if action.incoterm not in INCOTERMS:
            raise NotScenario(f"actions: {action.incoterm!r} is no Incoterms rule")
        request = write.OrderRequest(
            company=self.laid.one("companies", action.company).pk,
            supplier=self.laid.one("parties", action.supplier).pk,
            site=self.laid.one("sites", action.site).pk,
            incoterm=action.incoterm,
            ours_from=(action.ours_from or proposed_moment(action.incoterm)).replace(" ", "_"),
            need_by=action.need_by or action.day + timedelta(days=TO_NEED),
            lines=tuple(write.LineRequest(one.item, "", one.quantity, one.price) for one in action.lines),
            number=action.id,
        )
        act = self.laid.act(action.day)
        key = write.write_order(act, request)
        steps = (
            ("checked", write.check_order, act),
            ("approved", write.approve_order, self.laid.act(action.day, self.laid.second)),
            ("sent", write.send_order, act),
        )
        if action.stop == "draft":
            return "order", key
        for name, step, who in steps:
            step(who, write.OrderAct(key))
            if action.stop == name:
                return "order", key
        parts = Instalment.objects.filter(line__order=key).order_by("pk")
        rows = tuple(answers.AnswerRow(one.pk, one.quantity, one.asked_on, one.pack_price) for one in parts)
        answers.record_answers(act, answers.AnswersRequest(key, "", action.day, rows))
        return "order", key

    def ship(self, action: shapes.Ship) -> tuple[str, int]:
        """Pack into containers, with a planned passage."""
        act = self.laid.act(action.day)
        key = pack.create_shipment(act, pack.ShipmentRequest(reference=action.id))
        departs = action.departs or action.day
        arrives = action.arrives or departs + timedelta(days=PASSAGE)
        dock = action.dock or arrives + timedelta(days=TO_DOCK)
        legs = (
            LegPlan("sea", "port of loading", "port of discharge", departs, arrives, True),
            LegPlan("road", "port of discharge", "dock", arrives, dock),
        )
        pack.plan_passage(act, pack.PassageRequest(key, None, legs))
        for name in dict.fromkeys(part.container for part in action.parts):
            self.boxes += 1
            number = with_container_check_digit(f"SCNU{self.boxes:06d}")
            box = pack.add_container(act, pack.ContainerRequest(key, number, "45G1"))
            self.made[f"{action.id} {name}"] = ("container", box)
            rows = [row for part in action.parts if part.container == name for row in self._portions(part)]
            pack.stow(act, pack.StowRequest(box, tuple(rows)))
        return "shipment", key

    def _portions(self, part: shapes.PartShape) -> list[tuple[int, Decimal]]:
        """Which instalments of a line the quantity is, the oldest first."""
        left, found = part.quantity, []
        parts = list(Instalment.objects.filter(line=self.line(part.line)).select_related("position").order_by("number"))
        for one in parts:
            there = min(left, one.position.with_supplier) if one is not parts[-1] else left
            if there > 0:
                found.append((one.pk, there))
                left -= there
        return found

    def depart(self, action: shapes.Happened) -> None:
        """An actual departure."""
        self._happened(action, "departure")

    def arrive(self, action: shapes.Happened) -> None:
        """An actual arrival."""
        self._happened(action, "arrival")

    def _happened(self, action: shapes.Happened, milestone: str) -> None:
        leg = Leg.objects.get(shipment=self.find("shipment", action.shipment), main=True)
        milestones.say_date(self.laid.act(action.day), milestones.DateRequest(leg.pk, milestone, "actual", action.day))

    def charge(self, action: shapes.ChargeAction) -> tuple[str, int]:
        """An estimate; with a number a bill, which may replace an estimate."""
        facts: dict[str, Any] = {}
        if action.estimate:
            estimate = charges.Charge.objects.get(pk=self.find("charge", action.estimate))
            facts = dict(charges.request_of(estimate).__dict__)
        scope = action.over or shapes.Scope()
        if action.over:
            facts["shipments"] = tuple(self.find("shipment", name) for name in scope.shipments)
            facts["lines"] = tuple(self.line(name).pk for name in scope.lines)
        said = {
            "company": self.laid.one("companies", action.company).pk if action.company else None,
            "payee": self.laid.one("parties", action.payee).pk if action.payee else None,
            "kind": action.kind,
            "basis": action.basis,
            "currency": action.currency,
        }
        facts |= {name: value for name, value in said.items() if value}
        missing = [name for name in said if name not in facts]
        if missing:
            raise NotScenario(f"actions: the charge {action.id} lacks {missing[0]}")
        facts |= {"amount": action.amount, "day": action.day, "bill_number": action.number}
        book = charges.book_bill if action.number else charges.enter_estimate
        return "charge", book(self.laid.act(action.day), charges.ChargeRequest(**facts))

    def end(self, action: shapes.EndEstimate) -> None:
        """An estimate will not be billed."""
        request = charges.EndRequest(self.find("charge", action.charge), action.reason)
        charges.end_estimate(self.laid.act(action.day), request)

    def customs(self, action: shapes.Customs) -> None:
        """A customs entry as computed."""
        company, office = self.laid.one("companies", action.company), self.laid.one("parties", action.office)
        shipment = self.find("shipment", action.shipment)
        request = entries.EntryRequest(shipment, company.pk, office.pk, action.number, action.day)
        entries.book_customs_entry(self.laid.act(action.day), request)

    def receive(self, action: shapes.Receive) -> tuple[str, int]:
        """Goods out of a shipment's container."""
        site = self.laid.one("sites", action.site)
        shipment = self.find("shipment", action.source)
        boxes = Container.objects.filter(shipment=shipment).order_by("pk")
        if action.container:
            boxes = boxes.filter(pk=self.find("container", f"{action.source} {action.container}"))
        box = boxes.first()
        if box is None or boxes.count() > 1:
            raise NotScenario(f"actions: {action.source} has {boxes.count()} containers; name one")
        rows = tuple(row for one in action.rows for row in self._found(box, one, action.site))
        request = receiving.ReceiveRequest(box.pk, site.pk, action.note, action.day, rows)
        return "receipt", receiving.receive(self.laid.act(action.day), request)

    def _found(self, box: Container, row: shapes.RowShape, site: str) -> list[receiving.ReceiveRow]:
        """The parts of a line in a container, the oldest first; what is over or short is so of the last."""
        found, left = [], row.quantity
        parts = list(
            ShipmentLine.objects.filter(container=box, instalment__line=self.line(row.line)).order_by("instalment")
        )
        bin = self.laid.one("bins", (site, row.bin)).pk if row.bin else None
        coming = {"coming": True, "no more": False}.get(row.rest)
        for part in parts:
            there = min(left, part.quantity - part.accounted) if part is not parts[-1] else left
            found.append(receiving.ReceiveRow(part.pk, there, coming, row.lot, row.best_before, bin))
            left -= there
        return found

    def issue(self, action: shapes.Issue) -> tuple[str, int]:
        """Stock goes out, first in, first out."""
        site, item = self.laid.one("sites", action.site), self.laid.one("items", action.item)
        request = issuing.IssueRequest(site.pk, item.pk, action.quantity, action.purpose, action.day)
        return "issue", issuing.issue_stock(self.laid.act(action.day), request)

    def inspect(self, action: shapes.Inspect) -> tuple[str, int] | None:
        """A verdict; what fails is a case."""
        receipt, line = self.find("receipt", action.receipt), self.line(action.line)
        layers = CostLayer.objects.filter(receipt_line__receipt=receipt, kind="stock")
        layer = layers.filter(receipt_line__instalment__line=line).order_by("pk").first()
        if layer is None:
            raise NotScenario(f"actions: {action.receipt} received nothing of {action.line}")
        request = inspecting.InspectRequest(layer.pk, action.passed, action.failed, action.reason, action.day)
        inspecting.inspect(self.laid.act(action.day), request)
        case = Claim.objects.filter(layer=layer).order_by("-pk").first()
        return ("case", case.pk) if case and action.failed else None

    def give_back(self, action: shapes.Return) -> None:
        """Rejected units go back."""
        request = returns.ReturnRequest(self.find("case", action.case), action.quantity, action.reference, action.day)
        returns.return_goods(self.laid.act(action.day), request)

    def reverse(self, action: shapes.Reverse) -> None:
        """Undo an earlier action."""
        if action.what not in self.made:
            raise Refused(
                Problem(f"There is no {action.what}.", "what", "An earlier action was refused, or is missing.")
            )
        kind, key = self.made[action.what]
        act = self.laid.act(action.day)
        if kind == "receipt":
            reversing.reverse_receipt(act, reversing.ReverseRequest(key, action.reason))
        elif kind == "issue":
            issuing.take_back_issue(act, issuing.TakeBackRequest(key, action.reason))
        else:
            raise Refused(Problem(f"A {kind} cannot be reversed yet.", "what"))

    def open(self, action: shapes.Open) -> None:
        """Goods on hand at the beginning."""
        rows = [csv_line(opening.STOCK)]
        for one in action.stock:
            site = self.laid.one("sites", one.site)
            rows.append(csv_line([site.company.code, one.site, one.item, one.quantity, one.value, action.day]))
        opening.open_stock(self.laid.act(action.day), opening.FileRequest("".join(rows).encode()))


def _said(problem: Problem) -> dict[str, str]:
    return {
        "strength": problem.strength.value,
        "what": problem.what,
        "where": problem.where,
        "mend": problem.mend,
    }
