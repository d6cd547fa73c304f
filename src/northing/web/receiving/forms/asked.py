"""Which receipts are asked for; what makes no sense is left out and said."""

from django import forms
from django.db.models import QuerySet

from northing.access.models import Person
from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.masterdata.models import Company, Party, Site
from northing.receiving.models import Receipt, ReceiptLine
from northing.reports.receipt_lines import Asked, receipt_lines
from northing.web.common.forms import DayField
from northing.web.receiving.found import receipts_found, words_of

MOST_SUPPLIERS = 100
BILLED = {"yes": True, "no": False}


class AskedForm(forms.Form):
    """Which receipts."""

    q = forms.CharField(label="Words", required=False, max_length=80)
    company = forms.ModelChoiceField(Company.objects.none(), required=False, empty_label="all companies")
    site = forms.ModelChoiceField(Site.objects.none(), required=False, empty_label="all sites")
    supplier = forms.CharField(label="Supplier", required=False, max_length=80)
    item = forms.CharField(label="Item code", required=False, max_length=32)
    order = forms.CharField(label="Order", required=False, max_length=40)
    billed = forms.ChoiceField(
        label="Billed", required=False, choices=[("", "or not"), ("no", "not yet"), ("yes", "all of it")]
    )
    since = DayField(label="From", required=False)
    until = DayField(label="Until", required=False)
    reversed = forms.BooleanField(label="Reversed ones too", required=False)

    def __init__(self, data, person: Person):
        super().__init__(data, auto_id="asked_%s")
        self.fields["site"].queryset = scoped(Site.objects.all(), person)
        mine = companies_of(person)
        self.fields["company"].queryset = Company.objects.filter(pk__in=mine)
        if len(mine) <= 1:
            del self.fields["company"]
        self.fields["supplier"].widget.attrs["placeholder"] = "code, or part of the name"
        self.fields["q"].widget.attrs["placeholder"] = "receipt, note, container, order, item, supplier"

    def clean_supplier(self) -> list[int]:
        """The suppliers (ids) that are meant; a word that means none is said."""
        word = self.cleaned_data["supplier"].replace("\x00", "").strip()
        if not word:
            return []
        suppliers = Party.objects.filter(kind=Party.Kind.SUPPLIER)
        found = suppliers.filter(code__iexact=word) or suppliers.filter(name__icontains=word)
        keys = list(found.values_list("pk", flat=True)[:MOST_SUPPLIERS])
        if not keys:
            raise forms.ValidationError(f"No supplier is called {word}.")
        return keys


def asked_lines(form: AskedForm, person: Person) -> QuerySet[ReceiptLine]:
    """The lines that a form asks for, of what the person may see."""
    entered = form.cleaned_data if form.is_valid() else {}
    site = entered.get("site")
    company = entered.get("company")
    asked = Asked(
        {company.pk} if company else companies_of(person),
        site.pk if site else None,
        entered.get("since"),
        entered.get("until"),
        entered.get("reversed", False),
        entered.get("supplier") or (),
        (entered.get("item") or "").replace("\x00", "").strip(),
        (entered.get("order") or "").replace("\x00", "").strip(),
        BILLED.get(entered.get("billed") or ""),
    )
    lines = receipt_lines(asked)
    words = words_of(entered.get("q") or "")
    if not words:
        return lines
    return lines.filter(receipt__in=receipts_found(scoped(Receipt.objects.all(), person), words).values("pk"))
