"""Units of a case leave stock for good, at full cost; and the way back."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from django.db.models import Sum

from northing.actions.costing import goods_price
from northing.actions.costing.goods_price import Leaving
from northing.claims.models import Claim
from northing.core.money.exact import plain
from northing.core.money.spread import amount_so_far
from northing.core.problems import Problem
from northing.ledger.models import Account, CostLayer, Entry, LayerTake
from northing.ledger.operations import LATE, Draft, give_back, post, post_rows
from northing.masterdata.models import Item

ZERO = Decimal(0)


@dataclass(frozen=True)
class Gone:
    """In base currency, the cost of units that left stock, and of it the price that is claimed or owed no more."""

    cost: Decimal
    price: Decimal

    @property
    def lost(self) -> Decimal:
        """The rest of the cost."""
        return self.cost - self.price


def take_out(rows: Sequence[Leaving], reason: str, *, claimed: bool = True) -> list[Gone]:
    """Units leave their locked layers, and the entries are posted: stock against the price and the loss of that reason.

    Where the price is not `claimed` all of the cost is lost. No two rows are of the same goods of a shipment.
    """
    released = goods_price.release_rows(rows) if claimed else [goods_price.Released() for _ in rows]
    costs = goods_price.take(rows, [one.claimed for one in released], reason)
    found, postings = [], []
    for row, price, cost in zip(rows, released, costs, strict=True):
        gone, common = Gone(cost, price.price), _common(row.layer)
        lost = Draft(account=LATE[LayerTake.Reason(reason)], amount=gone.lost, **common)
        drafts = [*price.drafts, lost, Draft(account=Account.STOCK, amount=-gone.cost, **common)]
        postings += [(row.entry, draft) for draft in drafts]
        found.append(gone)
    post_rows(postings)
    return found


def bring_back(entry: Entry, of: Entry, layer: CostLayer, reason: str) -> None:
    """Undo `take_out`: the units are in the layer at their cost again, and their price is as it was."""
    back = goods_price.give_back(layer, LayerTake.objects.filter(entry=of).order_by("pk"), entry)
    owed = goods_price.owed_again(entry, of)
    price = sum((draft.amount for draft in owed), ZERO)
    common = _common(layer)
    lost = Draft(account=LATE[LayerTake.Reason(reason)], amount=-(back + price), **common)
    post(entry, [*owed, lost, Draft(account=Account.STOCK, amount=back, **common)])


def find_again(entry: Entry, case: Claim, layer: CostLayer, quantity: Decimal) -> Gone:
    """Missing units are in their locked layer again, and the entry is posted; what that brings back, in base."""
    owed = goods_price.take_up(entry, layer, quantity, case)
    back = ZERO
    for units, claimed in ((owed.claimed, True), (quantity - owed.claimed, False)):
        if units:
            back += _give_back(layer, units, entry, claimed=claimed)
    found = Gone(back, -owed.price)
    common = _common(layer)
    lost = Draft(account=Account.MISSING_LOSS, amount=-found.lost, **common)
    post(entry, [*owed.drafts, lost, Draft(account=Account.STOCK, amount=back, **common)])
    return found


def _give_back(layer: CostLayer, units: Decimal, entry: Entry, *, claimed: bool) -> Decimal:
    """Units that went missing come back, at their share of what they went with; returns what they are worth now."""
    reason, currency = LayerTake.Reason.MISSING, layer.company.currency
    went = LayerTake.objects.filter(layer=layer, reason=reason, claimed=claimed)
    sums = went.aggregate(u=Sum("quantity"), c=Sum("cost"), g=Sum("goods_cost"))
    cost, goods = (amount_so_far(sums[name], currency, units, sums["u"]) for name in ("c", "g"))
    return give_back(layer, units, cost, goods, reason, entry, claimed=claimed)


def _common(layer: CostLayer) -> dict[str, int]:
    line = layer.shipment_line.instalment.line_id
    return {"company": layer.company_id, "layer": layer.pk, "order_line": line}


def units_problems(item: Item, quantity: Decimal, most: Decimal, few: Problem) -> list[Problem]:
    """A quantity that cannot be; `few` says that there are not so many."""
    found = []
    if quantity <= 0:
        found.append(Problem("The quantity must be above 0.", "quantity"))
    if quantity > most:
        found.append(few)
    if round(quantity, item.decimals) != quantity:
        found.append(Problem(f"{item.code} is counted in whole {item.unit}.", "quantity"))
    return found


def open_problems(
    case: Claim, quantity: Decimal, mend: str, *, kind: str = Claim.Kind.REJECTED, most: Decimal | None = None
) -> list[Problem]:
    """Units of a case that cannot go a way: of another kind, or more than are open; `most` of them may, else those that
    have no way yet.
    """
    found = []
    if case.of_no_order:
        mend = "Tie them to an order, send them back, or keep them, on the page of the held goods."
        return [Problem("These units belong to no order.", mend=mend, record=("layer", case.layer_id))]
    if case.kind != kind and kind == Claim.Kind.REJECTED:
        found.append(Problem("Missing goods are not here.", mend="They are found again, lost, or never supplied."))
    if case.kind != kind and kind == Claim.Kind.MISSING:
        found.append(Problem("These goods are here.", mend="They go back, are kept, or scrapped."))
    most = case.undecided if most is None else most
    what = f"Only {plain(most)} units of this case are open."
    if case.authorised and most == case.undecided:
        said = f"{plain(case.authorised)} are authorised to go back"
        what = f"Only {plain(most)} units of this case have no way yet; {said}."
    return found + units_problems(case.layer.item, quantity, most, Problem(what, "quantity", mend))
