"""The world of a scenario: companies, sites, parties, items and rates, under names that tell nothing."""

import itertools
from collections.abc import Iterable, Sequence
from decimal import Decimal
from itertools import groupby
from operator import itemgetter
from typing import Any

from northing.claims.models import Claim
from northing.core.money.exact import plain
from northing.costing.models import Charge
from northing.inventory.models import Status, StockMovement
from northing.ledger.models import CostLayer
from northing.masterdata.inspections import rules_of
from northing.masterdata.models import (
    Bin,
    Company,
    ExchangeRate,
    InspectionRule,
    Item,
    Party,
    RateCard,
    Site,
    TariffRule,
    Territory,
)
from northing.orders.models import Instalment, OrderLine, PurchaseOrder
from northing.receiving.models import Receipt
from northing.reports.as_scenario.reach import Reach
from northing.shipping.models import Container


class Names:
    """The names of records in the file: letters and a number, in the order of their ids."""

    def __init__(self, reach: Reach):
        lines = OrderLine.objects.filter(pk__in=reach.lines).select_related("order", "item").order_by("order", "number")
        self.lines = list(lines.prefetch_related("instalments"))
        orders = PurchaseOrder.objects.filter(lines__in=reach.lines).distinct().order_by("pk")
        self.orders = {order.pk: order for order in orders.select_related("company", "supplier", "site")}
        layers = CostLayer.objects.filter(pk__in=reach.layers)
        charges = Charge.objects.filter(pk__in=reach.charges)
        payees = set(charges.values_list("payee", flat=True))
        companies = {order.company_id for order in self.orders.values()}
        companies |= set(charges.values_list("company", flat=True)) | set(layers.values_list("company", flat=True))
        self.moves = list(_moves(reach))
        sites = {order.site_id for order in self.orders.values()} | set(layers.values_list("site", flat=True))
        sites |= {bin.site_id for move in self.moves for bin in (move.source, move.target)}
        self._named: dict[tuple[str, int], str] = {}
        self._name("C", "company", companies)
        self._name("W", "site", sites)
        self._name("PO", "order", self.orders)
        self._name("I", "item", {line.item_id for line in self.lines} | set(layers.values_list("item", flat=True)))
        self._name("S", "party", {order.supplier_id for order in self.orders.values()} | payees)
        self._name("SH", "shipment", reach.shipments)
        self._name("CH", "charge", reach.charges)
        numbers: dict[int, int] = {}
        for line in self.lines:
            numbers[line.order_id] = numbers.get(line.order_id, 0) + 1
            self._named["line", line.pk] = f"{self.of('order', line.order_id)}/{numbers[line.order_id]}"
            for number, part in enumerate(priced_parts(line), 1):
                self._named["part", part.pk] = f"{self.of('line', line.pk)}.{number}"
        bins = Bin.objects.filter(site__in=sites).order_by("site", "pk").values_list("site", "pk")
        for _, those in groupby(bins, key=itemgetter(0)):
            for number, (_, bin) in enumerate(those, 1):
                self._named["bin", bin] = f"B{number}"

    def _name(self, letters: str, kind: str, keys: Iterable[int]) -> None:
        for number, key in enumerate(sorted(keys), 1):
            self._named[kind, key] = f"{letters}{number}"

    def part(self, part: Instalment) -> str:
        """The name of an instalment: of its line, where the line is not divided by prices."""
        return self._named.get(("part", part.pk)) or self.of("line", part.line_id)

    def of(self, kind: str, key: int) -> str:
        """The name of a record; of one that has none yet (an office, say) a new one."""
        if (kind, key) not in self._named:
            letter = kind[0].upper()
            used = set(self._named.values())
            numbers = itertools.count(sum(1 for known, _ in self._named if known == kind) + 1)
            self._named[kind, key] = next(name for one in numbers if (name := f"{letter}{one}") not in used)
        return self._named[kind, key]

    def box(self, box: Container) -> str:
        """The name of a container: its shipment's and its own."""
        return f"{self.of('shipment', box.shipment_id)} {self.of('container', box.pk)}"

    def receipts(self, receipt: Receipt) -> dict[int | None, str]:
        """The names of a receipt, by order (id): a file receives out of one container (None), or against one order."""
        name = self.of("receipt", receipt.pk)
        if receipt.container_id:
            return {None: name}
        orders = dict.fromkeys(receipt.lines.order_by("pk").values_list("instalment__line__order", flat=True))
        return {order: f"{name}.{number}" if number else name for number, order in enumerate(orders)}

    def case(self, case: Claim) -> str:
        """The name of a case: that of its inspection or receipt, or its own where it was opened by hand."""
        while case.part_of:
            # What was divided goes back the ways of its whole.
            case = case.part_of
        if case.kind == Claim.Kind.MISSING or (case.opened_by and case.opened_by.action == "damaged"):
            return self.of("receipt", case.layer.receipt_line.receipt_id)
        return self.of("case", case.inspection_id) if case.inspection_id else self.of("quarantined", case.pk)

    def keys(self, kind: str) -> list[int]:
        """Ids of the records of a kind that are named."""
        return [key for known, key in self._named if known == kind]


def _moves(reach: Reach) -> Iterable[StockMovement]:
    """Goods in store that went to another bin, in the order in which they did."""
    found = StockMovement.objects.filter(layer__in=reach.layers, source__isnull=False, target__isnull=False)
    found = found.filter(source_status=Status.IN_STORE, target_status=Status.IN_STORE)
    return found.select_related("layer__receipt_line__instalment", "source", "target", "history").order_by("pk")


def priced_parts(line: OrderLine) -> list[Instalment]:
    """The instalments of a line whose units have more than one price; none where they have one."""
    parts = [part for part in line.instalments.all() if part.quantity]
    return parts if len({part.pack_price * part.net_share for part in parts}) > 1 else []


def world_of(reach: Reach, names: Names) -> dict[str, Any]:
    """The world that the actions need."""
    companies = Company.objects.filter(pk__in=names.keys("company")).order_by("pk")
    sites = Site.objects.filter(pk__in=names.keys("site")).order_by("pk")
    parties = list(Party.objects.filter(pk__in=names.keys("party")).order_by("pk"))
    items = list(Item.objects.filter(pk__in=names.keys("item")).order_by("pk"))
    of_kind = {kind: [one for one in parties if one.kind == kind] for kind in Party.Kind.values}
    return {
        "companies": [_company(one, names) for one in companies],
        "sites": [_site(one, names) for one in sites],
        "suppliers": [_supplier(one, names) for one in of_kind["supplier"]],
        "providers": [{"code": names.of("party", one.pk)} for one in of_kind["provider"]],
        "offices": [{"code": names.of("party", one.pk)} for one in of_kind["customs"]],
        "items": [_item(one, names) for one in items],
        "inspection": _inspection(items, of_kind["supplier"], names),
        "rates": _rates(companies, names),
        "territory": _territories(companies),
        "tariffs": _tariffs(companies, names),
        "rate_cards": _rate_cards(names),
    }


def _rate_cards(names: Names) -> list[dict[str, Any]]:
    """The rate cards of providers that are in the story."""
    cards = RateCard.objects.filter(provider__in=names.keys("party")).order_by("pk")
    return [_rate_card(one, names) for one in cards]


def _rate_card(one: RateCard, names: Names) -> dict[str, Any]:
    facts = {name: getattr(one, name) for name in ("kind", "per", "currency", "mode", "size_type", "surcharges")}
    facts |= {"code": f"C{one.pk}", "provider": names.of("party", one.provider_id), "price": plain(one.price)}
    # Ports and sites have no place in a story but as their country.
    facts |= {"origin": one.origin[:2], "destination": one.destination[:2] if len(one.destination) == 5 else ""}
    facts |= {"minimum": plain(one.minimum), "since": one.valid_from.isoformat()}
    return facts | ({"until": one.valid_until.isoformat()} if one.valid_until else {})


def _territories(companies: Iterable[Company]) -> list[dict[str, Any]]:
    """How customs counts in the countries of companies."""
    found = Territory.objects.filter(code__in={one.country for one in companies}).order_by("code")
    return [
        {"country": one.code, "basis": one.basis, "per": one.per, "way": one.way, "value_kinds": one.value_kinds}
        | ({"unit": plain(one.unit)} if one.unit else {})
        for one in found
    ]


def _tariffs(companies: Iterable[Company], names: Names) -> list[dict[str, Any]]:
    """The tariffs of the countries of companies; not the rules for suppliers that are not in the story."""
    rules = TariffRule.objects.filter(territory__in={one.country for one in companies}).select_related("group")
    parties = set(names.keys("party"))
    return [_tariff(one, names) for one in rules.order_by("pk") if one.supplier_id in {None, *parties}]


def _tariff(one: TariffRule, names: Names) -> dict[str, Any]:
    origins = one.group.countries.split() if one.group else [one.origin] if one.origin else []
    facts = {"country": one.territory, "kind": one.kind, "hs": one.hs, "origins": origins, "name": one.name}
    facts |= {"proof": one.proof, "ad_valorem": plain(one.ad_valorem), "combine": one.combine}
    facts |= {"since": one.valid_from.isoformat()}
    if one.supplier_id:
        facts["supplier"] = names.of("party", one.supplier_id)
    if one.amount is not None:
        facts["specific"] = {"amount": plain(one.amount), "currency": one.currency, "per": one.per}
    if one.valid_until:
        facts["until"] = one.valid_until.isoformat()
    return facts


def _company(one: Company, names: Names) -> dict[str, Any]:
    tax = {
        "rate": plain(one.import_tax_rate),
        "base": list(one.import_tax_base),
        "reclaimed": plain(one.import_tax_reclaimed),
    }
    return {"code": names.of("company", one.pk), "currency": one.currency, "country": one.country, "import_tax": tax}


def _site(one: Site, names: Names) -> dict[str, Any]:
    bins = {names.of("bin", bin.pk): bin.purpose for bin in Bin.objects.filter(site=one).order_by("pk")}
    return {"code": names.of("site", one.pk), "company": names.of("company", one.company_id), "bins": bins}


def _supplier(one: Party, names: Names) -> dict[str, Any]:
    over = plain(one.over_tolerance / 100)
    return {"code": names.of("party", one.pk), "currency": one.currency, "country": one.country, "over": over}


def _item(one: Item, names: Names) -> dict[str, Any]:
    names_of = ("net_weight_kg", "duty_units", "weight_kg", "volume_m3", "duty_rate")
    numbers = {name: value for name in names_of if (value := getattr(one, name)) is not None}
    duty = {"duty_unit": one.duty_unit} if one.duty_unit else {}
    return {
        "code": names.of("item", one.pk),
        "unit": one.unit,
        "decimals": one.decimals,
        "hs": one.hs_code,
        "origin": one.origin,
        "inspected": one.inspected,
        **duty,
        **{name: plain(Decimal(value)) for name, value in numbers.items()},
    }


def _inspection(items: Sequence[Item], suppliers: Sequence[Party], names: Names) -> list[dict[str, str]]:
    """Which goods are held by a rule; by which sample they were judged is not told."""
    rules, found = rules_of(items), []
    for item in items:
        for supplier in suppliers:
            rule = rules.of(item, supplier.pk)
            if rule:
                pair = {"item": names.of("item", item.pk), "supplier": names.of("party", supplier.pk)}
                found.append(pair | {"how": "none" if rule.how == InspectionRule.How.NONE else "every"})
    return found


def _rates(companies: Iterable[Company], names: Names) -> list[dict[str, str]]:
    """The rates of the currencies that the companies' orders and charges are in, a row for each day."""
    currencies = {order.currency for order in names.orders.values()}
    currencies |= set(Charge.objects.filter(pk__in=names.keys("charge")).values_list("currency", flat=True))
    rules = TariffRule.objects.filter(territory__in={one.country for one in companies})
    currencies |= set(rules.exclude(currency="").values_list("currency", flat=True))
    found: dict[tuple[str, str, Any], dict[str, str]] = {}
    for company in companies:
        rows = ExchangeRate.objects.filter(company=company, currency__in=currencies - {company.currency})
        for row in rows.order_by("day", "pk"):
            key = (row.currency, company.currency, row.day)
            found.setdefault(key, {})[row.purpose] = plain(row.rate)
    book: dict[tuple[str, str], str] = {}
    rates = []
    for (currency, base, day), row in sorted(found.items(), key=lambda pair: pair[0][2]):
        # A row of the file has a book rate; where only the customs rate is new the book rate stands.
        row.setdefault("book", book.get((currency, base), ""))
        book[currency, base] = row["book"]
        if row["book"]:
            rates.append({"currency": currency, "base": base, "day": day.isoformat(), **row})
    return rates
