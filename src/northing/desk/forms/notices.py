"""Forms of despatch notices and of papers due."""

from django import forms

from northing.core.moves import PARTIES
from northing.deeds.ship.noticing import TakeRequest
from northing.deeds.ship.papering import NEEDED_FOR, DoneRequest, PaperRequest
from northing.desk.forms.base import DayField, DeedForm
from northing.directory.models import Party, Person
from northing.directory.queries import route_choices
from northing.shipping.models import PaperDue, Shipment
from northing.shipping.queries import open_voyages


class NoticeForm(DeedForm):
    """A despatch notice as a file; from one supplier, or from a forwarder."""

    file = forms.FileField(label="CSV, XLSX or UBL DespatchAdvice")
    supplier = forms.ModelChoiceField(
        Party.objects.filter(kind="supplier"), required=False, empty_label="whoever the orders are to"
    )


class TakeForm(DeedForm):
    """Where a notice goes: a shipment, a route and its voyages."""

    shipment = forms.ModelChoiceField(
        Shipment.objects.none(), required=False, empty_label="a new shipment", label="Into"
    )
    route = forms.ChoiceField(required=False)
    voyage = forms.ModelChoiceField(open_voyages(), required=False, empty_label="no voyage yet")
    then = forms.ModelChoiceField(open_voyages(), required=False, empty_label="no voyage yet", label="then by")
    leave_out = forms.BooleanField(required=False, label="Leave out the rows that cannot be taken")
    beyond = forms.BooleanField(required=False, label="Take more than was ordered: I decide that it is wanted")

    def __init__(self, *args, shipments, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["shipment"].queryset = shipments
        self.fields["route"].choices = route_choices()

    def asked(self, notice: int) -> TakeRequest:
        """The notice and where it goes."""
        entered = self.cleaned_data
        voyages = tuple(one.pk for one in (entered["voyage"], entered["then"]) if one)
        shipment = entered["shipment"].pk if entered["shipment"] else None
        return TakeRequest(notice, shipment, entered["route"], voyages, None, entered["leave_out"], entered["beyond"])


class PaperForm(DeedForm):
    """A paper due."""

    kind = forms.ChoiceField(label="Paper", choices=PaperDue.Kind.choices)
    what = forms.CharField(label="which", max_length=80, required=False)
    party = forms.ChoiceField(label="whose move", choices=list(PARTIES.items()))
    owner = forms.ModelChoiceField(Person.objects.none(), required=False, empty_label="nobody by name")
    anchor = forms.ChoiceField(label="by", choices=PaperDue.Anchor.choices, required=False)
    anchor_days = forms.IntegerField(label="days after", min_value=-99, max_value=99, required=False)
    due = DayField(label="on", required=False)
    form = forms.ChoiceField(choices=PaperDue.Form.choices, required=False)
    needed_for = forms.ChoiceField(choices=list(NEEDED_FOR.items()), required=False)

    def __init__(self, *args, **kwargs):
        super().__init__(*args, **kwargs)
        people = Person.objects.filter(is_active=True, supplier_person=None, grants__isnull=False)
        self.fields["owner"].queryset = people.distinct().order_by("username")

    def asked(self, shipment: int) -> PaperRequest:
        """The paper as a request."""
        entered = self.cleaned_data
        return PaperRequest(
            shipment,
            entered["kind"],
            entered["party"],
            entered["what"],
            entered["owner"].pk if entered["owner"] else None,
            entered["form"],
            entered["anchor"],
            entered["anchor_days"] or 0,
            entered["due"],
            entered["needed_for"],
        )


class PaperDoneForm(DeedForm):
    """A paper is there."""

    day = DayField(label="since", required=False)
    reference = forms.CharField(max_length=60, required=False)
    form = forms.ChoiceField(choices=PaperDue.Form.choices, required=False)

    def asked(self, paper: int) -> DoneRequest:
        """Since when."""
        entered = self.cleaned_data
        return DoneRequest(paper, entered["day"], entered["reference"], entered["form"])
