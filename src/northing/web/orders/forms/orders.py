"""Forms of orders and answers."""

from decimal import Decimal

from django import forms

from northing.access.models import Person
from northing.access.queries import people_who, scoped
from northing.actions.orders.write import LENGTHS, PERCENTAGES, WORDS, LineRequest, OrderRequest
from northing.core.costing.ownership import INCOTERMS
from northing.core.orders.orders import MODES
from northing.masterdata.models import Company, Party, Site
from northing.orders import documents
from northing.orders.models import ADDRESSES, OursFrom, PurchaseOrder
from northing.web.common.forms import ActionForm, DayField, DaysField, ExactField, LinesField, PercentField

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


# What an order needs beside its lines; all else is as it is kept for the supplier.
ASKED = ("supplier", "company", "site", "need_by", "reference", "remark")
KEPT = ("incoterm", "incoterm_place", "ours_from", "mode", "supplier_reference", "answer_by", "remind_days", "buyer")
AS_KEPT = ("", "as kept for the supplier")


class OrderForm(ActionForm, WholeOrderFields):
    """The head of an order. Company and site follow each other; the last ones a person ordered for are proposed."""

    supplier = forms.ModelChoiceField(Party.objects.filter(kind="supplier"))
    company = forms.ModelChoiceField(Company.objects.none(), required=False, empty_label="the site's")
    site = forms.ModelChoiceField(Site.objects.none(), required=False, empty_label="the company's")
    need_by = DayField(label="Need by", required=False)
    reference = forms.CharField(label="Our reference", max_length=60, required=False)
    remark = forms.CharField(label="Remark to the supplier", max_length=500, required=False)
    incoterm = forms.ChoiceField(
        label="Incoterms rule", choices=[AS_KEPT, *((code, code) for code in INCOTERMS)], required=False
    )
    incoterm_place = forms.CharField(label="Incoterms place", max_length=60, required=False)
    ours_from = forms.ChoiceField(
        label="Ours from", choices=[("", "as the rule proposes"), *OursFrom.choices], required=False
    )
    mode = forms.ChoiceField(
        label="By", choices=[AS_KEPT, *((mode, mode.capitalize()) for mode in MODES)], required=False
    )
    supplier_reference = forms.CharField(label="Supplier's reference", max_length=60, required=False)
    answer_by = DayField(label="Answer by", required=False)
    remind_days = DaysField(label="Remind, days before it must be ready", required=False)
    buyer = forms.ModelChoiceField(Person.objects.none(), required=False, empty_label="the person who writes it")

    def __init__(self, *args, person, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["buyer"].queryset = people_who("write_order", person)
        self.fields["company"].queryset = scoped(Company.objects.all(), person, "pk")
        self.fields["site"].queryset = scoped(Site.objects.select_related("company"), person)
        self.fields["company"].label_from_instance = lambda company: f"{company} ({company.code})"
        self.fields["site"].label_from_instance = lambda site: f"{site} ({site.company.code})"
        last = PurchaseOrder.objects.filter(buyer=person).order_by("-id").values("company", "site").first()
        for name, value in (last or {}).items():
            self.fields[name].initial = value
        if not last:
            self.choose_the_only_one("company", "site")

    def clean(self):
        """A site tells its company, and a company with one site that site."""
        entered = super().clean()
        company, site = entered.get("company"), entered.get("site")
        if company and not site:
            sites = list(company.sites.all()[:2])
            site = sites[0] if len(sites) == 1 else None
        if site:
            entered |= {"site": site, "company": company or site.company}
        elif "site" not in self.errors:
            self.add_error("site", "Choose the site where the goods are received.")
        return entered

    def asked(self):
        """The fields that every order needs, for the template."""
        return [self[name] for name in ASKED]

    def kept(self):
        """The fields of which something is kept for the supplier."""
        return [self[name] for name in KEPT]

    def wrong_terms(self):
        """Whether one of those has to be seen."""
        return any(name in self.errors for name in KEPT)


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
