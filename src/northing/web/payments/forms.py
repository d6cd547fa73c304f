"""Forms of payments: many bills at once, or one party's with the bank's own figures."""

from collections.abc import Sequence
from decimal import Decimal

from django import forms

from northing.actions.payments.pay import PartRequest, PayRequest
from northing.actions.payments.pay_many import PayManyRequest
from northing.core.money.exact import plain
from northing.masterdata.models import BankAccount
from northing.orders.models import PurchaseOrder
from northing.reports.open_bills import OpenBill
from northing.web.common.forms import ActionForm, DayField, ExactField
from northing.web.common.keys import keys_of


class PayManyForm(ActionForm):
    """Bills that are chosen in the list, paid on one day."""

    day = DayField(label="Paid on")
    discounts = forms.BooleanField(required=False, initial=True, label="Take the discounts")

    def asked(self) -> PayManyRequest:
        """The request; bills are those whose boxes are ticked."""
        entered = self.cleaned_data
        chosen = tuple(keys_of(self.data.getlist("bill")))
        return PayManyRequest(chosen, entered["day"], entered["discounts"])


class PayForm(ActionForm):
    """A payment to one party: an amount for each bill, or in advance on an order; the bank's own figures."""

    day = DayField(label="Paid on")
    account = forms.ModelChoiceField(BankAccount.objects.none(), required=False, label="From the account")
    rate = ExactField(required=False, help_text="The day's, unless said here or by the bank's amount.")
    bank = ExactField(required=False, label="Left the bank", help_text="In base currency, as the statement says.")
    charges = ExactField(required=False, label="Charges of the bank", help_text="In base currency, beside the amount.")
    remark = forms.CharField(max_length=120, required=False)
    HEAD = ("day", "account", "rate", "bank", "charges", "remark")

    def __init__(self, *args, bills: Sequence[OpenBill] = (), order: PurchaseOrder | None = None, **kwargs):
        super().__init__(*args, **kwargs)
        self.bills, self.order = bills, order
        of = order or bills[0].bill
        self.company, self.currency = of.company, of.currency
        self.party = order.supplier if order else bills[0].bill.party
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
        )

    def _parts(self) -> tuple[PartRequest, ...]:
        entered = self.cleaned_data
        if self.order:
            return (PartRequest(entered["amount-0"], order=self.order.pk),)
        return tuple(
            PartRequest(
                entered[f"amount-{number}"], bill=one.bill.pk, discount=entered[f"discount-{number}"] or Decimal(0)
            )
            for number, one in enumerate(self.bills)
            if entered[f"amount-{number}"]
        )
