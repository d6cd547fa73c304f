"""Some units of an issue come back into store; the others stay out."""

from collections.abc import Collection
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.inventory.issue import IssueRequest, issued, taken_back
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused, refuse_if
from northing.inventory.models import StockIssue, StockIssueLine, StockMovement

ZERO = Decimal(0)


def bring_back(act: Act, issue: int, layer: int, quantity: Decimal, reason: str, serials: Collection[str] = ()) -> None:
    """So many units of a layer (id) come back of an issue (id): it is taken back, and the rest is issued again.

    They lie where they lay, at their cost; what stays out keeps purpose and day. Who may is asked by the caller. Raises
    Refused.
    """
    found = StockIssue.objects.select_for_update(of=("self",)).filter(pk=issue, reversed_by=None)
    made = found.select_related("item", "site__company", "entry").first()
    lines = list(made.lines.order_by("layer")) if made else []
    line = next((one for one in lines if one.layer_id == layer), None)
    if made is None or line is None:
        raise Refused(Problem("These units are not issued any more.", "quantity", "Reload the page."))
    numbers = _numbers(made)
    refuse_if(_problems(line, made, quantity, numbers.get(layer, ()), serials))
    taken_back(act, made, reason)
    for one in lines:
        back = quantity if one is line else ZERO
        if rest := one.quantity - back:
            gone = set(serials) if one is line else set()
            stay = tuple(number for number in numbers.get(one.layer_id, ()) if number not in gone)
            again = IssueRequest(made.site_id, made.item_id, rest, made.purpose, made.occurred_on, one.layer_id, stay)
            issued(act, again, made.site, made.item)


def _numbers(issue: StockIssue) -> dict[int, tuple[str, ...]]:
    """By layer (id), the serial numbers of the units that went."""
    went = StockMovement.objects.filter(history=issue.entry.history_id, target=None).order_by("pk")
    found: dict[int, tuple[str, ...]] = {}
    for layer, said in went.values_list("layer", "serials"):
        found[layer] = (*found.get(layer, ()), *said.splitlines())
    return found


def _problems(
    line: StockIssueLine, issue: StockIssue, quantity: Decimal, numbers: Collection[str], serials: Collection[str]
) -> list[Problem]:
    item, found = issue.item, []
    if not ZERO < quantity <= line.quantity:
        what = f"{plain(line.quantity)} {item.unit} of it were issued for {issue.purpose}."
        found.append(Problem(what, "quantity", "Enter at most that many, above 0."))
    elif round(quantity, item.decimals) != quantity:
        found.append(Problem(f"{item.code} is counted in whole {item.unit}.", "quantity", "Enter whole units."))
    if numbers and (len(set(serials)) != quantity or set(serials) - set(numbers)):
        what = "These units have serial numbers: say which come back."
        found.append(Problem(what, "serials", "Name as many of those that were issued."))
    return found
