"""Forms of what happens to a voyage or a shipment: each gives the request of its action."""

from django import forms

from northing.actions.shipping import reroute
from northing.actions.shipping.milestones import DateRequest
from northing.actions.shipping.retract import TakeBackRequest
from northing.shipping.models import Container, DateStatement, Leg, PortCall, Shipment, Voyage
from northing.shipping.queries import open_voyages
from northing.web.common.forms import ActionForm, DayField


class OfVoyage(ActionForm):
    """A form about a voyage."""

    def __init__(self, *args, subject: Voyage, **kwargs):
        super().__init__(*args, **kwargs)
        self.subject = subject
        others = open_voyages().exclude(pk=subject.pk).order_by("vessel", "number")
        calls = PortCall.objects.filter(voyage=subject, omitted=False).select_related("port").order_by("number")
        for name, field in self.fields.items():
            if name == "to":
                field.queryset = others
            elif name in ("call", "instead"):
                field.queryset = calls
                field.label_from_instance = lambda call: str(call.port)


class RollForm(OfVoyage):
    """Rolled to another voyage."""

    shipments = forms.ModelMultipleChoiceField(Shipment.objects.none(), widget=forms.CheckboxSelectMultiple)
    to = forms.ModelChoiceField(Voyage.objects.none(), label="to the voyage")

    def __init__(self, *args, **kwargs):
        super().__init__(*args, **kwargs)
        aboard = Leg.objects.filter(load_call__voyage=self.subject).values("shipment")
        self.fields["shipments"].queryset = Shipment.objects.filter(pk__in=aboard, arrived_on=None).order_by("pk")

    def asked(self, entered: dict) -> reroute.RollRequest:
        """Which, and where to."""
        keys = tuple(shipment.pk for shipment in entered["shipments"])
        return reroute.RollRequest(self.subject.pk, entered["to"].pk, keys)


class SwapForm(OfVoyage):
    """Another vessel."""

    vessel = forms.CharField(max_length=60)
    imo = forms.CharField(label="IMO number", max_length=12)
    number = forms.CharField(label="Voyage number", max_length=20)

    def asked(self, entered: dict) -> reroute.SwapRequest:
        """The vessel."""
        return reroute.SwapRequest(self.subject.pk, entered["vessel"], entered["imo"], entered["number"])


class OmitForm(OfVoyage):
    """A port is left out."""

    call = forms.ModelChoiceField(PortCall.objects.none(), label="the call at")
    instead = forms.ModelChoiceField(
        PortCall.objects.none(),
        label="discharged instead at",
        required=False,
        empty_label="nothing is discharged there",
    )

    def asked(self, entered: dict) -> reroute.OmitRequest:
        """Which call."""
        return reroute.OmitRequest(entered["call"].pk, entered["instead"].pk if entered["instead"] else None)


class BlankForm(OfVoyage):
    """The sailing is called off."""

    to = forms.ModelChoiceField(
        Voyage.objects.none(), label="what was to sail goes with", required=False, empty_label="nothing sails with it"
    )

    def asked(self, entered: dict) -> reroute.BlankRequest:
        """And with which voyage its goods go."""
        return reroute.BlankRequest(self.subject.pk, entered["to"].pk if entered["to"] else None)


class SayForm(OfVoyage):
    """A departure or an arrival at a port, estimated or actual."""

    call = forms.ModelChoiceField(PortCall.objects.none(), label="at")
    milestone = forms.ChoiceField(choices=[("departure", "Departure"), ("arrival", "Arrival")])
    kind = forms.ChoiceField(
        choices=[choice for choice in DateStatement.Kind.choices if choice[0] != "planned"], label="estimated or actual"
    )
    value = DayField(label="Day")

    def asked(self, entered: dict) -> DateRequest:
        """The statement."""
        return DateRequest(None, entered["milestone"], entered["kind"], entered["value"], call=entered["call"].pk)


class TakeBackForm(ActionForm):
    """A statement about a date is taken back."""

    def __init__(self, *args, subject: DateStatement, **kwargs):
        super().__init__(*args, **kwargs)
        self.subject = subject

    def asked(self, entered: dict) -> TakeBackRequest:
        """Which."""
        return TakeBackRequest(self.subject.pk)


class SplitForm(ActionForm):
    """Containers go on as a shipment of their own."""

    containers = forms.ModelMultipleChoiceField(Container.objects.none(), widget=forms.CheckboxSelectMultiple)
    to = forms.ModelChoiceField(
        Voyage.objects.none(), label="on the voyage", required=False, empty_label="the one they are on"
    )

    def __init__(self, *args, subject: Shipment, **kwargs):
        super().__init__(*args, **kwargs)
        self.subject = subject
        self.fields["containers"].queryset = subject.containers.order_by("number")
        self.fields["to"].queryset = open_voyages().order_by("vessel", "number")

    def asked(self, entered: dict) -> reroute.SplitRequest:
        """Which containers."""
        keys = tuple(box.pk for box in entered["containers"])
        return reroute.SplitRequest(self.subject.pk, keys, entered["to"].pk if entered["to"] else None)


class LandForm(ActionForm):
    """Discharged at another port."""

    call = forms.ModelChoiceField(PortCall.objects.none(), label="discharged at")
    destination = forms.CharField(label="and goes on to", max_length=60)
    days = forms.IntegerField(label="in days", min_value=0, max_value=60, initial=1)

    def __init__(self, *args, subject: Shipment, **kwargs):
        super().__init__(*args, **kwargs)
        self.subject = subject
        calls = PortCall.objects.filter(voyage=subject.voyage_id, omitted=False).select_related("port")
        self.fields["call"].queryset = calls.order_by("number")
        self.fields["call"].label_from_instance = lambda call: str(call.port)

    def asked(self, entered: dict) -> reroute.LandRequest:
        """Where."""
        return reroute.LandRequest(self.subject.pk, entered["call"].pk, entered["destination"], entered["days"])
