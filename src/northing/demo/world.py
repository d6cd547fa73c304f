"""The story of the demo world: every situation of the job, done by its own action on its own day."""

import json
from datetime import date, timedelta
from decimal import Decimal

from django.db import transaction
from django.utils import timezone

from northing.actions.claims import authorise, returns, tend
from northing.actions.claims.return_all import ReturnAllRequest, return_all
from northing.actions.confirmations import answers
from northing.actions.costing import charges
from northing.actions.customs import proofs
from northing.actions.customs.included import Included
from northing.actions.inventory import issue
from northing.actions.masterdata.opening import FileRequest, open_stock
from northing.actions.quality import inspect
from northing.actions.quality.findings import NotesRequest
from northing.actions.quality.request import SampleRequest
from northing.actions.receiving import receive
from northing.actions.shipping import carrier_events, despatch_notices, passage_statistics, required_documents
from northing.claims.models import Claim
from northing.confirmations.models import Answer, ChaserRule
from northing.demo.afloat import lay_afloat
from northing.demo.bills import lay_bills
from northing.demo.dock import lay_dock
from northing.demo.hand import SITES, Hand
from northing.demo.masterdata import ITEMS, SUPPLIERS, lay_directory
from northing.demo.tariffs import change_tariff
from northing.formats.despatch import Line, Notice
from northing.formats.identifiers import with_container_check_digit, with_imo_check_digit
from northing.ledger.models import CostLayer
from northing.masterdata.inspections import characteristics_of
from northing.masterdata.models import Company, Defect, Item, Party, Site
from northing.orders.models import Instalment
from northing.quality.queries import LotPlan, plan_of
from northing.shipping.models import Container, RequiredDocument, ShipmentLine

D = Decimal


@transaction.atomic
def lay_world(today: date) -> None:
    """Everything, around today."""
    lay_directory(today)
    world = _World(today)
    world.opening()
    world.finished_kettles()
    world.cups_at_the_dock()
    world.stands_by()
    world.shared_and_late()
    world.tea_landed()
    world.tea_in_melbourne()
    world.kettles_held()
    world.carriers_say()
    world.leaving_soon()
    world.talk_with_suppliers()
    world.drafts()
    world.everyday()
    world.a_notice_waits()
    world.cleared_in_part()
    lay_afloat(world)
    lay_dock(world)
    lay_bills(world)
    world.close_the_books()
    world.chaser_rules()
    change_tariff(world.act("pell", 0))
    passage_statistics.learn_passages(timezone.now())


class _World(Hand):
    """The situations of the demo world."""

    def opening(self) -> None:
        """The stock before Northing."""
        rows = ["company,site,item,quantity,value,received_on,lot,best_before"]
        for company, code, quantity, value in [
            ("KLN", "KET-17", 64, "2560.00"),
            ("KLN", "CUP-21", 410, "2665.00"),
            ("KLN", "INF-50", 1300, "3640.00"),
            ("KLA", "KET-17", 38, "1406.00"),
            ("KLA", "WRP-03", 900, "1350.00"),
        ]:
            rows.append(f"{company},{SITES[company]},{code},{quantity},{value},{self.today - timedelta(days=170)},,")
        open_stock(self.act("wyn", -168), FileRequest("\n".join(rows).encode()))

    def finished_kettles(self) -> None:
        """Received, short, inspected, partly rejected, partly returned, partly issued, haulage billed late."""
        order = self.order("QIN", {"KET-17": 240, "KET-12": 180}, -122, -38)
        voyage = self.voyage("Saltmarsh Heron", "214S", "VAN", "CNNGB", "NZTRG", with_imo_check_digit("998101"))
        shipment = self.shipment([order], voyage, ("CNNGB", "NZTRG", "Tauranga"), -78, 30)
        self.say(shipment, "departure", -76)
        self.charge(shipment, "QUI", "freight", "2840.00", "USD", "volume", -70, "QF-88102")
        self.charge(shipment, "MAR", "insurance", "96.40", "NZD", "value", -70, "MC-5521")
        self.charge(shipment, "PEA", "haulage", "395.00", "NZD", "weight", -46)
        self.say(shipment, "arrival", -44)
        self.entry(shipment, "TG-240917", -43)
        self.cleared(shipment, -42, -41)
        self.charge(shipment, "FEN", "brokerage", "95.00", "NZD", "equal", -42, "TF-3310")
        self.handle(shipment, "gate_out", -41)
        self.receive(shipment, "DN-70418", -40, {"KET-12": 6})
        self.handle(shipment, "returned", -38)
        for code, failed, reason in (("KET-17", 12, "dents"), ("KET-12", 0, "")):
            layer = CostLayer.objects.get(item__code=code, kind="stock", shipment_line__container__shipment=shipment)
            day = self.today - timedelta(days=37)
            asked = plan_of(layer)
            sample = SampleRequest(asked.sample, major=min(failed, 3), sorted=failed > 0) if asked else None
            verdict = inspect.InspectRequest(
                layer.pk, layer.received - failed, D(failed), reason, day, (), sample, self.noted(layer, asked, failed)
            )
            inspect.inspect(self.act("odo", -37), verdict)
        back = returns.ReturnRequest(
            Claim.objects.get(kind="rejected").pk, D(7), "QIN-RA-311", self.today - timedelta(days=20)
        )
        returns.return_goods(self.act("odo", -20), back)
        anew = self.today - timedelta(days=18)
        asked = authorise.AuthoriseRequest(back.case, D(3), "QIN-RA-318", anew, "replacement")
        authorise.authorise(self.act("ilva", -18), asked)
        tend.tend(self.act("ilva", -18), tend.TendRequest(back.case, self.people["ilva"].pk))
        kettle, site = Item.objects.get(code="KET-17"), Site.objects.get(code="TRG")
        issued = issue.IssueRequest(site.pk, kettle.pk, D(154), "shops, spring range", self.today - timedelta(days=15))
        issue.issue_stock(self.act("rua", -15), issued)
        self.charge(shipment, "PEA", "haulage", "418.60", "NZD", "weight", -6, "PC-1190")

    def noted(self, layer: CostLayer, asked: LotPlan | None, failed: int) -> NotesRequest:
        """What the inspector notes of kettles."""
        if asked is None:
            return NotesRequest()
        looks = {one.name: one for one in characteristics_of(layer.item)}
        water = looks["Water to the mark"]
        filled = tuple((water.least or D(0)) + more for more in (16, 22, 19, 25))
        values = ((looks["Earth to body"].pk, (D("0.05"), D("0.06"), D("0.04"))), (water.pk, filled))
        dents = ((Defect.objects.get(code="DENT").pk, min(failed, 3)),)
        return NotesRequest(values, defects=dents, papers=(("Certificate of the lot", "QT-L-2281"),))

    def stands_by(self) -> None:
        """Four small kettles with loose handles stand by for their haulier."""
        layer = CostLayer.objects.filter(item__code="KET-12", kind="stock", shipment_line__isnull=False)[0]
        day = self.today - timedelta(days=2)
        head = ("QIN-RA-325", "handles loose", day)
        request = ReturnAllRequest(*head, layer=layer.pk, units={layer.pk: D(4)}, packages=1, prepared=True)
        return_all(self.act("odo", -2), request)

    def cups_at_the_dock(self) -> None:
        """Landed, cleared, expected at the dock today; the haulage bill is still to come."""
        order = self.order("TRE", {"CUP-21": 1200, "BWL-14": 600}, -118, 6)
        voyage = self.voyage("Tern of Ardrey", "031E", "OSP", "PTLEI", "NZTRG", with_imo_check_digit("998102"))
        shipment = self.shipment([order], voyage, ("PTLEI", "NZTRG", "Tauranga"), -54, 48)
        self.say(shipment, "departure", -54)
        self.charge(shipment, "QUI", "freight", "3120.00", "USD", "volume", -50, "QF-88240")
        self.charge(shipment, "PEA", "haulage", "390.00", "NZD", "weight", -50)
        expected = self.charge(shipment, "PEA", "handling", "55.00", "NZD", "equal", -50)
        self.say(shipment, "arrival", -4)
        ending = charges.EndRequest(expected, "the terminal bills it with the freight")
        charges.end_estimate(self.act("pell", -3), ending)
        self.entry(shipment, "TG-241102", -2)
        # The paper came after the entry: a correction would save its duty.
        dated = self.today - timedelta(days=60)
        said = (self.companies["KLN"].pk, "certificate of origin", "PT-CO-5518", dated)
        proofs.add_proof(self.act("pell", -1), proofs.ProofRequest(*said, shipments=(shipment,)))

    def shared_and_late(self) -> None:
        """One container of both companies, its vessel behind plan."""
        here = self.order("DAL", {"INF-50": 5400, "BAG-25": 8000}, -64, 10)
        there = self.order("DAL", {"WRP-03": 7200, "INF-50": 1800}, -62, 24, company="KLA")
        voyage = self.voyage("Saltmarsh Heron", "221S", "VAN", "VNSGN", "NZTRG", with_imo_check_digit("998101"))
        shipment = self.shipment([here, there], voyage, ("VNSGN", "NZTRG", "Tauranga"), -19, 24)
        self.say(shipment, "departure", -20, main=False)
        self.say(shipment, "departure", -16)
        self.charge(shipment, "QUI", "freight", "3480.00", "USD", "volume", -15)
        self.charge(shipment, "MAR", "insurance", "112.80", "NZD", "value", -14, "MC-5689")
        self.say(shipment, "arrival", 13, -2, "estimated")

    def tea_landed(self) -> None:
        """Green tea with lots, landed without a customs entry."""
        order = self.order("OZU", {"SEN-01": 2400, "HOJ-02": 1600}, -74, 12)
        voyage = self.voyage("Grey Phalarope", "118W", "OSP", "JPSMZ", "NZTRG", with_imo_check_digit("998103"))
        shipment = self.shipment([order], voyage, ("JPSMZ", "NZTRG", "Tauranga"), -25, 23)
        self.say(shipment, "departure", -25)
        self.charge(shipment, "OSP", "freight", "268000", "JPY", "weight", -20, "OL-40077")
        # Nearly all of the handling was for the sencha.
        parts = ShipmentLine.objects.filter(container__shipment=shipment).order_by("pk").select_related("instalment")
        amounts = dict(zip(parts, (D("128.00"), D("22.00")), strict=True))
        shares = tuple((part.instalment.line_id, part.pk, amount) for part, amount in amounts.items())
        self.charge(shipment, "PEA", "handling", "150.00", "NZD", "by_hand", -19, "PX-7714", shares=shares)
        self.say(shipment, "arrival", -1)

    def tea_in_melbourne(self) -> None:
        """Arrived early; one tea a little over and within tolerance, of the other a pallet is still coming."""
        order = self.order("AMB", {"UVA-10": 1200, "DIM-10": 960}, -96, -8, company="KLA")
        voyage = self.voyage("Petrel Sound", "077E", "VAN", "LKCMB", "AUMEL", with_imo_check_digit("998104"))
        shipment = self.shipment([order], voyage, ("LKCMB", "AUMEL", "Melbourne"), -48, 26)
        self.say(shipment, "departure", -48)
        self.say(shipment, "arrival", -24)
        self.charge(shipment, "VAN", "freight", "1310.00", "USD", "weight", -23, "VBL-60412", company="KLA")
        # Australia leaves out of the value what the price includes.
        included = (Included(order, D("640.00"), D("38.50")),)
        self.entry(shipment, "MB-77120", -22, "KLA", "CML", included=included)
        best = self.today + timedelta(days=640)
        rows = [
            receive.ReceiveRow(part.pk, D(quantity), True, lot, best)
            for part, quantity, lot in zip(
                ShipmentLine.objects.filter(container__shipment=shipment).order_by("pk"),
                (1212, 720),
                ("U2609B", "D2609A"),
                strict=True,
            )
        ]
        site, box = Site.objects.get(code="MEL").pk, Container.objects.get(shipment=shipment).pk
        day = self.today - timedelta(days=20)
        self.handle(shipment, "gate_out", -21)
        receive.receive(self.act("jessa", -20), receive.ReceiveRequest(box, site, "DN-M0091", day, tuple(rows), True))
        self.handle(shipment, "returned", -19)

    def kettles_held(self) -> None:
        """Received two days ago, waiting for the inspector."""
        order = self.order("QIN", {"KET-G8": 180}, -70, 9)
        voyage = self.voyage("Saltmarsh Heron", "217S", "VAN", "CNNGB", "NZTRG", with_imo_check_digit("998101"))
        shipment = self.shipment([order], voyage, ("CNNGB", "NZTRG", "Tauranga"), -36, 30)
        self.say(shipment, "departure", -36)
        self.charge(shipment, "QUI", "freight", "640.00", "USD", "volume", -36)
        self.charge(shipment, "QUI", "freight", "690.00", "USD", "volume", -33, "QF-88301")
        self.say(shipment, "arrival", -5)
        self.entry(shipment, "TG-241118", -4, more_tax="12.40")
        self.receive(shipment, "DN-70502", -2)

    def cleared_in_part(self) -> None:
        """Two containers landed; the first is declared, the office asks for an inspection of the second."""
        order = self.order("DAL", {"INF-50": 3600}, -80, 5)
        voyage = self.voyage("Saltmarsh Heron", "219S", "VAN", "VNSGN", "NZTRG", with_imo_check_digit("998101"))
        shipment = self.shipment([order], voyage, ("VNSGN", "NZTRG", "Tauranga"), -28, 24, boxes=2)
        self.say(shipment, "departure", -28)
        self.charge(shipment, "QUI", "freight", "2140.00", "USD", "volume", -26)
        self.say(shipment, "arrival", -3)
        self.entry(shipment, "TG-241121", -2, boxes=1)

    def close_the_books(self) -> None:
        """The month before last is closed: what is dated there posts in the first open one."""
        first = self.today.replace(day=1)
        closed = (first - timedelta(days=1)).replace(day=1) - timedelta(days=1)
        Company.objects.update(closed_through=closed)

    def carriers_say(self) -> None:
        """A morning of a carrier's feed: an estimate, a container taken out, and one that no one knows."""
        vessel = {"vesselIMONumber": with_imo_check_digit("998101"), "vesselName": "Saltmarsh Heron"}
        call = {"UNLocationCode": "NZTRG", "carrierVoyageNumber": "221S", "vessel": vessel}
        kettles = Container.objects.get(shipment__voyage__number="217S").number
        said = [
            ("TRANSPORT", "transportEventTypeCode", "ARRI", "EST", 14, {"transportCall": call}),
            ("EQUIPMENT", "equipmentEventTypeCode", "GTOT", "ACT", -3, {"equipmentReference": kettles}),
            ("EQUIPMENT", "equipmentEventTypeCode", "DISC", "ACT", -1, {"equipmentReference": "QXNU4410027"}),
        ]
        act = self.act("hanne", -1)
        events = [
            {
                "eventID": f"vbl-{number}",
                "eventType": event_type,
                name: code,
                "eventClassifierCode": kind,
                "eventDateTime": f"{self.today + timedelta(days=days)}T06:00:00+13:00",
                "eventCreatedDateTime": act.at.isoformat(),
                **more,
            }
            for number, (event_type, name, code, kind, days, more) in enumerate(said, 1)
        ]
        carrier_events.hear(act, carrier_events.EventsRequest("Vantara Bight Lines", json.dumps(events).encode()))

    def leaving_soon(self) -> None:
        """Packed into two containers, not departed."""
        order = self.order("QIN", {"KET-17": 360, "KET-G8": 240}, -40, 55)
        voyage = self.voyage("Saltmarsh Heron", "229S", "VAN", "CNNGB", "NZTRG", with_imo_check_digit("998101"))
        shipment = self.shipment([order], voyage, ("CNNGB", "NZTRG", "Tauranga"), 5, 30, boxes=2)
        self.charge(shipment, "QUI", "freight", "4900.00", "USD", "volume", 0)
        required_documents.ask_usual(self.act("hanne", 0), required_documents.UsualRequest(shipment))
        balance = required_documents.DocumentRequest(
            shipment, "balance", "accounts", "Balance of 70 % to Qinlaro", anchor="departure", anchor_days=7
        )
        required_documents.require_document(self.act("hanne", 0), balance)
        first = RequiredDocument.objects.filter(shipment=shipment, kind="packing_list").get()
        required_documents.complete_document(
            self.act("hanne", 0), required_documents.DoneRequest(first.pk, self.today, "QL-PL-229")
        )

    def a_notice_waits(self) -> None:
        """A forwarder's packing list: as agreed, more than there is, and an order that no one knows."""
        parts = Instalment.objects.filter(
            line__order__supplier=self.parties["DAL"], position__with_supplier__gt=0, agreed_quantity__gt=0
        ).select_related("line__order", "line__item", "position")
        lines = []
        for number, part in enumerate(parts.order_by("pk")[:3], 1):
            more = D(120) if number == 2 else D(0)
            box = with_container_check_digit(f"QXNU{880 + number // 3:03d}417")
            line = part.line
            quantity = part.position.with_supplier + more
            lines.append(
                Line(number, line.order.number, str(line.number), line.item.code, quantity, box, "42G1", "QM-77")
            )
        lines.append(Line(len(lines) + 1, "KLN-09999", "1", "", D(60), lines[0].container))
        said = Notice("QMF-PL-5102", tuple(lines), self.today - timedelta(days=1), "QMF510223")
        despatch_notices.read(self.act("hanne", 0), despatch_notices.NoticeRequest(said))

    def talk_with_suppliers(self) -> None:
        """Unanswered, answered differently, and an accepted split."""
        self.order("AMB", {"UVA-10": 1920, "DIM-10": 1440}, -21, 60, agreed=False)
        self.order("AMB", {"UVA-10": 960}, -16, 66, company="KLA", agreed=False)
        later = self.order("QIN", {"KET-12": 300, "KET-G8": 160}, -14, 70, agreed=False)
        self.answer(later, -3, later=18)
        dearer = self.order("TRE", {"TPT-09": 480}, -12, 95, agreed=False)
        self.answer(dearer, -2, up="1.04")
        fewer = self.order("DAL", {"WRP-03": 9600}, -20, 58, agreed=False)
        self.answer(fewer, -9, part="0.6")
        answer = Answer.objects.get(instalment__line__order=fewer, outcome="open")
        answers.decide_answer(self.act("tobin", -8), answers.Decision(answer.pk, True))

    def drafts(self) -> None:
        """Orders on their way out."""
        self.order("TRE", {"CUP-21": 960, "TPT-09": 120}, 1, 120, stop="draft")
        self.order("QIN", {"KET-17": 480}, 0, 90, stop="check")
        self.order("OZU", {"SEN-01": 3000}, 0, 85, stop="approve")

    def everyday(self) -> None:
        """The rest of the book: sent orders of the last weeks, most of them agreed."""
        by_supplier: dict[str, list[str]] = {}
        for row in ITEMS:
            by_supplier.setdefault(row[3], []).append(row[0])
        for _ in range(18):
            supplier, passage = self.chance.choice([(row[0], row[6]) for row in SUPPLIERS])
            codes = by_supplier[supplier]
            chosen = self.chance.sample(codes, self.chance.randint(1, len(codes)))
            sent = -self.chance.randint(6, 45)
            need = sent + passage + self.chance.randint(25, 75)
            lines = {code: 24 * self.chance.randint(5, 90) for code in chosen}
            company = self.chance.choice(["KLN", "KLN", "KLA"])
            self.order(supplier, lines, sent, need, company, agreed=self.chance.random() < 0.7)

    def chaser_rules(self) -> None:
        """When suppliers are reminded; the potters answer slowly and are given longer."""
        for kind, days, quiet in (("unanswered", 5, 5), ("ready", 10, 7), ("despatch", 2, 4), ("papers", 3, 3)):
            ChaserRule.objects.create(kind=kind, days=days, quiet_days=quiet)
        ChaserRule.objects.create(supplier=self.parties["TRE"], kind="unanswered", days=9, quiet_days=7)
        Party.objects.filter(code="OZU").update(accept_days=3)
