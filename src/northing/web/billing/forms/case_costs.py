"""The form of a provider's bill that is a cost of a case, or of a return: its freight, rework, a survey."""

from collections.abc import Sequence
from decimal import Decimal

from django import forms

from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.billing.models import BillLine
from northing.claims.models import Claim
from northing.core.money.money import from_minor, to_minor
from northing.core.money.spread import spread
from northing.masterdata.models import Party
from northing.web.common.forms import ActionForm, CurrencyField, DayField, ExactField


class CaseCostForm(ActionForm):
    """A bill of one line; of several cases it is divided by what their goods cost, or equally."""

    payee = forms.ModelChoiceField(Party.objects.order_by("kind", "name"), label="From")
    bill_number = forms.CharField(max_length=40, label="Number")
    day = DayField(label="Dated")
    currency = CurrencyField()
    amount = ExactField()
    tax = ExactField(required=False)
    remark = forms.CharField(max_length=120, label="What for")
    into = forms.ChoiceField(choices=BillLine.Into.choices, label="Book it as")

    def asked(self, cases: Sequence[tuple[Claim, Decimal]]) -> BillRequest:
        """The bill as a request; each case comes with its weight."""
        entered = self.cleaned_data
        return BillRequest(
            company=cases[0][0].company_id,
            party=entered["payee"].pk,
            number=entered["bill_number"],
            day=entered["day"],
            currency=entered["currency"],
            lines=tuple(
                BillLineRequest(amount, case=case.pk, into=entered["into"], remark=entered["remark"])
                for (case, _), amount in zip(cases, self._shares([weight for _, weight in cases]), strict=True)
                if amount or len(cases) == 1
            ),
            tax=entered["tax"] or Decimal(0),
        )

    def _shares(self, weights: Sequence[Decimal]) -> list[Decimal]:
        amount, currency = self.cleaned_data["amount"], self.cleaned_data["currency"]
        if len(weights) == 1:
            return [amount]
        whole = [to_minor(weight, currency) if weight == round(weight, 2) else 0 for weight in weights]
        parts = spread(to_minor(amount, currency), whole if any(whole) else [1] * len(whole))
        return [from_minor(part, currency) for part in parts]

    def field_of(self, where: str) -> str:
        """A problem of a line stands at its amount."""
        return "amount" if where.startswith(("line-", "total")) else where
