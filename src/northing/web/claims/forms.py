"""The form of a return."""

from django import forms

from northing.actions.claims.returns import ReturnRequest
from northing.web.common.forms import DayField, ExactField
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
