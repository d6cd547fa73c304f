"""The form of an exchange rate."""

from django import forms

from northing.access.queries import scoped
from northing.actions.masterdata.rate_feed import RateFeedRequest
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


class RateFeedForm(ActionForm):
    """A central bank's daily rates, which the worker asks for."""

    url = forms.CharField(label="Address of the bank's daily XML", max_length=200)
    purposes = forms.MultipleChoiceField(
        choices=ExchangeRate.Purpose.choices, label="Its rates are for", widget=forms.CheckboxSelectMultiple
    )
    every_minutes = forms.IntegerField(label="Asked every … minutes", min_value=1, max_value=1440)
    active = forms.BooleanField(required=False, label="It is asked")

    @staticmethod
    def asked(entered: dict) -> RateFeedRequest:
        """The feed as a request."""
        return RateFeedRequest(entered["url"], tuple(entered["purposes"]), entered["every_minutes"], entered["active"])
