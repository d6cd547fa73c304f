"""The form of a whole shipment that came as expected."""

from django import forms

from northing.actions.receiving.shipment import ShipmentReceipt
from northing.web.common.forms import ActionForm, DayField


class ShipmentForm(ActionForm):
    """Under which note, and when."""

    delivery_note = forms.CharField(max_length=40, label="Delivery note")
    occurred_on = DayField(label="Received on")

    def asked(self, shipment: int, site: int) -> ShipmentReceipt:
        """The receipt as a request."""
        entered = self.cleaned_data
        accept = "accept" in self.data
        return ShipmentReceipt(shipment, site, entered["delivery_note"], entered["occurred_on"], accept)
