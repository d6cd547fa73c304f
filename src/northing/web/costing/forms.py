"""Forms of charges, customs entries and rates."""

from django import forms

from northing.access.queries import scoped
from northing.actions.billing.request import BillRequest, of_one
from northing.actions.costing.charges import ChargeRequest
from northing.core.costing.landed_cost import KINDS
from northing.costing.models import Charge
from northing.masterdata.models import Company, Party
from northing.orders.models import OrderLine
from northing.shipping.models import Container, Shipment
from northing.web.common.forms import ActionForm, CurrencyField, DayField, ExactField

BASES = [choice for choice in Charge.Basis.choices if choice[0] != "by_hand"]
Ticks = forms.CheckboxSelectMultiple
KIND_CHOICES = [choice for choice in Charge.Kind.choices if choice[0] in KINDS]


class ChargeForm(ActionForm):
    """A charge: what, from whom, how much, over what, on which basis."""

    state = forms.ChoiceField(choices=[("billed", "A bill"), ("estimated", "An estimate")], label="This is")
    company = forms.ModelChoiceField(Company.objects.none(), label="Billed to")
    payee = forms.ModelChoiceField(Party.objects.all())
    kind = forms.ChoiceField(choices=KIND_CHOICES)
    basis = forms.ChoiceField(choices=BASES, label="Spread by")
    currency = CurrencyField()
    amount = ExactField()
    day = DayField(label="Day of the bill or estimate")
    bill_number = forms.CharField(max_length=40, required=False)
    shipments = forms.ModelMultipleChoiceField(
        Shipment.objects.none(), required=False, widget=forms.CheckboxSelectMultiple
    )
    containers = forms.ModelMultipleChoiceField(
        Container.objects.none(), required=False, widget=forms.CheckboxSelectMultiple
    )
    lines = forms.ModelMultipleChoiceField(
        OrderLine.objects.none(), required=False, label="Only these lines", widget=Ticks
    )

    def __init__(self, *args, person, shipments, charge=None, **kwargs):
        super().__init__(*args, **kwargs)
        self.charge = charge
        self.fields["company"].queryset = scoped(Company.objects.all(), person, "pk")
        self.choose_the_only_one("company")
        self.fields["shipments"].queryset = shipments
        self.fields["containers"].queryset = Container.objects.filter(shipment__in=shipments).select_related("shipment")
        self.fields["containers"].label_from_instance = lambda box: f"{box.number} of {box.shipment}"
        aboard = OrderLine.objects.filter(instalments__shipment_lines__container__shipment__in=shipments).distinct()
        self.fields["lines"].queryset = scoped(aboard, person, "order__company").select_related("order", "item")
        self.fields["lines"].label_from_instance = lambda line: f"{line.order.number}/{line.number} {line.item}"

    def scope(self):
        """The fields that say what the charge is spread over."""
        return [self[name] for name in ("shipments", "containers", "lines")]

    def facts(self):
        """The other fields."""
        return [field for field in self.visible_fields() if field.name not in ("shipments", "containers", "lines")]

    def asked(self) -> ChargeRequest:
        """The charge as a request."""
        entered = self.cleaned_data
        return ChargeRequest(
            company=entered["company"].pk,
            payee=entered["payee"].pk,
            kind=entered["kind"],
            basis=entered["basis"],
            currency=entered["currency"],
            amount=entered["amount"],
            day=entered["day"],
            shipments=_keys(entered["shipments"]),
            containers=_keys(entered["containers"]),
            lines=_keys(entered["lines"]),
        )

    def bill(self) -> BillRequest:
        """The charge as a bill of one line."""
        return of_one(self.asked(), self.cleaned_data["bill_number"], self.charge.pk if self.charge else None)


def _keys(records) -> tuple[int, ...]:
    return tuple(sorted(record.pk for record in records))
