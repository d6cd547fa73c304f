"""The road from an empty house to its first order: what is there, and what is still missing, in words."""

from collections.abc import Iterable
from dataclasses import dataclass

from northing.access.permissions import grants_with
from northing.masterdata.models import Bin, Company, ExchangeRate, Item, Party, Site
from northing.messaging.models import Message
from northing.orders.models import PurchaseOrder


@dataclass(frozen=True)
class Step:
    """A step by what it adds: a kind of record, or people, rates, mail, order. `missing` is empty where it is done."""

    adds: str
    words: str
    why: str
    missing: str

    @property
    def done(self) -> bool:
        """Whether nothing is missing."""
        return not self.missing


def first_steps(companies: Iterable[int]) -> list[Step]:
    """The steps of the companies (ids) in the order in which they are gone."""
    mine = list(Company.objects.filter(pk__in=list(companies)).order_by("pk"))
    return [
        Step("company", "Company", "who orders and pays", "" if mine else "There is no company of yours."),
        Step("site", "Site", "where goods are received", _each(mine, _no_site)),
        Step("bin", "Bins", "a dock, a store, and quarantine where goods are inspected", _bins(mine)),
        Step("supplier", "Supplier", "who sells: with currency, port and terms", _suppliers()),
        Step("item", "Item", "what is ordered: with unit, weight, volume and tariff code", _items()),
        Step("rates", "Exchange rates", "from the suppliers' currencies to yours", _each(mine, _no_rate)),
        Step("people", "People", "who writes orders, receives goods and books bills", _each(mine, _no_people)),
        Step("mail", "Mail", "how orders reach their suppliers", _mail()),
        Step("order", "First order", "written, checked and sent", _orders(mine)),
    ]


def _each(companies: list[Company], missing) -> str:
    found = [f"{company.code} {what}" for company in companies if (what := missing(company))]
    return f"{'; '.join(found)}." if found else "" if companies else "A company comes first."


def _no_site(company: Company) -> str:
    return "" if company.sites.exists() else "has no site"


def _bins(companies: list[Company]) -> str:
    sites = list(Site.objects.filter(company__in=companies).order_by("pk"))
    if not sites:
        return "A site comes first."
    purposes = [Bin.Purpose.DOCK, Bin.Purpose.STORE]
    if Item.objects.filter(inspected=True).exists():
        purposes.append(Bin.Purpose.QUARANTINE)
    there = set(Bin.objects.filter(site__in=sites).values_list("site", "purpose"))
    found = []
    for site in sites:
        lacks = [purpose.label.lower() for purpose in purposes if (site.pk, purpose.value) not in there]
        found += [f"{site.code} has no bin for: {', '.join(lacks)}"] if lacks else []
    return f"{'; '.join(found)}." if found else ""


def _suppliers() -> str:
    suppliers = Party.objects.filter(kind=Party.Kind.SUPPLIER)
    if not suppliers.exists():
        return "There is none yet."
    silent = suppliers.filter(email="").count()
    return f"{silent} of them have no mail address: no order is sent to them." if silent else ""


def _items() -> str:
    return "" if Item.objects.exists() else "There is none yet."


def _no_rate(company: Company) -> str:
    needed = set(Party.objects.filter(kind=Party.Kind.SUPPLIER).values_list("currency", flat=True)) - {company.currency}
    known = ExchangeRate.objects.filter(company=company, purpose=ExchangeRate.Purpose.BOOK)
    lacking = sorted(needed - set(known.values_list("currency", flat=True)))
    return f"has no rate for {', '.join(lacking)}" if lacking else ""


# What somebody must be able to do before goods can come.
NEEDED = {"write_order": "writes orders", "receive": "receives goods", "book_bill": "books bills"}


def _no_people(company: Company) -> str:
    lacking = [
        words
        for right, words in NEEDED.items()
        if not grants_with(right, [company.pk]).filter(person__is_active=True).exists()
    ]
    return f"has no one who {', '.join(lacking)}" if lacking else ""


def _mail() -> str:
    return "" if Message.objects.filter(state=Message.State.SENT).exists() else "No letter has gone yet: send a test."


def _orders(companies: list[Company]) -> str:
    sent = PurchaseOrder.objects.filter(company__in=companies, sent_at__isnull=False).exists()
    return "" if sent else "None is sent yet."
