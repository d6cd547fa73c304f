"""Issue stock: first in, first out, at layer cost; and take an issue back."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import Sum

from northing.access.acts import Act, future_problem
from northing.actions.inventory.units import move_units
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.activity.operations import Link, add_history, once
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused, refuse_if
from northing.inventory import operations
from northing.inventory.models import OnHand, SerialNumber, StockIssue, StockIssueLine
from northing.ledger import operations as ledger
from northing.ledger.models import Account, CostLayer, LayerTake
from northing.ledger.operations import Draft, open_entry, post
from northing.ledger.queries import CAME, posting_note
from northing.masterdata.models import Item, Site

ZERO = Decimal(0)


@dataclass(frozen=True)
class IssueRequest:
    """Units of an item leaving a site; `layer` takes from that layer only."""

    site: int
    item: int
    quantity: Decimal
    purpose: str
    occurred_on: date
    layer: int | None = None
    serials: tuple[str, ...] = ()


@once
def issue_stock(act: Act, request: IssueRequest) -> int:
    """Take available units out of the oldest layers. Returns the issue's id."""
    site = Site.objects.select_related("company").get(pk=request.site)
    act.require_at("issue_stock", site.company_id, site.pk)
    return issued(act, request, site, Item.objects.get(pk=request.item)).pk


def issued(act: Act, request: IssueRequest, site: Site, item: Item) -> StockIssue:
    """Units leave the oldest layers, without asking who may."""
    refuse_if(_problems(act, request, item))
    numbers = _numbers(request, item)
    takes = _takes(request, site, item, {key: Decimal(len(those)) for key, those in numbers.items()})
    text = f"Issued {plain(request.quantity)} {item.unit} of {item.code} for {request.purpose.strip()}"
    text += posting_note([site.company_id], request.occurred_on)
    links = [("item", item.pk, site.company_id), *_layer_links(takes, site.company_id)]
    history = add_history(act, "issue_stock", text, links, request.occurred_on)
    entry = open_entry(act, history, text, request.occurred_on)
    drafts, lines = [], []
    for layer, quantity in takes:
        operations.move_out(history, layer, "in_store", quantity, site.pk, numbers.get(layer.pk, ()))
        taken = ledger.take(layer, quantity, LayerTake.Reason.ISSUED, entry, site.company.currency)
        lines.append(StockIssueLine(layer=layer, quantity=quantity, cost=taken.cost, goods_cost=taken.goods_cost))
        drafts += _drafts(layer, taken.cost, taken.cost)
    post(entry, drafts)
    issue = StockIssue(
        company=site.company,
        site=site,
        item=item,
        quantity=request.quantity,
        purpose=request.purpose.strip(),
        occurred_on=request.occurred_on,
        issued_by=act.person,
        at=act.at,
        entry=entry,
    )
    operations.write_issue(issue, lines)
    move_units(history, takes, "in_store", "issued")
    return issue


def _drafts(layer: CostLayer, cost: Decimal, issued: Decimal) -> list[Draft]:
    """Out of stock at `cost`: as much of it as was `issued` to the issues, the rest is late cost of them."""
    common = {"layer": layer.pk, "order_line": layer.shipment_line.instalment.line_id if layer.shipment_line else None}
    return [
        Draft(layer.company_id, Account.STOCK_ISSUES, issued, **common),
        Draft(layer.company_id, Account.LATE_ISSUED, cost - issued, **common),
        Draft(layer.company_id, Account.STOCK, -cost, **common),
    ]


@once
def take_back_issue(act: Act, request: ReverseRequest) -> int:
    """Take an issue back: its units lie where they lay, at their cost, late costs included. Returns its id."""
    locked = StockIssue.objects.select_for_update(of=("self",)).select_related("item", "site__company", "entry")
    issue = locked.get(pk=request.record)
    act.require_at("issue_stock", issue.company_id, issue.site_id)
    refuse_reversal("issue", issue.reversed_by_id, request.reason)
    taken_back(act, issue, request.reason)
    return issue.pk


def taken_back(act: Act, issue: StockIssue, reason: str) -> None:
    """The units of a locked issue lie where they lay, without asking who may."""
    what = f"{plain(issue.quantity)} {issue.item.unit} of {issue.item.code} for {issue.purpose}"
    text = f"Took back the issue of {what}: {reason.strip()}{posting_note([issue.company_id], act.today)}"
    lines = _locked_lines(issue)
    takes = [(line.layer, line.quantity) for line in lines]
    links = [("item", issue.item_id, issue.company_id), *_layer_links(takes, issue.company_id)]
    history = add_history(act, "take_back_issue", text, links, act.today)
    entry = open_entry(act, history, text, act.today, reverses=issue.entry)
    drafts = []
    for line in lines:
        back = ledger.give_back(line.layer, line.quantity, line.cost, line.goods_cost, LayerTake.Reason.ISSUED, entry)
        drafts += _drafts(line.layer, -back, -line.cost)
    post(entry, drafts)
    operations.move_back(history, issue.entry.history)
    move_units(history, takes, "issued", "in_store")
    operations.mark_taken_back(issue, entry)


def _locked_lines(issue: StockIssue) -> list[StockIssueLine]:
    """The lines of an issue, their layers locked in key order."""
    lines = list(issue.lines.order_by("layer"))
    layers = CostLayer.objects.select_for_update(of=("self",)).filter(pk__in=[line.layer_id for line in lines])
    found = layers.select_related("company", "shipment_line__instalment").order_by("pk").in_bulk()
    for line in lines:
        line.layer = found[line.layer_id]
    return lines


def _problems(act: Act, request: IssueRequest, item: Item) -> list[Problem]:
    found = future_problem(request.occurred_on, act)
    if request.quantity <= 0:
        found.append(Problem("The quantity must be above 0.", "quantity"))
    if round(request.quantity, item.decimals) != request.quantity:
        found.append(Problem(f"{item.code} is counted in whole {item.unit}.", "quantity", "Enter whole units."))
    if not request.purpose.strip():
        found.append(Problem("Say what the units are for.", "purpose"))
    return found


def _layer_links(takes: Sequence[tuple[CostLayer, Decimal]], company: int) -> list[Link]:
    """The layers and the order lines they came from."""
    layers = [layer.pk for layer, _ in takes]
    lines = CostLayer.objects.filter(pk__in=layers, shipment_line__isnull=False)
    lines = lines.values_list("shipment_line__instalment__line", flat=True).order_by("pk")
    return [*(("layer", key, company) for key in layers), *(("line", key, company) for key in lines)]


def _numbers(request: IssueRequest, item: Item) -> dict[int, list[str]]:
    """The serial numbers that were named, by the layer (id) of their units."""
    if not request.serials:
        return {}
    if len(set(request.serials)) != request.quantity:
        raise Refused(Problem("Name as many serial numbers as units, each once.", "serials"))
    found: dict[int, list[str]] = {}
    rows = SerialNumber.objects.filter(item=item, number__in=request.serials, status="in_store", bin__isnull=False)
    for layer, number in rows.values_list("layer", "number").order_by("layer", "number"):
        found.setdefault(layer, []).append(number)
    strange = sorted(set(request.serials) - {number for those in found.values() for number in those})
    if strange:
        raise Refused(Problem(f"Serial number {strange[0]} is not in store.", "serials", "Look where it is."))
    return found


def _takes(request: IssueRequest, site: Site, item: Item, named: dict[int, Decimal]) -> list[tuple[CostLayer, Decimal]]:
    """Layers in the order they came, with what each gives; where serial numbers are named, their layers."""
    locked = CostLayer.objects.select_for_update(of=("self",)).select_related("company", "shipment_line__instalment")
    lies = OnHand.objects.filter(bin__site=site, status="in_store", quantity__gt=0)
    layers = locked.filter(CAME, pk__in=lies.values("layer"), item=item, received__gt=0)
    if request.layer:
        layers = layers.filter(pk=request.layer)
    if named:
        layers = layers.filter(pk__in=named)
    layers = list(layers.order_by("occurred_on", "pk"))
    store = lies.filter(layer__in=layers).values_list("layer")
    available = dict(store.annotate(total=Sum("quantity")))
    left, takes = request.quantity, []
    for layer in layers:
        part = min(left, available.get(layer.pk) or ZERO, named.get(layer.pk, left))
        if part > 0:
            takes.append((layer, part))
            left -= part
    if left > 0:
        there = request.quantity - left
        raise Refused(
            Problem(
                f"Only {plain(there)} {item.unit} of {item.code} are in store at {site}.",
                "quantity",
                "Held goods are not available.",
            )
        )
    return takes
