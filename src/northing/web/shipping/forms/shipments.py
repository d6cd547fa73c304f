"""Forms of shipments: containers, shipment lines, legs, voyages, dates."""

from collections.abc import Iterable
from functools import partial

from django import forms
from django.http import QueryDict
from django.utils import timezone

from northing.actions.shipping import container_milestones
from northing.actions.shipping.milestones import DateRequest
from northing.actions.shipping.pack import PassageRequest, VoyageRequest
from northing.masterdata.models import Port
from northing.masterdata.queries import carriers
from northing.reports.clocks import FACTS
from northing.shipping.models import Container, DateStatement, Leg, PortCall, Voyage
from northing.shipping.operations import CallPlan, LegPlan, with_main
from northing.web.common.forms import ActionForm, DayField

Milestone = DateStatement.Milestone


class VoyageForm(ActionForm):
    """A voyage that shipments share."""

    vessel = forms.CharField(max_length=60)
    imo = forms.CharField(label="IMO number", max_length=12)
    number = forms.CharField(label="Voyage number", max_length=20)
    carrier = forms.ModelChoiceField(carriers())

    def asked(self, calls: list[CallPlan]) -> VoyageRequest:
        """The voyage as a request."""
        entered = self.cleaned_data
        names = (entered[name].strip() for name in ("vessel", "imo", "number"))
        return VoyageRequest(*names, entered["carrier"].pk, tuple(calls))


class CallForm(forms.Form):
    """A port that the voyage calls at; an empty row is left out."""

    port = forms.ModelChoiceField(Port.objects.all(), required=False, empty_label="no call")
    arrival = DayField(label="Arrives", required=False)
    departure = DayField(label="Departs", required=False)

    def clean(self):
        entered = super().clean()
        if not entered.get("port") and any(entered.get(name) for name in ("arrival", "departure")):
            raise forms.ValidationError("Choose the port of this call, or leave the row empty.")
        return entered

    def asked(self) -> CallPlan | None:
        """The call as planned."""
        entered = self.cleaned_data
        port = entered.get("port")
        return CallPlan(port.pk, entered["arrival"], entered["departure"]) if port else None


CallFormSet = forms.formset_factory(CallForm, extra=4, max_num=20, absolute_max=20)


def with_another(data: QueryDict | None, prefix: str) -> QueryDict | None:
    """The rows as they were sent, and one more."""
    if data is None:
        return None
    more = data.copy()
    said = data.get(f"{prefix}-TOTAL_FORMS", "")
    more[f"{prefix}-TOTAL_FORMS"] = str(int(said) + 1) if said.isascii() and said.isdigit() and len(said) < 4 else "5"
    return more


# A place is typed, or one of those that are known.
PLACE = partial(forms.TextInput, {"list": "places"})


class LegForm(forms.Form):
    """One planned leg; an empty row is left out. Between ports of the voyage its days are the voyage's."""

    mode = forms.ChoiceField(choices=Leg.Mode.choices, required=False)
    origin = forms.CharField(label="From", max_length=60, required=False, widget=PLACE())
    destination = forms.CharField(label="To", max_length=60, required=False, widget=PLACE())
    start = DayField(label="Starts", required=False)
    end = DayField(label="Ends", required=False)

    def __init__(self, *args, calls=(), **kwargs):
        super().__init__(*args, **kwargs)
        self.calls = calls

    def clean(self):
        entered = super().clean()
        if not self.errors:
            self._days_of_voyage(entered)
        given = [entered.get(name) for name in ("origin", "destination", "start", "end")]
        if any(given) and not all(given) and not self.errors:
            raise forms.ValidationError("Fill in from, to, start and end of this leg, or leave the row empty.")
        return entered

    def _days_of_voyage(self, entered: dict) -> None:
        """The days that are left empty, where the voyage calls at both places."""
        places = [_port_of(self.calls, entered.get(name)) for name in ("origin", "destination")]
        if all(places):
            entered["start"] = entered.get("start") or places[0].expected_departure
            entered["end"] = entered.get("end") or places[1].expected_arrival

    def asked(self) -> LegPlan | None:
        """The leg as a plan."""
        entered = self.cleaned_data
        if not entered.get("origin"):
            return None
        mode = entered["mode"] or "sea"
        return LegPlan(mode, entered["origin"], entered["destination"], entered["start"], entered["end"])


def _port_of(calls: Iterable[PortCall], place: str | None) -> PortCall | None:
    """The call at a place that is named as its port is, or by its code."""
    name = (place or "").strip().lower()
    return next((call for call in calls if name in (call.port.name.lower(), call.port_id.lower())), None)


LegFormSet = forms.formset_factory(LegForm, extra=4, max_num=12, absolute_max=12)


class PassageForm(ActionForm):
    """The voyage of a shipment; its legs are rows beside it."""

    voyage = forms.ModelChoiceField(
        Voyage.objects.select_related("carrier"), required=False, empty_label="No voyage yet"
    )

    def asked(self, shipment: int, legs: list[LegPlan]) -> PassageRequest:
        """The plan as a request."""
        voyage = self.cleaned_data["voyage"]
        return PassageRequest(shipment, voyage.pk if voyage else None, tuple(with_main(legs)))


class BoxesForm(ActionForm):
    """A milestone of containers of a shipment, past or to come: one entry for many. A day to come is estimated."""

    ids = "boxes-%s"
    containers = forms.ModelMultipleChoiceField(Container.objects.none(), widget=forms.CheckboxSelectMultiple)
    milestone = forms.ChoiceField(choices=[(name, words) for name, words in Milestone.choices if name in FACTS])
    kind = forms.ChoiceField(choices=[("", "as its day says"), *DateStatement.Kind.choices], required=False)
    value = DayField(label="On")

    def __init__(self, *args, shipment, **kwargs):
        super().__init__(*args, **kwargs)
        self.shipment = shipment
        self.fields["containers"].queryset = shipment.containers.order_by("number")
        self.fields["containers"].label_from_instance = lambda box: box.number

    def asked(self, entered: dict) -> container_milestones.BoxesRequest:
        """What happened."""
        boxes = tuple(box.pk for box in entered["containers"])
        kind = entered["kind"] or ("actual" if entered["value"] <= timezone.localdate() else "estimated")
        return container_milestones.BoxesRequest(
            self.shipment.pk, boxes, entered["milestone"], entered["value"], kind=kind
        )


class DateForm(ActionForm):
    """What is said about a leg."""

    leg = forms.ModelChoiceField(Leg.objects.none())
    milestone = forms.ChoiceField(choices=[(name, words) for name, words in Milestone.choices if name not in FACTS])
    kind = forms.ChoiceField(
        choices=DateStatement.Kind.choices, label="Planned, estimated or actual", initial=DateStatement.Kind.ESTIMATED
    )
    value = DayField(label="Day")
    accept = forms.BooleanField(widget=forms.HiddenInput, required=False)

    def __init__(self, *args, shipment, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["leg"].queryset = Leg.objects.filter(shipment=shipment)
        self.fields["leg"].label_from_instance = lambda leg: (
            f"{leg.get_mode_display()} {leg.origin} to {leg.destination}"
        )

    @staticmethod
    def asked(entered: dict) -> DateRequest:
        """The statement as a request."""
        facts = (entered["leg"].pk, entered["milestone"], entered["kind"], entered["value"])
        return DateRequest(*facts, accept=entered["accept"])
