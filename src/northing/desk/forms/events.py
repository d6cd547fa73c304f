"""The form of carriers' events."""

from django import forms

from northing.deeds.ship.hearing import EventsRequest
from northing.deeds.ship.polling import FeedRequest
from northing.desk.forms.base import DeedForm
from northing.directory.models import Party


class EventsForm(DeedForm):
    """A file of events, and who sent it."""

    source = forms.CharField(label="From", max_length=60)
    file = forms.FileField(label="DCSA events as JSON", widget=forms.FileInput({"accept": ".json"}))

    def asked(self, entered: dict) -> EventsRequest:
        """The events as they came."""
        return EventsRequest(entered["source"], entered["file"].read())


class FeedForm(DeedForm):
    """The feed of a carrier, polled by the worker."""

    carrier = forms.ModelChoiceField(Party.objects.filter(kind="provider"))
    url = forms.CharField(label="Address, such as https://carrier.example/v2", max_length=200)
    rank = forms.IntegerField(min_value=0, max_value=99, initial=1)
    every_minutes = forms.IntegerField(label="Asked every … minutes", min_value=1, max_value=1440, initial=15)
    active = forms.BooleanField(required=False, initial=True, label="It is asked")

    @staticmethod
    def asked(entered: dict) -> FeedRequest:
        """The feed as a request."""
        names = ("url", "rank", "every_minutes", "active")
        return FeedRequest(entered["carrier"].pk, *(entered[name] for name in names))
