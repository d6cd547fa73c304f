"""The form of a supplier's credit note: its head, and an amount for each claim and line that it may credit."""

from collections.abc import Iterator, Sequence
from decimal import Decimal

from django import forms

from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.billing.models import Bill
from northing.core.money.money import minor_units
from northing.reports.creditable import Creditable, From
from northing.web.common.forms import ActionForm, DayField, ExactField


class CreditForm(ActionForm):
    """A credit note in one currency, for goods of one company."""

    bill_number = forms.CharField(max_length=40, label="Number", widget=forms.TextInput({"autofocus": True}))
    day = DayField(label="Dated")
    total = ExactField(required=False, label="Total as stated")
    tax = ExactField(required=False, help_text="At the rate of the bill it corrects.")
    rate = ExactField(required=False, label="Rate", help_text="The day's, unless said here.")
    document = forms.FileField(required=False, label="The paper", help_text="PDF or picture; kept with it.")
    # The file that it was read from, as it was set aside.
    came = forms.CharField(max_length=600, required=False, widget=forms.HiddenInput)
    HEAD = ("bill_number", "day", "total", "tax", "rate", "document")

    def __init__(self, *args, start: From, lines: Sequence[Creditable], **kwargs):
        super().__init__(*args, **kwargs)
        self.start, self.lines = start, lines
        for one in lines:
            initial = f"{one.proposed:.{minor_units(start.currency)}f}" if one.proposed else ""
            self.fields[f"amount-{one.key}"] = ExactField(
                required=False, label=f"Amount of {one.name}", initial=initial
            )

    def head(self):
        """The fields of the head."""
        return [self[name] for name in self.HEAD]

    def rows(self) -> Iterator[dict]:
        """Each line with its field."""
        for one in self.lines:
            yield {"one": one, "amount": self[f"amount-{one.key}"]}

    def asked(self) -> BillRequest:
        """The credit note as a request; lines without an amount are left out."""
        entered = self.cleaned_data
        return BillRequest(
            company=self.start.company,
            party=self.start.supplier,
            number=entered["bill_number"],
            day=entered["day"],
            currency=self.start.currency,
            lines=tuple(self._line(one) for one in self.lines if entered[f"amount-{one.key}"]),
            tax=entered["tax"] or Decimal(0),
            total=entered["total"],
            rate=entered["rate"],
            kind=Bill.Kind.CREDIT,
        )

    def _line(self, one: Creditable) -> BillLineRequest:
        amount = self.cleaned_data[f"amount-{one.key}"]
        if one.charge:
            return BillLineRequest(amount, charge=one.charge.pk, where=one.key)
        if one.case:
            return BillLineRequest(amount, case=one.case.pk, where=one.key)
        return BillLineRequest(amount, order_line=one.line.pk, where=one.key)
