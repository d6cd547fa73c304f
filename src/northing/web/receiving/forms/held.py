"""Forms about goods without an order, and about what is short."""

from datetime import date

from django import forms

from northing.actions.receiving.correct import CorrectRequest
from northing.actions.receiving.held_goods import EndRequest
from northing.actions.receiving.order_held import OrderHeldRequest
from northing.web.common.forms import ActionForm, DayField, ExactField
from northing.web.common.serials import NumberedForm

WAYS = [("sent back", "They went back"), ("kept", "They are kept free of charge")]


class EndForm(NumberedForm):
    """Held units went back, or are kept free of charge."""

    ids = "id_end_%s"
    numbers = "Of these units; empty, where all that lie there have this end."
    way = forms.ChoiceField(choices=WAYS, label="What becomes of them")
    quantity = ExactField(label="How many")
    reference = forms.CharField(max_length=80, label="Reference, or why")
    occurred_on = DayField(label="On")

    def asked(self, layer: int) -> EndRequest:
        """The end as a request."""
        entered = self.cleaned_data
        head = (layer, entered["way"], entered["quantity"], entered["reference"], entered["occurred_on"])
        return EndRequest(*head, self.said_serials)


class OrderForm(ActionForm):
    """An order for held units: how many, and at which price; the agreed one where none is entered."""

    ids = "id_order_%s"
    ordered = ExactField(label="How many")
    price = ExactField(label="Price per unit", required=False)

    def field_of(self, where: str) -> str:
        """Problems of the order's line stand beside the two fields."""
        return {"quantity": "ordered", "line 1-price": "price", "line 1-packs": "ordered"}.get(where, where)

    def asked(self, layer: int, day: date) -> OrderHeldRequest:
        """The order as a request."""
        return OrderHeldRequest(layer, self.cleaned_data["ordered"], self.cleaned_data["price"], day)


RESTS = [("coming", "is still coming"), ("gone", "does not come any more")]


class CorrectForm(NumberedForm):
    """The right count of a line of a receipt, and why it was entered otherwise."""

    numbers = "Of all units that were found."
    quantity = ExactField(label="Found")
    rest = forms.ChoiceField(choices=RESTS, label="What is short by that")
    reason = forms.CharField(max_length=120, label="Why")

    def asked(self, line: int) -> CorrectRequest:
        """The correction as a request."""
        entered = self.cleaned_data
        coming = entered["rest"] == "coming"
        return CorrectRequest(line, entered["quantity"], entered["reason"], coming, self.said_serials)
