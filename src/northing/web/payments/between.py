"""What companies of ours owe each other, and how it is settled."""

from dataclasses import dataclass
from decimal import Decimal

from django.contrib import messages
from django.db.models import Q
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse as address
from django.utils import timezone

from northing.access.permissions import companies_of
from northing.actions.payments.between import BetweenRequest, reverse_between, settle_between
from northing.masterdata.models import Company
from northing.payments.models import BetweenPayment
from northing.payments.queries import due_between, owing_pairs
from northing.web.common.forms import ActionForm, DayField, ExactField
from northing.web.common.permissions import acts_for, form_for
from northing.web.common.reversals import reversal_page, say_done


class BetweenForm(ActionForm):
    """When two companies settle, and at which rates, where their currency is another."""

    day = DayField(label="On")

    def __init__(self, *args, pair: "Pair", **kwargs):
        super().__init__(*args, **kwargs)
        for name, company in (("first_rate", pair.first), ("second_rate", pair.second)):
            if company.currency != pair.currency:
                label = f"Rate of {company.code}"
                said = "The day's, unless said here."
                self.fields[name] = ExactField(required=False, label=label, help_text=said)


@dataclass(frozen=True)
class Pair:
    """Two companies with what the first owes the second in a currency, below 0 what it is owed."""

    first: Company
    second: Company
    currency: str
    count: int
    net: Decimal

    @property
    def payer(self) -> Company:
        """Who pays."""
        return self.first if self.net >= 0 else self.second

    @property
    def payee(self) -> Company:
        """Who is paid."""
        return self.second if self.net >= 0 else self.first

    @property
    def amount(self) -> Decimal:
        """What is paid."""
        return abs(self.net)

    @property
    def query(self) -> str:
        """The pair in an address."""
        return f"first={self.first.pk}&second={self.second.pk}&currency={self.currency}"


def _pairs(person) -> list[Pair]:
    mine = companies_of(person)
    companies, found = Company.objects.in_bulk(mine), []
    for first, second, currency in owing_pairs(mine):
        due = due_between(first, second, currency)
        net = sum((one.amount for one in due), Decimal(0))
        found.append(Pair(companies[first], companies[second], currency, len(due), net))
    return found


@acts_for("pay")
def between(request):
    """What companies owe each other, and what was settled."""
    mine = companies_of(request.user)
    made = BetweenPayment.objects.filter(Q(payer__in=mine) & Q(payee__in=mine)).select_related("payer", "payee")
    context = {"pairs": _pairs(request.user), "made": made.order_by("-pk")[:50]}
    return render(request, "payments/between.html", context)


@form_for("pay")
def settle(request):
    """Settle what two companies owe each other in a currency."""
    said = tuple(request.GET.get(name, "") for name in ("first", "second", "currency"))
    pairs = {(str(one.first.pk), str(one.second.pk), one.currency): one for one in _pairs(request.user)}
    pair = pairs.get(said)
    if pair is None:
        messages.error(request, "Choose which companies settle.")
        return redirect("between")
    form = BetweenForm(request.POST or None, pair=pair, initial={"day": timezone.localdate()})
    if request.method == "POST":
        made = form.do(request, settle_between, lambda entered: _asked(pair, entered))
        if made:
            say_done(request, "Settled.", "reverse-between", made)
            return redirect("between")
    return render(request, "payments/settle.html", {"form": form, "pair": pair}, status=422 if form.errors else 200)


def _asked(pair: Pair, entered: dict) -> BetweenRequest:
    rates = entered.get("first_rate"), entered.get("second_rate")
    return BetweenRequest(pair.first.pk, pair.second.pk, pair.currency, entered["day"], *rates)


@form_for("pay")
def reverse(request, between_id: int):
    """Undo a settlement between companies."""
    mine = companies_of(request.user)
    found = BetweenPayment.objects.filter(payer__in=mine, payee__in=mine).select_related("payer", "payee")
    record = get_object_or_404(found, pk=between_id)
    title = f"Reverse what {record.payer} settled with {record.payee}"
    return reversal_page(request, title, reverse_between, record, address("between"))
