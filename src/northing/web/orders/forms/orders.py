"""Forms of orders and answers."""

from decimal import Decimal

from django import forms

from northing.access.models import Person
from northing.access.queries import people_who, scoped
from northing.actions.orders.write import LENGTHS, MODES, PERCENTAGES, WORDS, LineRequest, OrderRequest
from northing.core.costing.ownership import INCOTERMS
from northing.masterdata.models import Company, Party, Site
from northing.orders import documents
from northing.orders.models import ADDRESSES, OursFrom
from northing.web.common.forms import ActionForm, DayField, ExactField, LinesField, PercentField

ZERO = Decimal(0)


class WholeOrderFields(forms.Form):
    """Facts of a whole order beside its terms: percentages and the four addresses."""

    discount = PercentField(label="Discount on the order %", required=False)
    surcharge = PercentField(label="Surcharge %", required=False)
    tax_rate = PercentField(label="Purchase tax %", required=False)

    def __init__(self, *args, **kwargs):
        super().__init__(*args, **kwargs)
        for name, words in documents.ADDRESSES.items():
            self.fields[name] = LinesField(label=words, max_length=LENGTHS[name])

    def percentages(self):
        """The fields that change what the order comes to, for the template."""
        return [self[name] for name in PERCENTAGES]

    def wrong_address(self):
        """Whether one of them has to be seen."""
        return any(name in self.errors for name in ADDRESSES)

    def addresses(self):
        """The four addresses, for the template."""
        return [self[name] for name in ADDRESSES]


class OrderForm(ActionForm, WholeOrderFields):
    """The head of an order."""

    supplier = forms.ModelChoiceField(Party.objects.filter(kind="supplier"))
    company = forms.ModelChoiceField(Company.objects.none())
    site = forms.ModelChoiceField(Site.objects.none())
    incoterm = forms.ChoiceField(label="Incoterms rule", choices=[(code, code) for code in INCOTERMS], initial="FOB")
    incoterm_place = forms.CharField(label="Incoterms place", max_length=60, required=False)
    ours_from = forms.ChoiceField(label="Ours from", choices=OursFrom.choices, initial=OursFrom.ON_BOARD)
    need_by = DayField(label="Need by")
    mode = forms.ChoiceField(label="By", choices=[(mode, mode.capitalize()) for mode in MODES], initial="sea")
    reference = forms.CharField(label="Our reference", max_length=60, required=False)
    supplier_reference = forms.CharField(label="Supplier's reference", max_length=60, required=False)
    answer_by = DayField(label="Answer by", required=False)
    buyer = forms.ModelChoiceField(Person.objects.none(), required=False, empty_label="the person who writes it")
    remark = forms.CharField(label="Remark to the supplier", max_length=500, required=False)

    def __init__(self, *args, person, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["buyer"].queryset = people_who("write_order", person)
        self.fields["company"].queryset = scoped(Company.objects.all(), person, "pk")
        self.fields["site"].queryset = scoped(Site.objects.select_related("company"), person)
        self.fields["site"].label_from_instance = lambda site: f"{site} ({site.company.code})"
        self.choose_the_only_one("company", "site")

    def head(self):
        """The fields of the terms, for the template."""
        apart = {*PERCENTAGES, *ADDRESSES}
        return [field for field in self.visible_fields() if field.name not in apart]


class LineForm(forms.Form):
    """One line; an empty row is left out."""

    item = forms.CharField(label="Item code or GTIN", max_length=40, required=False)
    packs = ExactField(label="Quantity", required=False)
    pack = forms.CharField(label="Unit or pack", max_length=16, required=False)
    pack_price = ExactField(label="Price", required=False)
    discount = ExactField(label="Discount %", required=False)
    need_by = DayField(label="Need by", required=False)

    def __init__(self, *args, **kwargs):
        super().__init__(*args, **kwargs)
        for field in self.fields.values():
            field.widget.attrs["aria-label"] = field.label  # its column names it for the eye

    def clean(self):
        entered = super().clean()
        if not self.errors and entered.get("item") and entered.get("packs") is None:
            self.add_error("packs", "Enter how many.")
        if not self.errors and not entered.get("item") and entered.get("packs") is not None:
            self.add_error("item", "Enter the item's code or GTIN.")
        return entered

    def asked(self) -> LineRequest | None:
        """The line as a request; None for an empty row."""
        entered = self.cleaned_data
        if not entered.get("item"):
            return None
        return LineRequest(
            item=entered["item"],
            pack=entered["pack"],
            packs=entered["packs"],
            pack_price=entered["pack_price"],
            discount=(entered["discount"] or 0) / 100 if entered["discount"] else LineRequest.discount,
            need_by=entered["need_by"],
        )


class QuoteForm(forms.Form):
    """A line as typed so far; a field that makes no sense yet is left out."""

    packs = ExactField(required=False)
    pack = forms.CharField(required=False)
    pack_price = ExactField(required=False)
    need_by = DayField(required=False)


LineFormSet = forms.formset_factory(LineForm, extra=3, max_num=200, absolute_max=200)


def order_request(head: dict, lines: list[LineRequest]) -> OrderRequest:
    """The request of the form."""
    return OrderRequest(
        company=head["company"].pk,
        supplier=head["supplier"].pk,
        site=head["site"].pk,
        incoterm=head["incoterm"],
        incoterm_place=head["incoterm_place"],
        ours_from=head["ours_from"],
        need_by=head["need_by"],
        lines=tuple(lines),
        discount=head["discount"] or ZERO,
        surcharge=head["surcharge"] or ZERO,
        tax_rate=head["tax_rate"],
        buyer=head["buyer"].pk if head["buyer"] else None,
        **{name: head[name] for name in WORDS},
    )


class WholeForm(ActionForm):
    """An action on a record as a whole: nothing to enter but the key."""
