"""Forms about goods without an order, and about what is short."""

from django import forms

from northing.actions.receiving.correct import CorrectRequest
from northing.actions.receiving.held_goods import EndRequest
from northing.web.common.forms import DayField, ExactField
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
