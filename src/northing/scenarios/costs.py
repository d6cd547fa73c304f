"""Charges, bills and customs entries of a scenario."""

from dataclasses import replace
from decimal import Decimal
from typing import Any

from northing.actions.billing import approve, bills, keep
from northing.actions.billing.request import BillLineRequest, BillRequest, of_one
from northing.actions.confirmations.supplier_links import acting_person
from northing.actions.costing import charges, from_cards, rebase
from northing.actions.customs import entries, office, proofs
from northing.actions.customs.covers import Covers
from northing.actions.customs.included import Included
from northing.billing.models import BillLine
from northing.core.problems import Problem, Refused
from northing.costing.models import Charge
from northing.customs.models import CustomsEntry, Release
from northing.orders.models import PurchaseOrder
from northing.scenarios import shapes
from northing.scenarios.played import Played
from northing.scenarios.shapes import NotScenario
from northing.shipping.models import ShipmentLine


class Costs(Played):
    """What is expected, billed and declared."""

    def charge(self, action: shapes.ChargeAction) -> tuple[str, int]:
        """An estimate; with a number a bill of one line, which may be of an estimate."""
        facts, estimate = {}, None
        if action.estimate:
            estimate = self.find("charge", action.estimate)
            facts = dict(charges.request_of(Charge.objects.get(pk=estimate)).__dict__)
        if action.over:
            facts |= self.scope(action.over)
        said = {
            "company": self.laid.one("companies", action.company).pk if action.company else None,
            "payee": self.laid.one("parties", action.payee).pk if action.payee else None,
            "kind": action.kind,
            "basis": "by_hand" if action.shares else action.basis,
            "currency": action.currency,
        }
        facts |= {name: value for name, value in said.items() if value}
        missing = [name for name in said if name not in facts]
        if missing:
            raise NotScenario(f"actions: the charge {action.id} lacks {missing[0]}")
        paper = {"amount": action.amount, "day": action.day, "remark": action.remark or facts.get("remark", "")}
        if action.shares:
            paper["shares"] = tuple(self._hand_share(one) for one in action.shares)
        request = charges.ChargeRequest(**facts | paper)
        act = self.laid.act(action.day)
        if not action.number:
            return "charge", charges.enter_estimate(act, request)
        bill = bills.book_bill(act, of_one(request, action.number, estimate))
        return "charge", BillLine.objects.get(bill=bill).charge_id

    def bill(self, action: shapes.BillAction) -> tuple[str, int]:
        """A bill or a credit note."""
        lines = list(action.lines)
        if action.line or action.case:
            named = {"line": action.line, "case": action.case, "amount": action.amount}
            lines.append(shapes.BillLineShape(**{name: said for name, said in named.items() if said}))
        order = self._order(lines)
        parties = [code for code in (action.supplier, action.provider, action.office) if code]
        if len(parties) > 1 or (not parties and order is None):
            raise NotScenario(f"actions: the bill {action.id} names {len(parties)} of supplier, provider and office")
        if order is None and not action.company:
            raise NotScenario(f"actions: the bill {action.id} names no company")
        party = self.laid.one("parties", parties[0]) if parties or order is None else order.supplier
        company = self.laid.one("companies", action.company) if action.company or order is None else order.company
        currency = order.currency if order else party.currency or company.currency
        request = BillRequest(
            company=company.pk,
            party=party.pk,
            number=action.number,
            day=action.day,
            currency=action.currency or currency,
            lines=tuple(self._line(line) for line in lines),
            tax=sum((one.amount for one in action.taxes), Decimal(0)) if action.taxes else action.tax,
            taxes=tuple((one.code, one.amount) for one in action.taxes),
            total=action.total,
            due_on=action.due,
            rate=action.rate,
            accept=action.accept,
            kind=action.do,
        )
        return "bill", bills.book_bill(self.laid.act(action.day), request)

    def keep_bill(self, action: shapes.KeepBill) -> tuple[str, int]:
        """A bill that is not booked."""
        party, order = self.laid.one("parties", action.supplier), self._order(action.lines)
        company = self.laid.one("companies", action.company)
        request = BillRequest(
            company=company.pk,
            party=party.pk,
            number=action.number,
            day=action.day,
            currency=action.currency or (order.currency if order else party.currency or company.currency),
            lines=tuple(self._line(line) for line in action.lines),
            total=action.total,
        )
        asked, act = keep.KeepRequest(request, bool(action.back), action.back), self.laid.act(action.day)
        if not action.by_supplier:
            return "kept bill", keep.keep_bill(act, asked)
        theirs = replace(act, person=acting_person(party), channel="link", supplier=party.pk)
        return "kept bill", keep.enter_bill(theirs, asked)

    def drop_bill(self, action: shapes.DropBill) -> None:
        """A bill that is kept is not to be booked."""
        keep.drop_bill(self.laid.act(action.day), keep.DropRequest(self.find("kept bill", action.bill), action.reason))

    def block(self, action: shapes.Block) -> None:
        """A bill is not paid for now, or may be again."""
        approve.block_bill(
            self.laid.act(action.day), approve.BlockRequest(self.find("bill", action.bill), action.reason)
        )

    def end_dispute(self, action: shapes.EndDispute) -> None:
        """What is in dispute is accepted."""
        approve.end_dispute(self.laid.act(action.day), approve.ApproveRequest(self.find("bill", action.bill)))

    def _order(self, lines: list[shapes.BillLineShape]) -> PurchaseOrder | None:
        """The order of the first line that is about goods."""
        for one in lines:
            if one.line:
                return self.line(one.line).order
            if one.case:
                return self.case_of(one.case).layer.shipment_line.instalment.line.order
        return None

    def _line(self, line: shapes.BillLineShape) -> BillLineRequest:
        if line.case:
            return BillLineRequest(line.amount or Decimal(0), case=self.case_of(line.case).pk, into=line.into)
        if line.line:
            key = self.line(line.line).pk
            amount = line.amount or Decimal(0)
            facts = {"quantity": line.quantity, "price": line.price, "decision": line.decision}
            return BillLineRequest(amount, order_line=key, **facts)
        facts: dict[str, Any] = self.scope(line.over) if line.over else {}
        charge = self._charge(line.charge) if line.charge else None
        amount = line.amount
        if amount is None:
            if charge is None:
                raise NotScenario("actions: a line of a bill that names no charge has an amount")
            amount = Charge.objects.get(pk=charge).rest
        facts |= {"kind": line.kind, "basis": line.basis, "final": line.final}
        return BillLineRequest(amount, charge, **facts)

    def _charge(self, name: str) -> int:
        """A charge by its own id, or by that of a bill and the number of its line: "B1/2"."""
        if name in self.made:
            return self.find("charge", name)
        bill, _, number = name.partition("/")
        if self.made.get(bill, ("", 0))[0] != "bill":
            return self.find("charge", name)
        lines = BillLine.objects.filter(bill=self.find("bill", bill))
        found = lines.filter(number=int(number) if number.isdigit() else 1).first()
        if found is None:
            raise NotScenario(f"there is no line {name}")
        return found.charge_id

    def end(self, action: shapes.EndEstimate) -> None:
        """An estimate will not be billed."""
        request = charges.EndRequest(self.find("charge", action.charge), action.reason)
        charges.end_estimate(self.laid.act(action.day), request)

    def take_cards(self, action: shapes.TakeCards) -> None:
        """What cards say of a shipment is estimated."""
        company = self.laid.one("companies", action.company)
        asked = from_cards.CardsRequest(self.find("shipment", action.shipment), company.pk)
        for key in from_cards.take_cards(self.laid.act(action.day), asked):
            self.made[f"{action.id}/{Charge.objects.get(pk=key).kind}"] = ("charge", key)

    def spread(self, action: shapes.SpreadAnew) -> None:
        """Another basis of a charge, or shares by hand."""
        shares = tuple(self._hand_share(one) for one in action.shares)
        asked = rebase.RebaseRequest(self._charge(action.charge), action.basis, shares)
        rebase.change_basis(self.laid.act(action.day), asked)

    def _hand_share(self, said: shapes.HandShare) -> tuple[int, int | None, Decimal]:
        line = self.line(said.line)
        if not said.container:
            return line.pk, None, said.amount
        box = self.find("container", said.container)
        part = ShipmentLine.objects.filter(container=box, instalment__line=line).first()
        if part is None:
            raise NotScenario(f"there is nothing of {said.line} in {said.container}")
        return line.pk, part.pk, said.amount

    def pay_office(self, action: shapes.PayOffice) -> tuple[str, int]:
        """The office is paid."""
        asked = office.PayOfficeRequest(self.find("customs entry", action.entry), action.day)
        return "office payment", office.pay_office(self.laid.act(action.day), asked)

    def release(self, action: shapes.Released) -> tuple[str, int]:
        """Customs releases the goods."""
        if action.entry:
            entries = [self.find("customs entry", action.entry)]
        else:
            company, shipment = self.laid.one("companies", action.company), self.find("shipment", action.shipment)
            standing = CustomsEntry.objects.filter(shipments=shipment, company=company, reversed_by=None)
            standing = standing.exclude(releases__in=Release.objects.filter(withdrawn_at=None))
            entries = list(standing.order_by("pk").values_list("pk", flat=True))
        if not entries:
            raise Refused(Problem("Nothing is declared yet.", mend="Book the customs entry first."))
        act = self.laid.act
        made = [office.release(act(action.day), office.ReleaseRequest(entry, action.day)) for entry in entries]
        return "release", made[-1]

    def proof(self, action: shapes.Proof) -> tuple[str, int]:
        """A paper proves the origin of goods in a shipment, or of what came unpacked with receipts."""
        company = self.laid.one("companies", action.company)
        shipments = (self.find("shipment", action.shipment),) if action.shipment else ()
        receipts = tuple(self.find("receipt", name) for name in action.receipts)
        said = (company.pk, action.name, action.number, action.dated, action.until)
        return "proof", proofs.add_proof(self.laid.act(action.day), proofs.ProofRequest(*said, shipments, receipts))

    def customs(self, action: shapes.Customs) -> tuple[str, int]:
        """A customs entry as computed; it may take the place of an earlier one."""
        company, office = self.laid.one("companies", action.company), self.laid.one("parties", action.office)
        corrects = self.find("customs entry", action.corrects) if action.corrects else None
        shipments = [self.find("shipment", action.shipment)] if action.shipment and not corrects else []
        boxes = [self.find("container", name) for name in action.containers]
        receipts = [self.find("receipt", name) for name in action.receipts]
        covers = Covers(tuple(shipments), tuple(boxes), tuple(receipts))
        their = action.their
        said = (tuple(their.duty), their.tax, their.reason) if their else ()
        included = [Included(self.find("order", one.order), one.freight, one.insurance) for one in action.included]
        head = (covers, company.pk, office.pk, action.number, action.day, corrects, *said)
        request = entries.EntryRequest(*head, included=tuple(included), rates=tuple(action.rates.items()))
        return "customs entry", entries.book_customs_entry(self.laid.act(action.day), request)
