"""The forms of returns, and of goods set aside."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from datetime import date
from decimal import Decimal

from django import forms

from northing.actions.claims.ask import AskRequest
from northing.actions.claims.authorise import AuthoriseRequest
from northing.actions.claims.make_good import MakeGoodRequest
from northing.actions.claims.money import MoneyRequest, TurnRequest
from northing.actions.claims.money_cases import MoneyCaseRequest
from northing.actions.claims.prepared import DespatchRequest
from northing.actions.claims.return_all import MOST_PACKAGES, Of, ReturnAllRequest
from northing.actions.claims.returns import ReturnRequest
from northing.actions.claims.set_aside import SetAsideRequest
from northing.actions.claims.tend import DivideRequest
from northing.actions.claims.ways import EndRequest
from northing.claims.models import Authorisation, Claim
from northing.core.money.exact import plain
from northing.ledger.models import CostLayer
from northing.masterdata.models import Party
from northing.web.common.forms import ActionForm, CurrencyField, DayField, ExactField
from northing.web.common.serials import NumberedForm


class ReturnForm(NumberedForm):
    """Units that the supplier takes back under its reference: they may go, or go at once."""

    numbers = "Of the units that go; empty, where all that failed do."

    quantity = ExactField()
    reference = forms.CharField(max_length=40, label="Supplier's reference")
    occurred_on = DayField(label="On")

    def asked(self, case: int) -> ReturnRequest:
        """The return as a request."""
        return ReturnRequest(*self._head(case), self.said_serials)

    def authorised(self, case: int, owed: str) -> AuthoriseRequest:
        """What may go back, as a request."""
        return AuthoriseRequest(*self._head(case), owed)

    def _head(self, case: int) -> tuple[int, Decimal, str, date]:
        entered = self.cleaned_data
        return case, entered["quantity"], entered["reference"], entered["occurred_on"]


class ReturnAllForm(ActionForm):
    """Goods of a receipt, an order, a layer or an item go back: all that is left, or so many of each."""

    reference = forms.CharField(max_length=40, label="Supplier's reference")
    reason = forms.CharField(max_length=80)
    occurred_on = DayField(label="Returned on")
    haulier = forms.CharField(max_length=80, required=False)
    packages = forms.IntegerField(min_value=1, max_value=MOST_PACKAGES, initial=1, widget=forms.TextInput({"size": 4}))
    deliver_to = forms.CharField(
        max_length=400,
        required=False,
        label="Goes to",
        widget=forms.Textarea({"rows": 3}),
        help_text="For this return.",
    )
    most = ExactField(required=False, label="Units in all", help_text="The oldest first; empty: as below.")
    serials = forms.CharField(
        max_length=4000,
        required=False,
        label="Serial numbers",
        widget=forms.Textarea({"rows": 2}),
        help_text="Of the units that go, where only some do.",
    )

    def __init__(self, *args, layers: Sequence[CostLayer], of_item: bool, **kwargs):
        super().__init__(*args, **kwargs)
        self.layers = layers
        if not of_item:
            del self.fields["most"]
        if not any(layer.item.keeps_serial for layer in layers):
            del self.fields["serials"]
        for layer in layers:
            # Of an item it is said in all; the oldest go first.
            start = "" if of_item else plain(layer.there)
            field = ExactField(required=False, initial=start, label=f"Units of {layer.item.code} that go")
            field.widget.attrs |= {"aria-label": field.label, "size": 8}
            self.fields[f"units-{layer.pk}"] = field

    def head(self):
        """The fields that are not of a layer."""
        return [self[name] for name in self.fields if not name.startswith("units-") and name != "key"]

    def rows(self):
        """Each layer with its field."""
        return [(layer, self[f"units-{layer.pk}"]) for layer in self.layers]

    def asked(self, of: Of, *, prepared: bool) -> ReturnAllRequest:
        """The return as a request."""
        entered = self.cleaned_data
        units = {layer.pk: value for layer in self.layers if (value := entered.get(f"units-{layer.pk}")) is not None}
        most = entered.get("most")
        return ReturnAllRequest(
            reference=entered["reference"],
            reason=entered["reason"],
            occurred_on=entered["occurred_on"],
            **asdict(of),
            haulier=entered["haulier"],
            units=None if most is not None and not units else units,
            most=most,
            serials=tuple(entered.get("serials", "").replace(",", " ").split()),
            deliver_to=entered["deliver_to"],
            packages=entered["packages"],
            prepared=prepared,
        )


class DespatchForm(ActionForm):
    """A prepared return leaves."""

    occurred_on = DayField(label="Despatched on")
    haulier = forms.CharField(max_length=80, required=False)

    def asked(self, goods_return: int) -> DespatchRequest:
        """It as a request."""
        return DespatchRequest(goods_return, self.cleaned_data["occurred_on"], self.cleaned_data["haulier"])


class SetAsideForm(NumberedForm):
    """Units in store that are not right."""

    numbers = "Of the units that are set aside."

    quantity = ExactField()
    reason = forms.CharField(max_length=80, label="What is wrong with them")
    occurred_on = DayField(label="Found on")

    def asked(self, layer: int, issue: int | None = None) -> SetAsideRequest:
        """The case as a request; of units that were issued, with their issue (id)."""
        entered = self.cleaned_data
        head = (layer, entered["quantity"], entered["reason"], entered["occurred_on"])
        return SetAsideRequest(*head, self.said_serials, issue)


class EndForm(NumberedForm):
    """Units of a case that do not go back.

    Of scrapped ones it asks whether their price is claimed, of kept ones what of it is.
    """

    numbers = "Of the units that are meant; empty, where all that failed are."

    quantity = ExactField()
    reason = forms.CharField(max_length=80)
    occurred_on = DayField(label="On")
    claimed = forms.BooleanField(required=False, initial=True, label="Their price is claimed")
    reduced = ExactField(
        required=False, label="Credit expected for them", help_text="In all; empty, where there is none."
    )

    lot = forms.CharField(max_length=40)
    best_before = DayField(required=False)

    def __init__(self, *args, way: str, of_lots: bool = False, **kwargs):
        super().__init__(*args, **kwargs)
        shown = {"claimed": way == "scrap", "reduced": way == "keep", "lot": of_lots, "best_before": of_lots}
        for name in [name for name, here in shown.items() if not here]:
            del self.fields[name]

    def asked(self, case: int) -> EndRequest:
        """The end as a request."""
        entered = self.cleaned_data
        head = (case, entered["quantity"], entered["reason"], entered["occurred_on"], entered.get("claimed", True))
        lot = entered.get("lot", ""), entered.get("best_before")
        return EndRequest(*head, self.said_serials, entered.get("reduced") or Decimal(0), *lot)


class MoneyForm(ActionForm):
    """What is done about the money of a case."""

    party = forms.ModelChoiceField(Party.objects.none(), label="From whom")
    owed = forms.ChoiceField(label="Of which claim")
    currency = CurrencyField(label="In")
    amount = ExactField()
    rate = ExactField(required=False, help_text="The day's, unless said here.")
    bank = ExactField(required=False, label="What reached the bank", help_text="By the rate, unless said here.")
    reason = forms.CharField(max_length=80)
    occurred_on = DayField(label="On")

    # What each act asks for.
    FIELDS = {
        "turn": ("party", "reason", "occurred_on"),
        "claim": ("party", "currency", "amount", "rate", "reason", "occurred_on"),
        "paid": ("owed", "amount", "bank", "reason", "occurred_on"),
        "give-up": ("owed", "amount", "reason", "occurred_on"),
    }

    def __init__(self, *args, way: str, owed: Mapping[str, str], **kwargs):
        super().__init__(*args, **kwargs)
        for name in [name for name in self.fields if name not in (*self.FIELDS[way], "key")]:
            del self.fields[name]
        if "owed" in self.fields:
            self.fields["owed"].choices = list(owed.items())
        if "party" in self.fields:
            self.fields["party"].queryset = Party.objects.order_by("kind", "name")

    def turned(self, case: int) -> TurnRequest:
        """The claim from another party, as a request."""
        entered = self.cleaned_data
        return TurnRequest(case, entered["party"].pk, entered["reason"], entered["occurred_on"])

    def asked(self, case: int) -> MoneyRequest:
        """The amount as a request."""
        entered = self.cleaned_data
        if "owed" in entered:
            party, _, currency = entered["owed"].partition("-")
        else:
            party, currency = entered["party"].pk, entered["currency"]
        head = (case, int(party), currency, entered["amount"], entered["reason"], entered["occurred_on"])
        return MoneyRequest(*head, entered.get("rate"), entered.get("bank"))


class MakeGoodForm(ActionForm):
    """How many units of each authorisation are ordered anew."""

    free = forms.BooleanField(required=False, label="They charge nothing for them")

    def __init__(self, *args, owed: Sequence[Authorisation], **kwargs):
        super().__init__(*args, **kwargs)
        self.owed = owed
        for said in owed:
            field = ExactField(required=False, initial=plain(said.to_order), label=f"To order for case {said.case_id}")
            field.widget.attrs |= {"aria-label": field.label, "size": 8}
            self.fields[f"units-{said.pk}"] = field

    @property
    def rows(self) -> list[tuple[Authorisation, forms.BoundField]]:
        """Each authorisation with its field."""
        return [(said, self[f"units-{said.pk}"]) for said in self.owed]

    def asked(self) -> MakeGoodRequest:
        """The order as a request: rows that are left empty stay owed."""
        units = {
            int(name.removeprefix("units-")): value
            for name, value in self.cleaned_data.items()
            if name.startswith("units-") and value
        }
        return MakeGoodRequest(units, self.cleaned_data["free"])


class AskForm(ActionForm):
    """A letter about a case."""

    words = forms.CharField(max_length=500, required=False, widget=forms.Textarea({"rows": 3}), label="Your own words")
    answer_by = DayField(label="To answer by")

    def asked(self, case: int) -> AskRequest:
        """The letter as a request."""
        return AskRequest(case, self.cleaned_data["answer_by"], self.cleaned_data["words"])


class DivideForm(ActionForm):
    """Some units of a case become a case of their own."""

    quantity = ExactField()
    reason = forms.CharField(max_length=80, label="What is wrong with them")

    def asked(self, case: int) -> DivideRequest:
        """It as a request."""
        return DivideRequest(case, self.cleaned_data["quantity"], self.cleaned_data["reason"])


class MoneyCaseForm(ActionForm):
    """Money that is owed for goods that are here."""

    kind = forms.ChoiceField(choices=[(kind.value, kind.label) for kind in Claim.OF_MONEY], label="Kind")
    amount = ExactField(help_text="In the order's currency.")
    reason = forms.CharField(max_length=80)
    occurred_on = DayField(label="Claimed on")

    def asked(self, layer: int) -> MoneyCaseRequest:
        """The case as a request."""
        entered = self.cleaned_data
        head = (layer, entered["kind"], entered["amount"])
        return MoneyCaseRequest(*head, entered["reason"], entered["occurred_on"])
