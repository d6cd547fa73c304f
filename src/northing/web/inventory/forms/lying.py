"""What is asked for of the goods in bins."""

from django import forms
from django.db.models import Q, QuerySet

from northing.access.models import Person
from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.inventory.models import OnHand, SerialNumber, Status
from northing.masterdata.models import Item, Site

STATES = [("", "any"), *Status.choices]


class LyingForm(forms.Form):
    """Which goods; what makes no sense is left out and said."""

    q = forms.CharField(label="Item, lot, serial number or pallet", required=False, max_length=60)
    bin = forms.CharField(label="Bin", required=False, max_length=16)
    site = forms.ModelChoiceField(Site.objects.none(), required=False, empty_label="all sites")
    status = forms.ChoiceField(label="State", required=False, choices=STATES)

    def __init__(self, data, person: Person):
        super().__init__(data, auto_id="asked_%s")
        self.person = person
        self.fields["site"].queryset = scoped(Site.objects.all(), person)

    def rows(self) -> QuerySet[OnHand]:
        """The goods that the person may see, bin by bin."""
        entered = self.cleaned_data if self.is_valid() else {}
        found = OnHand.objects.filter(quantity__gt=0, layer__company__in=companies_of(self.person))
        named = {"bin__code__iexact": "bin", "bin__site": "site", "status": "status"}
        found = found.filter(**{column: entered[name] for column, name in named.items() if entered.get(name)})
        words = (entered.get("q") or "").strip()
        if words:
            found = found.filter(pk__in=_named(words).values("pk"))
        return found.order_by("bin__site__code", "bin__code", "pk")


def _named(words: str) -> QuerySet[OnHand]:
    """The goods of an item (by its code or description), a lot, a pallet, or with a serial number."""
    items = Item.objects.filter(Q(code__icontains=words) | Q(description__icontains=words)).values("pk")
    numbered = SerialNumber.objects.filter(number=words, bin__isnull=False).values("layer")
    lots = Q(layer__lot__iexact=words) | Q(layer__receipt_line__sscc=words)
    return OnHand.objects.filter(Q(layer__item__in=items) | Q(layer__in=numbered) | lots)
