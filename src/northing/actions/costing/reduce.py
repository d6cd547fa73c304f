"""Goods kept at a lower price: what their supplier is to credit is a claim, and comes off the cost of their layer."""

from collections.abc import Sequence
from decimal import Decimal

from django.db.models import Sum

from northing.actions.costing import absorb
from northing.actions.costing.absorb import PRICE_DIFFERENCE, Absorption, Late
from northing.actions.costing.recognitions import Recognition, of_layer
from northing.claims import operations as claims
from northing.claims.models import CaseEnd, Claim
from northing.core.costing import layers as rule
from northing.core.money.money import from_minor, is_whole, to_minor
from northing.core.money.spread import amount_so_far
from northing.core.problems import Problem
from northing.drawings.figures import money
from northing.ledger.models import Account, CostLayer, DocumentKind, Entry, LayerTake
from northing.ledger.operations import Draft, as_rule, owed_again

ZERO = Decimal(0)


def reduction_problems(layer: CostLayer, quantity: Decimal, amount: Decimal) -> list[Problem]:
    """An amount that cannot come off the price of so many units of a layer."""
    currency = layer.shipment_line.instalment.line.order.currency
    if not is_whole(amount, currency) or amount < 0:
        return [Problem(f"This is no amount in {currency}.", "reduced", "Enter it above 0, or leave it empty.")]
    made = of_layer(layer)
    whole = sum((one.amount for one in made), ZERO)
    most = amount_so_far(whole, currency, quantity, max(_units(made), quantity))
    off = CaseEnd.objects.filter(case__layer=layer, reversed_by=None).aggregate(a=Sum("reduced"))["a"] or ZERO
    if amount > most:
        what = f"These units cost {currency} {money(most, currency)} in all."
        return [Problem(what, "reduced", "Enter at most that.")]
    if amount > whole - off:
        what = f"{currency} {money(off, currency)} of {currency} {money(whole, currency)} is off their price already."
        return [Problem(what, "reduced", "Enter at most the rest.")]
    return []


def _units(made: Sequence[Recognition]) -> Decimal:
    return sum((one.units for one in made), ZERO)


def reduce_price(entry: Entry, layer: CostLayer, case: Claim, amount: Decimal) -> tuple[Decimal, list[Draft]]:
    """Claim an amount (in the order's currency) of what a locked layer cost: what it is in base, and the postings.

    It is worth what the goods were when they became ours. Units that were issued take their share of it; those whose
    price is claimed as a whole do not.
    """
    made, base_currency = of_layer(layer), layer.company.currency
    whole, worth = sum((one.amount for one in made), ZERO), sum((one.base for one in made), ZERO)
    base = amount_so_far(worth, base_currency, amount, whole)
    drafts = absorb.write(entry, Absorption([_off(layer, base)]))
    currency = layer.shipment_line.instalment.line.order.currency
    claims.add_amounts(entry, [(case.pk, case.against_id, "reduced", currency, amount, base)])
    common = {"company": layer.company_id, "layer": layer.pk, "order_line": layer.shipment_line.instalment.line_id}
    afloat = {"document_kind": DocumentKind.SHIPMENT_LINE, "document": layer.shipment_line_id}
    owed = {"document_kind": DocumentKind.CASE, "document": case.pk, "party": case.against_id}
    owed |= {"foreign_amount": amount, "foreign_currency": currency}
    drafts.append(Draft(account=Account.OWNED_AFLOAT, amount=-base, **afloat, **common))
    drafts.append(Draft(account=Account.CLAIMS, amount=base, **owed, **common))
    return base, drafts


def _off(layer: CostLayer, base: Decimal) -> Late:
    currency = layer.company.currency
    takes = LayerTake.objects.filter(layer=layer).values_list("reason", "claimed", "quantity")
    gone: dict[tuple[str, bool], Decimal] = {}
    for reason, claimed, units in takes:
        gone[reason, claimed] = gone.get((reason, claimed), ZERO) + units
    found = rule.revalue(as_rule(layer, currency), -to_minor(base, currency), gone)
    stays = {way: units for way, units in found.variance.items() if not way[1]}
    stock = -to_minor(base, currency) - sum(stays.values())
    variance = {way: from_minor(units, currency) for way, units in stays.items()}
    return Late(layer, PRICE_DIFFERENCE, -base, from_minor(stock, currency), variance)


def price_again(entry: Entry, of: Entry, layer: CostLayer, base: Decimal) -> list[Draft]:
    """Undo `reduce_price`, which took `base` off: the cost is as it was, and nothing of it is claimed. The postings."""
    drafts = absorb.write(entry, Absorption([_off(layer, -base)]))
    common = {"company": layer.company_id, "layer": layer.pk, "order_line": layer.shipment_line.instalment.line_id}
    afloat = {"document_kind": DocumentKind.SHIPMENT_LINE, "document": layer.shipment_line_id}
    claims.take_back_amounts(entry, of, why="reduced")
    drafts.append(Draft(account=Account.OWNED_AFLOAT, amount=base, **afloat, **common))
    return drafts + [one for one in owed_again(of) if one.account == Account.CLAIMS]
