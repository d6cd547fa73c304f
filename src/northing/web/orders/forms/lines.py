"""Forms of the line book: acts on many lines, and views under a name."""

from django import forms

from northing.access.models import Person
from northing.access.queries import people_who
from northing.web.common.forms import ActionForm, DayField


class ManyForm(ActionForm):
    """An act on many lines: the lines come along hidden."""


class NeedByForm(ManyForm):
    """One need-by date for all."""

    need_by = DayField(label="Need by")


class BuyerForm(ManyForm):
    """One buyer for all."""

    person = forms.ModelChoiceField(Person.objects.none(), label="Buyer")

    def __init__(self, *args, person, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["person"].queryset = people_who("write_order", person)


class ViewForm(forms.Form):
    """A name for the view that is seen."""

    name = forms.CharField(max_length=60)
    query = forms.CharField(max_length=1500, required=False)
    shared = forms.BooleanField(required=False)
