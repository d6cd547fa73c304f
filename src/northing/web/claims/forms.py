"""The form of a return."""

from django import forms

from northing.actions.claims.returns import ReturnRequest
from northing.web.common.forms import ActionForm, DayField, ExactField


class ReturnForm(ActionForm):
    """Units that go back."""

    quantity = ExactField()
    reference = forms.CharField(max_length=40, label="Supplier's reference")
    occurred_on = DayField(label="Returned on")

    def asked(self, case: int) -> ReturnRequest:
        """The return as a request."""
        entered = self.cleaned_data
        return ReturnRequest(case, entered["quantity"], entered["reference"], entered["occurred_on"])
