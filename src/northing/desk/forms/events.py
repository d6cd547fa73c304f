"""The form of carriers' events."""

from django import forms

from northing.deeds.ship.hearing import EventsRequest
from northing.desk.forms.base import DeedForm


class EventsForm(DeedForm):
    """A file of events, and who sent it."""

    source = forms.CharField(label="From", max_length=60)
    file = forms.FileField(label="DCSA events as JSON", widget=forms.FileInput({"accept": ".json"}))

    def asked(self, entered: dict) -> EventsRequest:
        """The events as they came."""
        return EventsRequest(entered["source"], entered["file"].read())
