"""The form of a supplier's bill for goods: its head, a band for each order line, and what else stands on the paper."""

from collections.abc import Iterator, Sequence
from decimal import Decimal

from django import forms

from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.billing.models import KeptBill
from northing.core.costing.landed_cost import KINDS
from northing.core.money.exact import plain
from northing.costing.models import Charge
from northing.masterdata.models import TaxCode
from northing.reports.billable import Billable
from northing.web.common.forms import ActionForm, DayField, ExactField

EXTRA_ROWS = 3
# From so many codes on a bill may have tax of more than one.
TWO = 2
# What the file that a bill came from is signed for.
CAME = "bill file"
DECISIONS = [("", "not decided"), ("accept", "Accept it as cost"), ("dispute", "Dispute it")]
# What else a supplier bills; the usual first.
USUAL = ("freight", "surcharge", "discount", "rounding", "insurance", "handling", "other")
KIND_CHOICES = [("", "nothing"), *((name, Charge.Kind(name).label) for name in USUAL if name in KINDS)]


def initial_of(kept: KeptBill) -> dict[str, object]:
    """What the form begins with where a kept bill is booked."""
    found: dict[str, object] = {"bill_number": kept.number, "day": kept.day, "tax": plain(kept.tax) if kept.tax else ""}
    found["total"] = "" if kept.total is None else plain(kept.total)
    row = 0
    for one in kept.lines:
        if "order_line" in one:
            end = f"l{one['order_line']}"
            found |= {f"quantity-{end}": one["quantity"]}
            found |= {f"price-{end}": one["price"]} if "price" in one else {}
        elif row < EXTRA_ROWS:
            found |= {f"{name}-x{row}": one[name] for name in ("kind", "amount", "remark")}
            row += 1
    return found


class GoodsBillForm(ActionForm):
    """A supplier's bill in one currency, for goods of one company."""

    bill_number = forms.CharField(max_length=40, label="Number", widget=forms.TextInput({"autofocus": True}))
    day = DayField(label="Dated")
    total = ExactField(required=False, label="Total as stated")
    tax = ExactField(required=False)
    tax_code = forms.ChoiceField(required=False, label="Tax code")
    # Some papers bear tax of two kinds.
    second_tax = ExactField(required=False, label="Tax of another code")
    second_code = forms.ChoiceField(required=False, label="That code")
    due_on = DayField(label="Due on", required=False, help_text="By the terms, unless said here.")
    rate = ExactField(required=False, label="Rate", help_text="The day's, unless said here.")
    accept = forms.BooleanField(required=False, label="Book it anyway")
    why = forms.CharField(max_length=240, required=False, label="What is wrong with it", help_text="To send it back.")
    document = forms.FileField(required=False, label="The paper", help_text="PDF or picture; kept with the bill.")
    # The file that the bill was read from, as it was set aside: signed, so that it is no other.
    came = forms.CharField(max_length=600, required=False, widget=forms.HiddenInput)
    add = forms.CharField(max_length=200, required=False, label="More order lines", help_text="PO-1/2, PO-4/1")
    SECOND = ("second_tax", "second_code")
    HEAD = ("bill_number", "day", "total", "tax", "tax_code", *SECOND, "due_on", "rate", "document")

    def __init__(self, *args, lines: Sequence[Billable], **kwargs):
        super().__init__(*args, **kwargs)
        self.lines = lines
        codes = TaxCode.objects.filter(company=lines[0].line.order.company_id)
        known = [(one.code, str(one)) for one in codes]
        self.fields["tax_code"].choices = [("", "as its orders say"), *known]
        self.fields["second_code"].choices = [("", "choose"), *known]
        for name, least in (("tax_code", 1), *((name, TWO) for name in self.SECOND)):
            if len(known) < least:
                del self.fields[name]
        for one in lines:
            self._add_row(one)
        for row in range(EXTRA_ROWS):
            end = f"x{row}"
            label = f"of further line {row + 1}"
            self.fields[f"kind-{end}"] = forms.ChoiceField(choices=KIND_CHOICES, required=False, label=f"Kind {label}")
            self.fields[f"amount-{end}"] = ExactField(required=False, label=f"Amount {label}")
            self.fields[f"remark-{end}"] = forms.CharField(max_length=120, required=False, label=f"Remark {label}")

    def _add_row(self, one: Billable) -> None:
        end, name = f"l{one.line.pk}", f"{one.line.order.number}/{one.line.number}"
        quantity = ExactField(required=False, label=f"Units of {name}")
        price = ExactField(required=False, label=f"Price of {name}")
        self.initial.setdefault(f"quantity-{end}", plain(one.proposed))
        self.initial.setdefault(f"price-{end}", plain(one.price))
        decision = forms.ChoiceField(
            choices=DECISIONS, required=False, label=f"What is decided of {name}", widget=forms.Select
        )
        self.fields |= {f"quantity-{end}": quantity, f"price-{end}": price, f"decision-{end}": decision}

    def head(self):
        """The fields of the head."""
        return [self[name] for name in self.HEAD if name in self.fields]

    def bands(self) -> Iterator[dict]:
        """Each order line with its figures, its fields, and the units now on the bill."""
        for one in self.lines:
            end = f"l{one.line.pk}"
            fields = {name: self[f"{name}-{end}"] for name in ("quantity", "price", "decision")}
            yield {"one": one, "now": self._units(f"quantity-{end}"), **fields}

    def _units(self, name: str) -> Decimal:
        if not self.is_bound:
            return Decimal(self.initial[name] or 0)
        return (getattr(self, "cleaned_data", {}).get(name)) or Decimal(0)

    def extras(self) -> Iterator[dict]:
        """The fields of each further line."""
        for row in range(EXTRA_ROWS):
            yield {name: self[f"{name}-x{row}"] for name in ("kind", "amount", "remark")}

    def clean(self):
        """An amount of a further line says of what kind it is, a second tax its code."""
        entered = super().clean()
        if entered.get("second_tax") and not entered.get("second_code"):
            self.add_error("second_code", "Choose the code of this tax.")
        for row in range(EXTRA_ROWS):
            if entered.get(f"amount-x{row}") and not entered.get(f"kind-x{row}"):
                self.add_error(f"kind-x{row}", "Choose what this amount is for.")
        return entered

    def field_of(self, where: str) -> str:
        """A problem of a line as a whole stands at its units."""
        return f"quantity-{where}" if f"quantity-{where}" in self.fields else where

    def asked(self) -> BillRequest:
        """The bill as a request; order lines without units, and further lines without an amount, are left out."""
        entered, order, taxes = self.cleaned_data, self.lines[0].line.order, self._taxes()
        goods = [one for one in self.lines if entered.get(f"quantity-l{one.line.pk}")]
        extras = [row for row in range(EXTRA_ROWS) if entered.get(f"amount-x{row}")]
        return BillRequest(
            company=order.company_id,
            party=order.supplier_id,
            number=entered.get("bill_number", ""),
            day=entered["day"],
            currency=order.currency,
            lines=(*map(self._goods, goods), *map(self._extra, extras)),
            tax=sum((amount for _, amount in taxes), BillRequest.tax),
            total=entered.get("total"),
            due_on=entered.get("due_on"),
            rate=entered.get("rate"),
            accept=entered.get("accept", False),
            taxes=taxes if any(code for code, _ in taxes) else (),
        )

    def _taxes(self) -> tuple[tuple[str, Decimal], ...]:
        """The lines of tax with their codes; a line without one has the codes of the orders."""
        entered = self.cleaned_data
        pairs = ("tax_code", "tax"), ("second_code", "second_tax")
        return tuple((entered.get(code, ""), amount) for code, name in pairs if (amount := entered.get(name)))

    def _goods(self, one: Billable) -> BillLineRequest:
        end = f"l{one.line.pk}"
        said = {name: self.cleaned_data.get(f"{name}-{end}") for name in ("quantity", "price", "decision")}
        return BillLineRequest(order_line=one.line.pk, where=end, **said)

    def _extra(self, row: int) -> BillLineRequest:
        entered, end = self.cleaned_data, f"x{row}"
        kind, remark = entered[f"kind-{end}"], entered[f"remark-{end}"]
        return BillLineRequest(entered[f"amount-{end}"], kind=kind, remark=remark, where=end)
