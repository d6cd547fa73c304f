"""How we agree with a supplier, and what it sells us at what price: all of it told in the supplier's story."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act
from northing.access.permissions import require_of_all
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, once
from northing.core.money.periods import day_problems
from northing.core.orders.orders import LARGEST
from northing.core.problems import Problem, Refused, refuse_if
from northing.drawings.figures import count, price
from northing.masterdata import operations as masterdata
from northing.masterdata.models import LINK_MAY, OWES, Item, Party
from northing.masterdata.queries import find_pack
from northing.orders.models import Instalment
from northing.reports.dealings import companies_of_items, companies_of_parties

# What is decided of a supplier, by the words of its change.
FACTS = {
    "accept_days": "accept by rule up to days later",
    "price_tolerance": "price may differ by %",
    "over_tolerance": "may deliver more by %",
    "link_may": "its link may change",
    "owes": "it owes us",
}
LISTS = {"link_may": LINK_MAY, "owes": OWES}
ZERO = Decimal(0)


@dataclass(frozen=True)
class SupplierRequest:
    """A supplier as it is to be: some of FACTS."""

    supplier: int
    facts: tuple[tuple[str, object], ...]


@dataclass(frozen=True)
class AgreementRequest:
    """A price step of an item: per base unit, in the supplier's currency."""

    supplier: int
    item: str
    price: Decimal
    valid_from: date
    supplier_code: str = ""
    from_quantity: Decimal = ZERO
    minimum: Decimal = ZERO
    multiple: Decimal = ZERO
    lead_days: int = 30


@dataclass(frozen=True)
class DelayRequest:
    """The cost of a day without an item, in base currency; 0: not known."""

    item: int
    cost: Decimal


@once
def set_delay_cost(act: Act, request: DelayRequest) -> int:
    """Set the cost of a day's delay of an item; delays to it rank higher on the Watch."""
    require_of_all(act.person, ["keep_supplier"], companies_of_items([request.item])[request.item], "this item")
    item = Item.objects.select_for_update().filter(pk=request.item).first()
    if item is None:
        raise Refused(Problem("There is no such item.", "item"))
    if not 0 <= request.cost <= LARGEST or round(request.cost, 2) != request.cost:
        raise Refused(Problem("Enter an amount from 0 on, with at most two decimals.", "cost"))
    changes = [{"field": "cost of a day's delay", "old": count(item.delay_cost), "new": count(request.cost)}]
    if item.delay_cost != request.cost:
        masterdata.change_item(item, delay_cost=request.cost)
        words = f"A day without {item.code} costs {count(request.cost)}"
        add_history(act, "set_delay_cost", words, [("item", item.pk, None)], changes=changes)
        waiting = Instalment.objects.filter(line__item=item, position__with_supplier__gt=0)
        bring_along(instalments=list(waiting.values_list("pk", flat=True)))
    return item.pk


@once
def keep_supplier(act: Act, request: SupplierRequest) -> int:
    """Record how we agree with a supplier."""
    supplier = _supplier(act, request.supplier)
    facts = dict(request.facts)
    refuse_if(_fact_problems(facts))
    changes = [
        {"field": FACTS[name], "old": masterdata.as_said(getattr(supplier, name)), "new": masterdata.as_said(value)}
        for name, value in facts.items()
        if masterdata.as_said(getattr(supplier, name)) != masterdata.as_said(value)
    ]
    if changes:
        masterdata.change_party(supplier, facts)
        add_history(
            act, "keep_supplier", f"Changed how we agree with {supplier}", [("party", supplier.pk, None)], None, changes
        )
    return supplier.pk


def _fact_problems(facts: dict) -> list[Problem]:
    found = []
    for name, value in facts.items():
        if name not in FACTS:
            found.append(Problem(f"A supplier has no {name}.", name))
        elif name in LISTS and not set(value) <= set(LISTS[name]):
            found.append(Problem("This is not one of the choices.", name, f"Some of {', '.join(LISTS[name])}."))
        elif name.endswith("_tolerance") and not 0 <= value <= 100:
            found.append(Problem("A tolerance is from 0 to 100 %.", name))
        elif name == "accept_days" and not 0 <= value <= 400:
            found.append(Problem("Enter from 0 to 400 days.", name))
    return found


@once
def set_agreement(act: Act, request: AgreementRequest) -> int:
    """Write a price step. One of the same item, day and quantity is replaced; orders keep what they were written at."""
    supplier = _supplier(act, request.supplier)
    item, _ = find_pack(request.item)
    refuse_if(_step_problems(request, item.decimals))
    step, before = masterdata.keep_agreement(supplier, item, request)
    new = {name: masterdata.as_said(getattr(step, name)) for name in masterdata.STEP}
    changes = [
        {"field": name.replace("_", " "), "old": (before or {}).get(name, ""), "new": value}
        for name, value in new.items()
        if (before or {}).get(name, "") != value
    ]
    from_on = f" from {count(step.from_quantity)} {item.unit} on" if step.from_quantity else ""
    said = f"{price(step.price, step.currency)} {step.currency}{from_on}"
    told = f"{item.code}: {said}, valid from {step.valid_from:%-d %b %Y}"
    if changes:
        links = [("party", supplier.pk, None), ("item", item.pk, None)]
        add_history(act, "set_agreement", f"Agreed with {supplier} on {told}", links, changes=changes)
    return step.pk


def _step_problems(request: AgreementRequest, decimals: int) -> list[Problem]:
    found = day_problems(request.valid_from, "valid_from")
    if not 0 <= request.price <= LARGEST:
        found.append(Problem(f"A price is from 0 to {count(LARGEST)}.", "price"))
    for name in ("from_quantity", "minimum", "multiple"):
        value = getattr(request, name)
        if not 0 <= value <= LARGEST:
            found.append(Problem(f"Enter from 0 to {count(LARGEST)}.", name))
        elif round(value, decimals) != value:
            found.append(Problem("This has more decimals than the item is counted in.", name))
    if not 0 <= request.lead_days <= 999:
        found.append(Problem("Enter from 0 to 999 days.", "lead_days"))
    return found


def _supplier(act: Act, key: int) -> Party:
    """Suppliers are shared by the companies: it takes the right in each that deals with it."""
    require_of_all(act.person, ["keep_supplier"], companies_of_parties([key])[key], "this supplier")
    supplier = Party.objects.select_for_update().filter(pk=key, kind=Party.Kind.SUPPLIER).first()
    if supplier is None:
        raise Refused(Problem("There is no such supplier.", "supplier"))
    return supplier
