"""Charges, bills and customs entries of a scenario."""

from decimal import Decimal
from typing import Any

from django.db import transaction

from northing.actions.billing import bills
from northing.actions.billing.request import BillLineRequest, BillRequest, of_one
from northing.actions.costing import charges
from northing.actions.customs import entries
from northing.actions.ledger.close import CloseRequest, close_period
from northing.actions.payments.pay import PartRequest, PayRequest, owed_of, paid_of, pay
from northing.billing.models import Bill, BillLine
from northing.core.money.money import from_minor, to_minor
from northing.core.money.spread import spread
from northing.core.problems import Problem, Refused
from northing.costing.models import Charge
from northing.customs.models import CustomsEntry
from northing.masterdata.models import Party
from northing.orders.models import PurchaseOrder
from northing.payments.queries import Advance
from northing.scenarios import shapes
from northing.scenarios.played import MISSING, Played
from northing.scenarios.shapes import NotScenario


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
            "basis": action.basis,
            "currency": action.currency,
        }
        facts |= {name: value for name, value in said.items() if value}
        missing = [name for name in said if name not in facts]
        if missing:
            raise NotScenario(f"actions: the charge {action.id} lacks {missing[0]}")
        paper = {"amount": action.amount, "day": action.day, "remark": action.remark or facts.get("remark", "")}
        request = charges.ChargeRequest(**facts | paper)
        act = self.laid.act(action.day)
        if not action.number:
            return "charge", charges.enter_estimate(act, request)
        bill = bills.book_bill(act, of_one(request, action.number, estimate))
        return "charge", BillLine.objects.get(bill=bill).charge_id

    def bill(self, action: shapes.BillAction) -> tuple[str, int]:
        """A bill or a credit note."""
        named = [code for code in (action.supplier, action.provider, action.office) if code]
        if len(named) != 1:
            raise NotScenario(f"actions: the bill {action.id} names {len(named)} of supplier, provider and office")
        party = self.laid.one("parties", named[0])
        request = BillRequest(
            company=self.laid.one("companies", action.company).pk,
            party=party.pk,
            number=action.number,
            day=action.day,
            currency=action.currency or self._currency(action, party),
            lines=tuple(self._line(line) for line in action.lines),
            tax=action.tax,
            total=action.total,
            due_on=action.due,
            rate=action.rate,
            accept=action.accept,
            kind=action.do,
        )
        return "bill", bills.book_bill(self.laid.act(action.day), request)

    def _currency(self, action: shapes.BillAction, party: Party) -> str:
        """That of the first order, else of the party, else of the company."""
        named = next((self.line(one.line) for one in action.lines if one.line), None)
        return named.order.currency if named else party.currency or self.laid.one("companies", action.company).currency

    def _line(self, line: shapes.BillLineShape) -> BillLineRequest:
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
        bill, _, number = name.partition("/")
        if self.made.get(bill, ("", 0))[0] != "bill":
            return self.find("charge", name)
        lines = BillLine.objects.filter(bill=self.find("bill", bill))
        found = lines.filter(number=int(number) if number.isdigit() else 1).first()
        if found is None:
            raise NotScenario(f"there is no line {name}")
        return found.charge_id

    def deposit(self, action: shapes.Deposit) -> tuple[str, int]:
        """An advance on an order."""
        order = PurchaseOrder.objects.get(pk=self.find("order", action.order))
        parts = (PartRequest(action.amount, order=order.pk),)
        request = PayRequest(
            order.company_id,
            order.supplier_id,
            action.day,
            order.currency,
            parts,
            rate=action.rate,
            bank=action.bank,
        )
        return "payment", pay(self.laid.act(action.day), request)

    def pay(self, action: shapes.Pay) -> tuple[str, int]:
        """A payment of bills of one party."""
        found = [(one, self._bill(one.id)) for one in action.bills]
        owed, paid = (reads({bill.pk: bill for _, bill in found}) for reads in (owed_of, paid_of))
        amounts = [
            owed[bill.pk].amount - paid.get(bill.pk, Advance()).amount if one.amount is None else one.amount
            for one, bill in found
        ]
        first = found[0][1]
        discounts = self._discounts(action.discount, amounts, first.currency)
        parts = tuple(
            PartRequest(amount - (discount if one.amount is None else 0), bill=bill.pk, discount=discount)
            for (one, bill), amount, discount in zip(found, amounts, discounts, strict=True)
        )
        request = PayRequest(
            first.company_id,
            first.party_id,
            action.day,
            first.currency,
            parts,
            rate=action.rate,
            bank=action.bank,
            charges=action.charges,
        )
        return "payment", pay(self.laid.act(action.day), request)

    def close(self, action: shapes.Close) -> tuple[str, int]:
        """The books of a company, or of all of them, are closed."""
        companies = self.laid.companies
        chosen = [self.laid.one("companies", action.company)] if action.company else list(companies.values())
        with transaction.atomic():
            made = [close_period(self.laid.act(action.day), CloseRequest(one.pk, action.through)) for one in chosen]
        return "closing", made[0]

    def _bill(self, name: str) -> Bill:
        """A bill by its id, or by that of a charge it bills alone."""
        if self.made.get(name, ("", 0))[0] == "charge":
            lines = BillLine.objects.filter(charge=self.find("charge", name), bill__reversed_by=None)
            found = lines.select_related("bill").first()
            if found is None:
                raise Refused(Problem(f"There is no bill of {name}.", "bills", MISSING))
            return found.bill
        return Bill.objects.get(pk=self.find("bill", name))

    @staticmethod
    def _discounts(total: Decimal, amounts: list[Decimal], currency: str) -> list[Decimal]:
        units = [to_minor(amount, currency) for amount in amounts]
        return [from_minor(one, currency) for one in spread(to_minor(total, currency), units)]

    def end(self, action: shapes.EndEstimate) -> None:
        """An estimate will not be billed."""
        request = charges.EndRequest(self.find("charge", action.charge), action.reason)
        charges.end_estimate(self.laid.act(action.day), request)

    def customs(self, action: shapes.Customs) -> tuple[str, int]:
        """A customs entry as computed; it may take the place of an earlier one."""
        company, office = self.laid.one("companies", action.company), self.laid.one("parties", action.office)
        shipment = self.find("shipment", action.shipment)
        corrects = self.find("customs entry", action.corrects) if action.corrects else None
        request = entries.EntryRequest(shipment, company.pk, office.pk, action.number, action.day, corrects)
        entries.book_customs_entry(self.laid.act(action.day), request)
        return "customs entry", CustomsEntry.objects.get(shipment=shipment, company=company, reversed_by=None).pk
