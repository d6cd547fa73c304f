"""The form of a charge: a bill, or without a number of one an estimate."""

import re
from decimal import Decimal

from django import forms

from northing.access.queries import scoped
from northing.actions.billing.request import BillRequest, of_one
from northing.actions.costing.charges import ChargeRequest
from northing.actions.costing.named import NoSuchName, named_scope
from northing.actions.costing.rebase import RebaseRequest
from northing.actions.costing.scope import Scope, scope_of
from northing.actions.costing.spread import Share
from northing.core.costing.landed_cost import KINDS
from northing.costing.models import Charge
from northing.drawings.figures import money as written
from northing.masterdata.models import Company, Party
from northing.web.common.forms import ActionForm, CurrencyField, DayField, ExactField

BY_HAND = Charge.Basis.BY_HAND
BASES = [("", "as usual for its kind"), *(choice for choice in Charge.Basis.choices if choice[0] != BY_HAND)]
HANDED = re.compile(r"share-(\d{1,18})-(\d{1,18})")
# So many shares are typed at once.
MOST_SHARES = 500
ZERO = Decimal(0)
KIND_CHOICES = [choice for choice in Charge.Kind.choices if choice[0] in KINDS]


class ScopeField(forms.CharField):
    """Shipments, containers, orders and order lines by their names, with blanks or commas between; as a Scope."""

    def __init__(self, *, person, required=False, **kwargs):
        super().__init__(max_length=400, required=required, **kwargs)
        self.person = person
        self.widget.attrs["list"] = "named"

    def clean(self, value):
        names = super().clean(value).replace(",", " ").split()
        try:
            return named_scope(names, self.person)
        except NoSuchName as error:
            raise forms.ValidationError(str(error)) from None


class ChargeForm(ActionForm):
    """A charge: over what, from whom, how much, on which basis. What is not said follows from payee and goods."""

    over = ScopeField(
        person=None,
        required=True,
        label="What it is for",
        help_text="Shipments, containers, voyages (031E), orders (PO-1) or lines (PO-1/2).",
    )
    payee = forms.ModelChoiceField(Party.objects.all())
    amount = ExactField()
    currency = CurrencyField(required=False, help_text="The payee's, unless said here.")
    bill_number = forms.CharField(
        max_length=40, required=False, label="Number of the bill", help_text="Without one it is an estimate."
    )
    kind = forms.ChoiceField(choices=KIND_CHOICES)
    basis = forms.ChoiceField(choices=[*BASES, (BY_HAND, "By hand")], label="Spread by", required=False)
    day = DayField(label="Day of the bill or estimate")
    company = forms.ModelChoiceField(Company.objects.none(), label="Billed to")
    remark = forms.CharField(max_length=120, required=False)

    def __init__(self, *args, person, charge=None, **kwargs):
        super().__init__(*args, **kwargs)
        self.charge = charge
        # Shares that were typed and are no numbers.
        self.strange: list[str] = []
        if charge:
            self.fields["basis"].choices = [("", f"as now, {charge.spread_words}"), *self.fields["basis"].choices[1:]]
        self.fields["over"].person = person
        self.fields["company"].queryset = scoped(Company.objects.all(), person, "pk")
        self.choose_the_only_one("company")

    def clean(self):
        entered = super().clean()
        payee = entered.get("payee")
        if payee and not entered.get("currency") and "currency" not in self.errors:
            entered["currency"] = payee.currency
        if entered.get("basis") == BY_HAND:
            entered["shares"] = self._typed_shares()
        return entered

    def _typed_shares(self) -> tuple[Share, ...]:
        """The shares that were typed beside the goods."""
        found = []
        for name, text in self.typed().items():
            amount = ZERO
            try:
                amount = ExactField(required=False).clean(text) or ZERO
            except forms.ValidationError as error:
                self.strange += [f"The share {text[:20]}: {one}" for one in error.messages]
            line, part = map(int, HANDED.fullmatch(name).groups())
            found.append((line, part or None, amount))
        return tuple(found)

    def typed(self) -> dict[str, str]:
        """The shares as they were typed, by the names of their fields."""
        found = {name: text for name, text in self.data.items() if HANDED.fullmatch(name)} if self.is_bound else {}
        return found if len(found) <= MOST_SHARES else {}

    @property
    def billed(self) -> bool:
        """Whether there is a bill, and not only an estimate."""
        return bool(self.cleaned_data["bill_number"])

    def asked(self) -> ChargeRequest:
        """The charge as a request."""
        entered, over = self.cleaned_data, self._over()
        return ChargeRequest(
            company=entered["company"].pk,
            payee=entered["payee"].pk,
            kind=entered["kind"],
            basis=entered["basis"],
            currency=entered["currency"],
            amount=entered["amount"],
            day=entered["day"],
            shipments=over.shipments,
            containers=over.containers,
            lines=over.lines,
            orders=over.orders,
            remark=entered["remark"],
            shares=entered.get("shares", ()),
        )

    def _over(self) -> Scope:
        """Its scope; an estimate keeps its own goods, whatever has their names now, unless others are named."""
        if self.charge and "over" not in self.changed_data:
            return scope_of(self.charge)
        return self.cleaned_data["over"]

    def bill(self) -> BillRequest:
        """The charge as a bill of one line."""
        return of_one(self.asked(), self.cleaned_data["bill_number"], self.charge.pk if self.charge else None)


class SpreadForm(ActionForm):
    """What a charge is spread by; by hand with a share for each of its goods."""

    basis = forms.ChoiceField(choices=[*BASES[1:], (BY_HAND, "By hand")], label="Spread by")

    def __init__(self, *args, charge: Charge, **kwargs):
        super().__init__(*args, initial={"basis": charge.basis}, **kwargs)
        self.charge = charge
        shares = charge.shares.select_related("order_line__item", "order_line__order", "shipment_line__container")
        self.shares = list(shares.select_related("company").order_by("company", "pk"))
        for share in self.shares:
            line = share.order_line
            label = f"Share of {line.item.code}, {line.order.number}/{line.number}"
            field = ExactField(label=label, required=False, initial=written(share.amount, share.company.currency))
            field.widget.attrs |= {"aria-label": label, "data-share": share.company.code}
            self.fields[f"share-{share.pk}"] = field

    def rows(self):
        """(share, its field) for the template."""
        return [(share, self[f"share-{share.pk}"]) for share in self.shares]

    def asked(self) -> RebaseRequest:
        """The basis as a request."""
        if self.cleaned_data["basis"] != Charge.Basis.BY_HAND:
            return RebaseRequest(self.charge.pk, self.cleaned_data["basis"])
        typed = [(share, self.cleaned_data[f"share-{share.pk}"] or ZERO) for share in self.shares]
        shares = tuple((share.order_line_id, share.shipment_line_id, amount) for share, amount in typed)
        return RebaseRequest(self.charge.pk, Charge.Basis.BY_HAND, shares)
