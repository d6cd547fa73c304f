"""Payments of a scenario, advances, what is set off and what comes back; and periods that are closed."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from django.db import transaction

from northing.actions.billing.approve import ApproveRequest, approve_bill
from northing.actions.ledger.close import CloseRequest, close_period
from northing.actions.payments.ask import AskedRequest, approve_payment, drop_payment, pay_or_ask
from northing.actions.payments.between import BetweenRequest, settle_between
from northing.actions.payments.pay import owed_of, paid_of
from northing.actions.payments.request import PartRequest, PayRequest
from northing.billing.models import Bill, BillLine
from northing.core.money.money import from_minor, to_minor
from northing.core.money.spread import spread
from northing.core.problems import Problem, Refused
from northing.orders.models import PurchaseOrder
from northing.payments.queries import Advance, open_advances
from northing.scenarios import shapes
from northing.scenarios.played import MISSING, Played
from northing.scenarios.shapes import NotScenario

ZERO = Decimal(0)


@dataclass
class Taken:
    """A bill, a credit note or an advance, what the file says of it, and what is open of it."""

    record: Bill | PurchaseOrder
    said: Decimal | None
    open: Decimal

    @property
    def amount(self) -> Decimal:
        """What is taken of it: as said, else what is open."""
        return self.open if self.said is None else self.said

    def part(self, amount: Decimal, discount: Decimal = ZERO, *, set_off: bool = False) -> PartRequest:
        """So much of it as a part of a payment."""
        if isinstance(self.record, Bill):
            return PartRequest(amount, bill=self.record.pk, discount=discount)
        return PartRequest(amount, order=self.record.pk, set_off=set_off)


class Payments(Played):
    """What is paid, set off, comes back, and is closed."""

    def deposit(self, action: shapes.Deposit) -> tuple[str, int]:
        """An advance on an order."""
        order = PurchaseOrder.objects.get(pk=self.find("order", action.order))
        parts = (PartRequest(action.amount, order=order.pk),)
        return self._pay(action, order, parts, bank=action.bank)

    def pay(self, action: shapes.Pay) -> tuple[str, int]:
        """A payment of bills of one party, less credit notes and advances."""
        bills, against = self._bills(action.bills), self._against(action)
        amounts = [one.amount for one in bills]
        discounts = _discounts(action.discount, amounts, bills[0].record.currency)
        parts = tuple(
            one.part(amount - (discount if one.said is None else ZERO), discount)
            for one, amount, discount in zip(bills, amounts, discounts, strict=True)
        )
        parts += tuple(one.part(one.amount, set_off=True) for one in against)
        money = {"bank": action.bank, "charges": action.charges, "withheld": action.withheld}
        return self._pay(action, bills[0].record, parts, **money)

    def offset(self, action: shapes.Offset) -> tuple[str, int]:
        """Bills against credit notes and advances: as much as both sides have, where amounts are left out."""
        bills, against = self._bills(action.bills), self._against(action)
        sides = [sum((one.amount for one in side), ZERO) for side in (bills, against)]
        parts: tuple[PartRequest, ...] = ()
        for side in (bills, against):
            left = min(sides)
            for one in side:
                amount = one.amount if one.said is not None else min(one.open, left)
                left -= amount
                parts += (one.part(amount, set_off=side is against),)
        return self._pay(action, bills[0].record, tuple(part for part in parts if part.amount))

    def refund(self, action: shapes.Refund) -> tuple[str, int]:
        """Money of credit notes and advances comes back."""
        against = self._against(action)
        parts = tuple(one.part(one.amount, set_off=True) for one in against)
        return self._pay(action, against[0].record, parts, bank=action.bank, charges=action.charges)

    def settle_between(self, action: shapes.SettleBetween) -> tuple[str, int]:
        """What two companies owe each other is netted and paid."""
        first, second = (self.laid.one("companies", code).pk for code in (action.first, action.second))
        rates = action.first_rate, action.second_rate
        request = BetweenRequest(first, second, action.currency, action.day, *rates)
        return "settlement", settle_between(self.laid.act(action.day), request)

    def _pay(
        self,
        action: shapes.Deposit | shapes.Pay | shapes.Offset | shapes.Refund,
        first: Bill | PurchaseOrder,
        parts: tuple[PartRequest, ...],
        **money: Decimal | None,
    ) -> tuple[str, int]:
        party = first.party_id if isinstance(first, Bill) else first.supplier_id
        head = (first.company_id, party, action.day, first.currency, parts)
        done = pay_or_ask(self.laid.act(action.day), PayRequest(*head, rate=action.rate, **money))
        return ("payment", done["payment"]) if "payment" in done else ("asked payment", done["asked"])

    def approve(self, action: shapes.Approve) -> None:
        """A second person approves a bill or a payment; what is paid by that has the name of what was asked for."""
        kind, key = self.made.get(action.what, ("", 0))
        act = self.laid.act(action.day, self.laid.second)
        if kind == "asked payment":
            self.made[action.what] = "payment", approve_payment(act, AskedRequest(key))
        else:
            approve_bill(act, ApproveRequest(self.find("bill", action.what)))

    def drop_payment(self, action: shapes.DropPayment) -> None:
        """A payment that waits is not made."""
        asked = AskedRequest(self.find("asked payment", action.payment), action.reason)
        drop_payment(self.laid.act(action.day), asked)

    def _bills(self, named: Sequence[shapes.PaidBill]) -> list[Taken]:
        found = [(one, self._bill(one.id)) for one in named]
        keys = {bill.pk: bill for _, bill in found}
        owed, paid = owed_of(keys), paid_of(keys)
        return [
            Taken(bill, one.amount, owed[bill.pk].amount - paid.get(bill.pk, Advance()).amount) for one, bill in found
        ]

    def _against(self, action: shapes.Pay | shapes.Offset | shapes.Refund) -> list[Taken]:
        """Credit notes and advances."""
        found = self._bills(action.credits)
        for one in action.advances:
            order = PurchaseOrder.objects.get(pk=self.find("order", one.order))
            found.append(Taken(order, one.amount, open_advances([order.pk]).get(order.pk, Advance()).amount))
        if not found and not isinstance(action, shapes.Pay):
            raise NotScenario(f"actions: {action.do} {action.id} names no credit note and no advance")
        return found

    def _bill(self, name: str) -> Bill:
        """A bill by its id, or by that of a charge it bills alone."""
        if self.made.get(name, ("", 0))[0] == "charge":
            lines = BillLine.objects.filter(charge=self.find("charge", name), bill__reversed_by=None)
            found = lines.select_related("bill").first()
            if found is None:
                raise Refused(Problem(f"There is no bill of {name}.", "bills", MISSING))
            return found.bill
        return Bill.objects.get(pk=self.find("bill", name))

    def close(self, action: shapes.Close) -> tuple[str, int]:
        """The books of a company, or of all of them, are closed."""
        companies = self.laid.companies
        chosen = [self.laid.one("companies", action.company)] if action.company else list(companies.values())
        with transaction.atomic():
            made = [close_period(self.laid.act(action.day), CloseRequest(one.pk, action.through)) for one in chosen]
        return "closing", made[0]


def _discounts(total: Decimal, amounts: list[Decimal], currency: str) -> list[Decimal]:
    units = [to_minor(amount, currency) for amount in amounts]
    return [from_minor(one, currency) for one in spread(to_minor(total, currency), units)]
