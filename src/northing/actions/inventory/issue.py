"""Issue stock: first in, first out, at layer cost."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import Sum

from northing.access.acts import Act, future_problem
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import Link, add_history, once
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused, refuse_if
from northing.inventory import operations
from northing.inventory.models import OnHand
from northing.ledger import operations as ledger
from northing.ledger.models import Account, CostLayer, LayerTake
from northing.ledger.operations import Draft, open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.models import Item, Site
from northing.positions import operations as positions

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


@once
def issue_stock(act: Act, request: IssueRequest) -> int:
    """Take available units out of the oldest layers. Returns the entry's id."""
    site = Site.objects.select_related("company").get(pk=request.site)
    item = Item.objects.get(pk=request.item)
    act.require_at("issue_stock", site.company_id, site.pk)
    refuse_if(_problems(act, request, item))
    takes = _takes(request, site, item)
    text = f"Issued {plain(request.quantity)} {item.unit} of {item.code} for {request.purpose.strip()}"
    text += posting_note([site.company_id], request.occurred_on)
    links = [("item", item.pk, site.company_id), *_layer_links(takes, site.company_id)]
    history = add_history(act, "issue_stock", text, links, request.occurred_on)
    entry = open_entry(act, history, text, request.occurred_on)
    drafts = []
    for layer, quantity in takes:
        operations.take_off_hand(layer, "in_store", quantity)
        cost = ledger.take(layer, quantity, LayerTake.Reason.ISSUED, entry, site.company.currency).cost
        common = {"layer": layer.pk, "order_line": layer.stowage.instalment.line_id if layer.stowage else None}
        drafts.append(Draft(site.company_id, Account.STOCK_ISSUES, cost, **common))
        drafts.append(Draft(site.company_id, Account.STOCK, -cost, **common))
    post(entry, drafts)
    # What was there before Northing has no order whose units would move.
    moves = [
        positions.MoveDraft(layer.stowage.instalment_id, "in_store", "issued", quantity, layer.stowage_id)
        for layer, quantity in takes
        if layer.stowage
    ]
    positions.move(history, moves)
    bring_along(layers=[layer.pk for layer, _ in takes if layer.stowage])
    return entry.pk


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
    lines = CostLayer.objects.filter(pk__in=layers, stowage__isnull=False)
    lines = lines.values_list("stowage__instalment__line", flat=True).order_by("pk")
    return [*(("layer", key, company) for key in layers), *(("line", key, company) for key in lines)]


def _takes(request: IssueRequest, site: Site, item: Item) -> list[tuple[CostLayer, Decimal]]:
    """Layers in the order they came, with what each gives."""
    locked = CostLayer.objects.select_for_update(of=("self",)).select_related("stowage__instalment")
    layers = locked.filter(site=site, item=item, kind="stock", received__gt=0)
    if request.layer:
        layers = layers.filter(pk=request.layer)
    layers = list(layers.order_by("occurred_on", "pk"))
    store = OnHand.objects.filter(layer__in=layers, status="in_store").values_list("layer")
    available = dict(store.annotate(total=Sum("quantity")))
    left, takes = request.quantity, []
    for layer in layers:
        part = min(left, available.get(layer.pk) or ZERO)
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
