"""The form of carriers' events."""

from django import forms
from django.utils import timezone

from northing.access.models import Person
from northing.actions.shipping.carrier_events import EventsRequest, TieRequest
from northing.actions.shipping.carrier_feeds import FeedRequest
from northing.formats.dcsa import TRANSPORT
from northing.masterdata.queries import carriers
from northing.shipping.models import CarrierEvent, PortCall
from northing.web.common.forms import ActionForm
from northing.web.shipping.queries.likely_matches import likely_boxes, likely_calls


class EventsForm(ActionForm):
    """A file of events, and who sent it."""

    source = forms.CharField(label="From", max_length=60)
    file = forms.FileField(label="DCSA events as JSON", widget=forms.FileInput({"accept": ".json"}))

    def asked(self, entered: dict) -> EventsRequest:
        """The events as they came."""
        return EventsRequest(entered["source"], entered["file"].read())


class TieForm(ActionForm):
    """The subject of an event that waits: a port call, or a container that the person may see;
    the likeliest first.
    """

    about = forms.ModelChoiceField(PortCall.objects.none(), label="It is about")

    def __init__(self, *args, subject: CarrierEvent, person: Person, **kwargs):
        super().__init__(*args, **kwargs)
        self.subject = subject
        of_vessel = subject.event_type == TRANSPORT
        likely = likely_calls(subject) if of_vessel else likely_boxes(subject, person, timezone.localdate())
        field = self.fields["about"]
        if likely:
            field.queryset = type(likely[0]).objects.filter(pk__in=[one.pk for one in likely])
            field.choices = [("", "choose"), *((one.pk, one.named) for one in likely)]

    def asked(self, entered: dict) -> TieRequest:
        """Which."""
        chosen = entered["about"].pk
        return TieRequest(self.subject.pk, **{"call" if self.subject.event_type == TRANSPORT else "container": chosen})


class FeedForm(ActionForm):
    """The feed of a carrier, polled by the worker."""

    carrier = forms.ModelChoiceField(carriers())
    url = forms.CharField(label="Address, such as https://carrier.example/v2", max_length=200)
    rank = forms.IntegerField(min_value=0, max_value=99, initial=1)
    every_minutes = forms.IntegerField(label="Asked every … minutes", min_value=1, max_value=1440, initial=15)
    active = forms.BooleanField(required=False, initial=True, label="It is asked")

    @staticmethod
    def asked(entered: dict) -> FeedRequest:
        """The feed as a request."""
        names = ("url", "rank", "every_minutes", "active")
        return FeedRequest(entered["carrier"].pk, *(entered[name] for name in names))
