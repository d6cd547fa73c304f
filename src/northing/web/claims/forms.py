"""The forms of returns, and of goods set aside."""

from django import forms

from northing.actions.claims.return_all import ReturnAllRequest
from northing.actions.claims.returns import ReturnRequest
from northing.actions.claims.set_aside import SetAsideRequest
from northing.actions.claims.ways import EndRequest
from northing.web.common.forms import ActionForm, DayField, ExactField
from northing.web.common.serials import NumberedForm


class ReturnForm(NumberedForm):
    """Units that go back."""

    numbers = "Of the units that go; empty, where all that failed do."

    quantity = ExactField()
    reference = forms.CharField(max_length=40, label="Supplier's reference")
    occurred_on = DayField(label="Returned on")

    def asked(self, case: int) -> ReturnRequest:
        """The return as a request."""
        entered = self.cleaned_data
        head = (case, entered["quantity"], entered["reference"], entered["occurred_on"])
        return ReturnRequest(*head, self.said_serials)


class ReturnAllForm(ActionForm):
    """All that is left of a receipt or of an order goes back."""

    reference = forms.CharField(max_length=40, label="Supplier's reference")
    reason = forms.CharField(max_length=80)
    haulier = forms.CharField(max_length=80, required=False)
    occurred_on = DayField(label="Returned on")

    def asked(self, receipt: int | None, order: int | None) -> ReturnAllRequest:
        """The return as a request."""
        entered = self.cleaned_data
        head = (entered["reference"], entered["reason"], entered["occurred_on"])
        return ReturnAllRequest(*head, receipt, order, entered["haulier"])


class SetAsideForm(NumberedForm):
    """Units in store that are not right."""

    numbers = "Of the units that are set aside."

    quantity = ExactField()
    reason = forms.CharField(max_length=80, label="What is wrong with them")
    occurred_on = DayField(label="Found on")

    def asked(self, layer: int) -> SetAsideRequest:
        """The case as a request."""
        entered = self.cleaned_data
        head = (layer, entered["quantity"], entered["reason"], entered["occurred_on"])
        return SetAsideRequest(*head, self.said_serials)


class EndForm(NumberedForm):
    """Units of a case that stay: kept, or scrapped; of scrapped ones whether their price is claimed."""

    numbers = "Of the units that are meant; empty, where all that failed are."

    quantity = ExactField()
    reason = forms.CharField(max_length=80)
    occurred_on = DayField(label="On")
    claimed = forms.BooleanField(required=False, initial=True, label="Their price is claimed")

    def __init__(self, *args, way: str, **kwargs):
        super().__init__(*args, **kwargs)
        if way != "scrap":
            del self.fields["claimed"]

    def asked(self, case: int) -> EndRequest:
        """The end as a request."""
        entered = self.cleaned_data
        head = (case, entered["quantity"], entered["reason"], entered["occurred_on"], entered.get("claimed", True))
        return EndRequest(*head, self.said_serials)
