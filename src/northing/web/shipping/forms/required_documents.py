"""Forms of the documents that a shipment needs."""

from django import forms

from northing.access.models import Person
from northing.actions.shipping.required_documents import NEEDED_FOR, DocumentRequest, DoneRequest
from northing.core.worklist.moves import PARTIES
from northing.shipping.models import RequiredDocument
from northing.web.common.forms import ActionForm, DayField


class RequiredDocumentForm(ActionForm):
    """A paper due."""

    ids = "paper-%s"
    kind = forms.ChoiceField(label="Paper", choices=RequiredDocument.Kind.choices)
    what = forms.CharField(label="which", max_length=80, required=False)
    party = forms.ChoiceField(label="whose move", choices=list(PARTIES.items()))
    owner = forms.ModelChoiceField(Person.objects.none(), required=False, empty_label="no one by name")
    anchor = forms.ChoiceField(label="by", choices=RequiredDocument.Anchor.choices, required=False)
    anchor_days = forms.IntegerField(label="days after", min_value=-99, max_value=99, required=False)
    due = DayField(label="on", required=False)
    form = forms.ChoiceField(choices=RequiredDocument.Form.choices, required=False)
    needed_for = forms.ChoiceField(choices=list(NEEDED_FOR.items()), required=False)

    def __init__(self, *args, **kwargs):
        super().__init__(*args, **kwargs)
        people = Person.objects.filter(is_active=True, supplier_person=None, grants__isnull=False)
        self.fields["owner"].queryset = people.distinct().order_by("username")

    def asked(self, shipment: int) -> DocumentRequest:
        """The paper as a request."""
        entered = self.cleaned_data
        return DocumentRequest(
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


class DocumentDoneForm(ActionForm):
    """A paper is there."""

    day = DayField(label="since", required=False)
    reference = forms.CharField(max_length=60, required=False)
    form = forms.ChoiceField(choices=RequiredDocument.Form.choices, required=False)

    def asked(self, paper: int) -> DoneRequest:
        """Since when."""
        entered = self.cleaned_data
        return DoneRequest(paper, entered["day"], entered["reference"], entered["form"])
