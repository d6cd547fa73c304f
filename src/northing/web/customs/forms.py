"""The form of a customs entry."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from decimal import Decimal

from django import forms

from northing.actions.customs.covers import Covers
from northing.actions.customs.declare import rate_field
from northing.actions.customs.entries import EntryRequest
from northing.actions.customs.included import Included, field_of
from northing.actions.customs.proofs import ProofRequest
from northing.core.costing.customs import INCLUDES
from northing.core.money.exact import plain
from northing.masterdata.models import Party
from northing.orders.models import PurchaseOrder
from northing.web.common.forms import ActionForm, DayField, ExactField

ZERO = Decimal(0)
NO_RATES: Mapping[str, Decimal | None] = {}


class DayForm(ActionForm):
    """The day on which something happened."""

    day = DayField(label="Day")


class ProofForm(ActionForm):
    """A paper that proves the origin of goods."""

    name = forms.CharField(max_length=60, label="Proof")
    number = forms.CharField(max_length=40, label="Its number")
    dated = DayField(label="Dated")
    valid_until = DayField(label="Valid until", required=False)

    def asked(self, company: int, shipments: Iterable[int], receipts: Iterable[int]) -> ProofRequest:
        """The paper, of goods in shipments and of what came unpacked with receipts (ids)."""
        entered = self.cleaned_data
        said = (entered["name"], entered["number"], entered["dated"], entered["valid_until"])
        return ProofRequest(company, *said, tuple(shipments), tuple(receipts))


class EntryForm(ActionForm):
    """A customs entry, and the office's own figures for its groups where they are not ours."""

    MOST_GROUPS = 200

    office = forms.ModelChoiceField(Party.objects.filter(kind="customs"), label="Customs office")
    number = forms.CharField(max_length=28, label="Entry number")
    day = DayField(label="Day of entry")
    # The entry that stood when the form was shown; the new one takes its place.
    corrects = forms.IntegerField(widget=forms.HiddenInput, required=False, min_value=1, max_value=2**62)

    # The mark of the goods as they were shown.
    shown = forms.CharField(widget=forms.HiddenInput, required=False, max_length=40)

    their_tax = ExactField(label="Their import tax", required=False)
    reason = forms.CharField(max_length=120, label="Why their figures differ", required=False)

    def __init__(
        self,
        *args,
        groups: int = 1,
        orders: Sequence[PurchaseOrder] = (),
        rates: Mapping[str, Decimal | None] = NO_RATES,
        **more,
    ):
        super().__init__(*args, **more)
        self.orders, self.currencies = orders, list(rates)
        for currency, rate in rates.items():
            ours = f"Leave it empty where ours is right; ours is {plain(rate)}." if rate else "We have none."
            self.fields[rate_field(currency)] = ExactField(
                label=f"Their rate for {currency}", required=False, help_text=ours
            )
        self.groups = min(max(groups, 1), self.MOST_GROUPS)
        for order in orders:
            for kind in INCLUDES[order.incoterm]:
                label = f"{kind.capitalize()} in the price of {order}, {order.currency}"
                self.fields[field_of(order.pk, kind)] = ExactField(label=label, required=False)
        for place in range(self.groups):
            self.fields[f"their-{place}"] = ExactField(label=f"Their duty, group {place + 1}", required=False)
        for name in ("their_tax", *(f"their-{place}" for place in range(self.groups))):
            self.fields[name].widget.attrs["aria-label"] = self.fields[name].label

    def head_fields(self):
        """The fields above the goods."""
        return [self[name] for name in ("office", "number", "day")]

    def basis_fields(self):
        """The office's rates, and the freight and insurance in the prices: our figures follow from them."""
        return [self[name] for name in self.fields if name.startswith(("rate-", "in-"))]

    def rates(self) -> dict[str, Decimal]:
        """The office's rates as they are entered, by currency; what is no number counts as none."""
        said = {currency: self._amount(rate_field(currency)) for currency in self.currencies}
        return {currency: rate for currency, rate in said.items() if rate is not None}

    def only_show(self) -> None:
        """Ours is only shown: what is still to be entered is no error."""
        for name in [name for name in self.errors if name not in {field.name for field in self.basis_fields()}]:
            del self.errors[name]

    def included(self) -> tuple[Included, ...]:
        """What they include as it is entered, or was entered before; what is no number counts as nothing."""
        found = []
        for order in self.orders:
            said = {kind: self._amount(field_of(order.pk, kind)) or ZERO for kind in INCLUDES[order.incoterm]}
            found.append(Included(order.pk, **said))
        return tuple(found)

    def entered_day(self) -> date | None:
        """The day as it is entered, if it is one."""
        try:
            return self["day"].field.clean(self["day"].value())
        except forms.ValidationError:
            return None

    def _amount(self, name: str) -> Decimal | None:
        field = self[name]
        try:
            return field.field.clean(field.value())
        except forms.ValidationError:
            return None

    def their_fields(self):
        """The office's duty of each group, in their order."""
        return [self[f"their-{place}"] for place in range(self.groups)]

    def asked(self, covers: Covers, company: int) -> EntryRequest:
        """The entry as a request."""
        entered = self.cleaned_data
        facts = (entered["office"].pk, entered["number"], entered["day"], entered["corrects"])
        their = tuple(entered[f"their-{place}"] for place in range(self.groups))
        theirs = (their, entered["their_tax"], entered["reason"])
        return EntryRequest(
            covers, company, *facts, *theirs, entered["shown"], self.included(), tuple(self.rates().items())
        )
