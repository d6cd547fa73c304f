"""Forms of bills and credit notes."""

from collections.abc import Iterator

from django import forms
from django.db.models import Q

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.billing.models import Bill
from northing.costing.models import Charge
from northing.drawings.figures import money
from northing.masterdata.models import Company, Party
from northing.web.common.forms import ActionForm, CurrencyField, DayField, ExactField
from northing.web.costing.forms import BASES, KIND_CHOICES, ScopeField

MOST_LINES = 30
MOST_ESTIMATES = 200
PARTS = ("charge", "kind", "basis", "over", "amount", "remark", "more")


class BillForm(ActionForm):
    """A bill as it lies on the table: its head, and a row for each of its lines."""

    kind = forms.ChoiceField(choices=Bill.Kind.choices, label="This is a")
    company = forms.ModelChoiceField(Company.objects.none(), label="Billed to")
    payee = forms.ModelChoiceField(Party.objects.all(), label="From")
    bill_number = forms.CharField(max_length=40, label="Number")
    day = DayField(label="Dated")
    due_on = DayField(label="Due on", required=False)
    currency = CurrencyField()
    tax = ExactField(required=False)
    total = ExactField(required=False, label="Total as stated")
    # The file that it was read from, signed.
    came = forms.CharField(max_length=600, required=False, widget=forms.HiddenInput)
    HEAD = ("kind", "company", "payee", "bill_number", "day", "due_on", "currency", "tax", "total")

    def __init__(self, *args, person, rows: int, **kwargs):
        super().__init__(*args, **kwargs)
        self.rows = max(1, min(rows, MOST_LINES))
        self.fields["company"].queryset = scoped(Company.objects.all(), person, "pk")
        self.choose_the_only_one("company")
        self.charges = {str(charge.pk): charge for charge in self._expected(person)}
        choices = [("", "a new charge"), *((key, _named(charge)) for key, charge in self.charges.items())]
        for row in range(self.rows):
            self._add_row(f"-line-{row}", f"of line {row + 1}", choices, person)

    def _expected(self, person) -> list[Charge]:
        """Estimates that the bill may be of: those of its payee, once that is chosen; the newest first."""
        found = Charge.objects.filter(parts__company__in=companies_of(person), closed_on=None).distinct()
        payee = self.data.get("payee", "")
        if payee.isascii() and payee.isdigit() and len(payee) < 15:
            found = found.filter(Q(payee=payee) | Q(pk__in=self._chosen()))
        over = ("shipments", "containers", "lines__order")
        return list(found.select_related("payee").prefetch_related(*over).order_by("-pk")[:MOST_ESTIMATES])

    def _chosen(self) -> list[str]:
        """Ids of estimates chosen in a row already; a bill may be of another payee than its estimate."""
        said = [self.data.get(f"charge-line-{row}", "") for row in range(self.rows)]
        return [key for key in said if key.isascii() and key.isdigit() and len(key) < 15]

    def _add_row(self, end: str, label: str, charges: list, person) -> None:
        optional = {"required": False}
        of_row = {
            "charge": forms.ChoiceField(choices=charges, label=f"Estimate {label}", **optional),
            "kind": forms.ChoiceField(choices=[("", "as estimated"), *KIND_CHOICES], label=f"Kind {label}", **optional),
            "basis": forms.ChoiceField(choices=BASES, label=f"Spread {label} by", **optional),
            "over": ScopeField(person=person, label=f"What it is for {label}"),
            "amount": ExactField(label=f"Amount {label}", **optional),
            "remark": forms.CharField(max_length=120, label=f"Remark {label}", **optional),
            "more": forms.BooleanField(label=f"More {label} to come", **optional),
        }
        self.fields |= {f"{name}{end}": field for name, field in of_row.items()}

    def head(self):
        """The fields of the head."""
        return [self[name] for name in self.HEAD]

    def lines(self) -> Iterator[dict]:
        """The fields of each row, by name."""
        for row in range(self.rows):
            yield {name: self[f"{name}-line-{row}"] for name in PARTS}

    def asked(self) -> BillRequest:
        """The bill as a request; rows without an amount are left out."""
        entered = self.cleaned_data
        return BillRequest(
            company=entered["company"].pk,
            party=entered["payee"].pk,
            number=entered["bill_number"],
            day=entered["day"],
            currency=entered["currency"],
            lines=tuple(self._line(f"-line-{row}") for row in range(self.rows) if entered[f"amount-line-{row}"]),
            tax=entered["tax"] or BillRequest.tax,
            total=entered["total"],
            due_on=entered["due_on"],
            kind=entered["kind"],
        )

    def _line(self, end: str) -> BillLineRequest:
        entered = {name: self.cleaned_data[f"{name}{end}"] for name in PARTS}
        charge, over = entered["charge"], entered["over"]
        return BillLineRequest(
            amount=entered["amount"],
            charge=int(charge) if charge else None,
            kind=entered["kind"],
            basis="" if charge else entered["basis"],
            shipments=over.shipments,
            containers=over.containers,
            lines=over.lines,
            orders=over.orders,
            remark=entered["remark"],
            final=not entered["more"],
        )


def _named(charge: Charge) -> str:
    """What it is for comes first: in a list of estimates of one payee that tells them apart."""
    over = [str(one) for one in (*charge.shipments.all(), *charge.containers.all())]
    over += sorted({line.order.number for line in charge.lines.all()} if not over else ())
    words = f"{charge.get_kind_display().lower()} {charge.currency} {money(charge.amount, charge.currency)}"
    return f"{', '.join(over[:3])}: {words}, {charge.payee}"
