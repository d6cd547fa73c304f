"""Forms of charges, customs entries and rates."""

from django import forms

from northing.core.landed_cost import KINDS
from northing.core.money import MINOR_UNITS
from northing.costing.models import Charge
from northing.deeds.cost.clearing import EntryRequest
from northing.deeds.cost.costing import ChargeRequest
from northing.deeds.cost.rating import RateRequest
from northing.desk.forms.base import DayField, DeedForm, ExactField
from northing.directory.models import Company, ExchangeRate, Party
from northing.directory.queries import scoped
from northing.orders.models import OrderLine
from northing.shipping.models import Container, Shipment

BASES = [choice for choice in Charge.Basis.choices if choice[0] != "by_hand"]
Ticks = forms.CheckboxSelectMultiple
KIND_CHOICES = [choice for choice in Charge.Kind.choices if choice[0] in KINDS]


class CurrencyField(forms.CharField):
    """An ISO 4217 code."""

    def __init__(self, **options):
        super().__init__(max_length=3, widget=forms.TextInput(attrs={"size": 4, "class": "code"}), **options)

    def clean(self, value):
        code = super().clean(value).upper()
        if code not in MINOR_UNITS:
            raise forms.ValidationError(f"{code} is not an ISO 4217 currency.")
        return code


class ChargeForm(DeedForm):
    """A charge: what, from whom, how much, over what, on which basis."""

    state = forms.ChoiceField(choices=[("billed", "A bill"), ("estimated", "An estimate")], label="This is")
    company = forms.ModelChoiceField(Company.objects.none(), label="Billed to")
    payee = forms.ModelChoiceField(Party.objects.exclude(kind="supplier"))
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
        aboard = OrderLine.objects.filter(instalments__stowage__container__shipment__in=shipments).distinct()
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
            bill_number=entered["bill_number"],
            charge=self.charge.pk if self.charge else None,
        )


def _keys(records) -> tuple[int, ...]:
    return tuple(sorted(record.pk for record in records))


class EntryForm(DeedForm):
    """A customs entry."""

    office = forms.ModelChoiceField(Party.objects.filter(kind="customs"), label="Customs office")
    number = forms.CharField(max_length=28, label="Entry number")
    day = DayField(label="Day of entry")

    def asked(self, shipment: int, company: int) -> EntryRequest:
        """The entry as a request."""
        entered = self.cleaned_data
        return EntryRequest(shipment, company, entered["office"].pk, entered["number"], entered["day"])


class RateForm(DeedForm):
    """An exchange rate of a day."""

    company = forms.ModelChoiceField(Company.objects.none())
    currency = CurrencyField()
    purpose = forms.ChoiceField(choices=ExchangeRate.Purpose.choices)
    day = DayField()
    rate = ExactField(label="Base currency for one unit")

    @staticmethod
    def asked(entered: dict) -> RateRequest:
        """The rate as a request."""
        facts = {name: entered[name] for name in ("currency", "purpose", "day", "rate")}
        return RateRequest(company=entered["company"].pk, **facts)

    def __init__(self, *args, person, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["company"].queryset = scoped(Company.objects.all(), person, "pk")
