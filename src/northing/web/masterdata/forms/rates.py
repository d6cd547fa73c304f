"""The form of an exchange rate."""

from django import forms

from northing.access.queries import scoped
from northing.actions.masterdata.rates import RateRequest
from northing.masterdata.models import Company, ExchangeRate
from northing.web.common.forms import ActionForm, CurrencyField, DayField, ExactField


class RateForm(ActionForm):
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
