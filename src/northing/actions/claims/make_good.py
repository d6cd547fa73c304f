"""Replacements that are owed become a draft order, with the terms of the order whose goods failed."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.orders.write import LineRequest, OrderRequest, draft_of, links
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, once
from northing.claims import operations as claims
from northing.claims.models import Authorisation, Replacement
from northing.claims.queries import replacements_owed
from northing.core.money.exact import plain
from northing.core.problems import Problem, refuse_if
from northing.orders.models import PurchaseOrder

ZERO = Decimal(0)


@dataclass(frozen=True)
class MakeGoodRequest:
    """How many units of each authorisation (id) are ordered anew, at the price of the failed ones or at none."""

    units: Mapping[int, Decimal]
    free: bool = False
    number: str = ""


@dataclass(frozen=True)
class InsteadRequest:
    """An authorisation (its id) of units that are owed as a replacement."""

    authorisation: int


@dataclass(frozen=True)
class _Line:
    """What one line of the draft is made of: units of authorisations of one item at one price."""

    item: str
    pack: str
    packs: Decimal
    price: Decimal
    parts: Sequence[tuple[Authorisation, Decimal]]


@once
def make_good(act: Act, request: MakeGoodRequest) -> int:
    """Write a draft order for replacements of one supplier; each case keeps its allotment. Returns the order's id."""
    wanted = Authorisation.objects.filter(pk__in=list(request.units))
    # Locked first: two people do not order the same anew.
    list(wanted.select_for_update().order_by("pk").values_list("pk", flat=True))
    found = replacements_owed(wanted)
    for company in {one.company_id for one in found}:
        act.require("handle_cases", company)
    refuse_if(_problems(request, found))
    lines = _lines(request, found)
    first = found[0].case.layer.shipment_line.instalment.line.order
    order = draft_of(act, _request(request, first, found, lines))
    rows = [
        Replacement(authorisation=said, order_line=row, quantity=units, by=act.person, at=act.at)
        for line, row in zip(lines, order.lines.order_by("number"), strict=True)
        for said, units in line.parts
    ]
    claims.write_replacements(rows)
    names = ", ".join(sorted({f"case {one.case_id}" for one in found}))
    text = f"Wrote order {order.number} to {order.supplier} to replace goods of {names}"
    of_cases = [("case", one.case_id, one.company_id) for one in found]
    add_history(act, "make_good", text, list(dict.fromkeys([*links(order), *of_cases])))
    bring_along(orders=[order.pk], cases=[one.case_id for one in found])
    return order.pk


def _request(
    request: MakeGoodRequest, first: PurchaseOrder, found: Sequence[Authorisation], lines: Sequence[_Line]
) -> OrderRequest:
    """The draft, as the order whose goods failed: its terms, site and buyer; with the references of the supplier."""
    references = ", ".join(dict.fromkeys(one.reference for one in found))
    return OrderRequest(
        company=first.company_id,
        supplier=first.supplier_id,
        site=first.site_id,
        incoterm=first.incoterm,
        ours_from=first.ours_from,
        incoterm_place=first.incoterm_place,
        number=request.number,
        mode=first.mode,
        reference=f"Replaces goods of {first.number}"[:60],
        supplier_reference=references[:60],
        discount=ZERO if request.free else first.discount,
        surcharge=ZERO if request.free else first.surcharge,
        tax_rate=first.tax_rate,
        order_to=first.order_to,
        despatch_from=first.despatch_from,
        deliver_to=first.deliver_to,
        invoice_to=first.invoice_to,
        buyer=first.buyer_id,
        lines=tuple(LineRequest(line.item, line.pack, line.packs, line.price) for line in lines),
    )


def _lines(request: MakeGoodRequest, found: Sequence[Authorisation]) -> list[_Line]:
    """A line for each item and price; in the pack of the first, where whole packs of it are wanted."""
    groups: dict[tuple[str, Decimal], list[tuple[Authorisation, Decimal]]] = defaultdict(list)
    for said in found:
        part = said.case.layer.shipment_line.instalment
        price = ZERO if request.free else part.pack_price * (1 - part.line.discount) / part.line.pack_factor
        groups[said.case.layer.item.code, price].append((said, request.units[said.pk]))
    return [_line(item, price, parts) for (item, price), parts in groups.items()]


def _line(item: str, price: Decimal, parts: Sequence[tuple[Authorisation, Decimal]]) -> _Line:
    line = parts[0][0].case.layer.shipment_line.instalment.line
    units = sum((quantity for _, quantity in parts), ZERO)
    if units % line.pack_factor == 0:
        return _Line(item, line.pack, units / line.pack_factor, round(price * line.pack_factor, 6), parts)
    return _Line(item, "", units, round(price, 6), parts)


def _problems(request: MakeGoodRequest, found: Sequence[Authorisation]) -> list[Problem]:
    if not request.units or len(found) < len(request.units):
        what = (
            "Nothing is to be ordered anew." if not request.units else "Some of these are ordered or credited by now."
        )
        return [Problem(what, "units", "Choose units that are owed as a replacement; reload the page.")]
    heads = {head_of(one) for one in found}
    if len(heads) > 1:
        what = "These are of different suppliers, companies, sites or currencies."
        return [Problem(what, "units", "Write an order for each.")]
    problems = []
    for one in found:
        item, units = one.case.layer.item, request.units[one.pk]
        if units <= 0 or round(units, item.decimals) != units:
            problems.append(Problem(f"{item.code} is counted in whole {item.unit}, above 0.", f"units-{one.pk}"))
        elif units > one.case.quantity:
            what = f"{plain(one.case.quantity)} {item.unit} of {item.code} failed in all in this case."
            problems.append(Problem(what, f"units-{one.pk}", "Order at most that many for it."))
    return problems


def head_of(said: Authorisation) -> tuple[int, int, int, str]:
    """Supplier, company, site (ids) and currency: replacements that share them may be one order."""
    order = said.case.layer.shipment_line.instalment.line.order
    return order.supplier_id, order.company_id, order.site_id, order.currency


@once
def credit_instead(act: Act, request: InsteadRequest) -> int:
    """The supplier credits the units of an authorisation that are not ordered anew; done again, it replaces them.

    Returns the case's id.
    """
    said = Authorisation.objects.select_for_update(of=("self",)).select_related("case").get(pk=request.authorisation)
    act.require("handle_cases", said.company_id)
    refuse_if(
        [] if said.owed == Authorisation.Owed.REPLACEMENT else [Problem("This is owed as a credit note already.")]
    )
    claims.credit_rest(said, credited=not said.rest_credited)
    how = "credited" if said.rest_credited else "replaced after all"
    text = f"Units under {said.reference} that are not ordered anew are to be {how}"
    add_history(act, "credit_instead", text, [("case", said.case_id, said.company_id)], act.today)
    bring_along(cases=[said.case_id])
    return said.case_id
