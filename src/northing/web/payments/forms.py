"""Forms of payments: many bills at once, or one party's with the bank's own figures."""

from collections.abc import Iterator, Sequence
from decimal import Decimal

from django import forms

from northing.actions.payments.pay_many import MOST, PayManyRequest
from northing.actions.payments.request import PartRequest, PayRequest
from northing.billing.models import Bill
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused
from northing.masterdata.models import BankAccount
from northing.orders.models import PurchaseOrder
from northing.reports.open_bills import OpenBill
from northing.web.common.forms import ActionForm, DayField, ExactField
from northing.web.common.keys import keys_of


class PayManyForm(ActionForm):
    """Bills that are chosen in the list, paid on one day."""

    day = DayField(label="Paid on")
    discounts = forms.BooleanField(required=False, initial=True, label="Take the discounts")
    # How many the list had when it was shown, where all of them are chosen.
    every = forms.IntegerField(required=False)

    def asked(self, listed: Sequence[int]) -> PayManyRequest:
        """The request; bills are those whose boxes are ticked, or all that are listed (ids).

        Raises Refused where the list is no longer what was shown.
        """
        entered = self.cleaned_data
        chosen = tuple(keys_of(self.data.getlist("bill")))
        if entered["every"] is not None:
            chosen = tuple(listed)
            if len(chosen) != min(entered["every"], MOST + 1):
                what = f"{entered['every']:,} were listed, and now it is {len(chosen):,}."
                raise Refused(Problem(what, "bills", "Look at the list again, and choose anew."))
        return PayManyRequest(chosen, entered["day"], entered["discounts"])


class PayForm(ActionForm):
    """A payment to one party: an amount for each bill, or in advance on an order; the bank's own figures.

    Credit notes and advances that are open are set off, or come back where nothing is paid.
    """

    day = DayField(label="Paid on")
    account = forms.ModelChoiceField(BankAccount.objects.none(), required=False, label="From the account")
    rate = ExactField(required=False, help_text="The day's, unless said here or by the bank's amount.")
    bank = ExactField(required=False, label="Left the bank", help_text="In base currency, as the statement says.")
    charges = ExactField(required=False, label="Charges of the bank", help_text="In base currency, beside the amount.")
    withheld = ExactField(required=False, label="Tax withheld", help_text="Of the amount, owed to the office instead.")
    remark = forms.CharField(max_length=120, required=False)
    HEAD = ("day", "account", "rate", "bank", "charges", "withheld", "remark")

    def __init__(
        self,
        *args,
        bills: Sequence[OpenBill] = (),
        order: PurchaseOrder | None = None,
        against: Sequence[Bill | PurchaseOrder] = (),
        **kwargs,
    ):
        super().__init__(*args, **kwargs)
        self.bills, self.order, self.against = bills, order, against
        of = order or (bills[0].bill if bills else against[0])
        self.company, self.currency = of.company, of.currency
        self.party = of.party if isinstance(of, Bill) else of.supplier
        self.fields["account"].queryset = BankAccount.objects.filter(
            company=self.company, currency__in=(self.company.currency, self.currency)
        )
        own = self.fields["account"].queryset.filter(currency=self.company.currency).first()
        self.initial.setdefault("account", own)
        if self.currency == self.company.currency:
            del self.fields["rate"], self.fields["bank"]
        for number, one in enumerate(bills):
            label = f"of {one.bill.number}"
            self.fields[f"amount-{number}"] = ExactField(
                required=False, label=f"Amount {label}", initial=plain(one.to_pay)
            )
            self.fields[f"discount-{number}"] = ExactField(
                required=False, label=f"Discount {label}", initial=plain(one.discount) if one.discount else ""
            )
        if order:
            self.fields["amount-0"] = ExactField(label="Amount in advance")
        self._add_against()

    def _add_against(self) -> None:
        """Credit notes are proposed up to what is paid; of an advance that goods still wait for, nothing is."""
        left = sum((one.to_pay for one in self.bills), Decimal(0))
        for number, one in enumerate(self.against):
            proposed = min(one.left, left) if self.bills else one.left
            if isinstance(one, Bill):
                label, initial = f"Set off of credit note {one.number}", plain(proposed) if proposed > 0 else ""
                left -= proposed
            else:
                label, initial = f"Set off of the advance on {one.number}", "" if self.bills else plain(one.left)
            self.fields[f"against-{number}"] = ExactField(
                required=False, label=label, initial=initial, help_text=f"{self.currency} {plain(one.left)} is open."
            )
        if not self.bills and not self.order:
            del self.fields["withheld"]

    @property
    def comes_back(self) -> bool:
        """Whether nothing is paid, and money comes back."""
        return not self.bills and not self.order

    def set_offs(self):
        """The fields of what is set off."""
        return [self[f"against-{number}"] for number, _ in enumerate(self.against)]

    def head(self):
        """The fields of the head."""
        return [self[name] for name in self.HEAD if name in self.fields]

    @property
    def advance(self):
        """The amount that is paid in advance."""
        return self["amount-0"]

    def rows(self):
        """Each bill with its fields."""
        for number, one in enumerate(self.bills):
            yield {"one": one, "amount": self[f"amount-{number}"], "discount": self[f"discount-{number}"]}

    def asked(self) -> PayRequest:
        """The payment as a request; bills without an amount are left out."""
        entered = self.cleaned_data
        account = entered["account"]
        return PayRequest(
            self.company.pk,
            self.party.pk,
            entered["day"],
            self.currency,
            self._parts(),
            rate=entered.get("rate"),
            bank=entered.get("bank"),
            charges=entered["charges"] or Decimal(0),
            account=account.pk if account else None,
            remark=entered["remark"],
            withheld=entered.get("withheld") or Decimal(0),
        )

    def _parts(self) -> tuple[PartRequest, ...]:
        entered = self.cleaned_data
        if self.order:
            return (PartRequest(entered["amount-0"], order=self.order.pk),)
        paid = tuple(
            PartRequest(
                entered[f"amount-{number}"], bill=one.bill.pk, discount=entered[f"discount-{number}"] or Decimal(0)
            )
            for number, one in enumerate(self.bills)
            if entered[f"amount-{number}"]
        )
        return paid + tuple(self._set_off())

    def _set_off(self) -> Iterator[PartRequest]:
        for number, one in enumerate(self.against):
            amount = self.cleaned_data[f"against-{number}"]
            if amount and isinstance(one, Bill):
                yield PartRequest(amount, bill=one.pk)
            elif amount:
                yield PartRequest(amount, order=one.pk, set_off=True)

    def field_of(self, where: str) -> str:
        """The field of a part of the payment, by its place in the request."""
        name, _, number = where.partition("-")
        paid = [place for place, _ in enumerate(self.bills) if self.cleaned_data.get(f"amount-{place}")]
        used = [place for place, _ in enumerate(self.against) if self.cleaned_data.get(f"against-{place}")]
        if self.order or name not in ("amount", "discount") or not number.isdigit():
            return where
        place = int(number)
        if place < len(paid):
            return f"{name}-{paid[place]}"
        return f"against-{used[place - len(paid)]}" if place - len(paid) < len(used) else "day"
