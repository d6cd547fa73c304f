"""Move goods between bins, also of another site of the company. Nothing is posted: a move changes no value."""

from dataclasses import dataclass
from decimal import Decimal

from northing.access.acts import Act
from northing.activity.operations import add_history, once
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused, refuse_if
from northing.inventory import operations
from northing.inventory.models import OnHand, Status
from northing.inventory.operations import Place, StockMove
from northing.ledger import operations as ledger
from northing.ledger.models import CostLayer
from northing.masterdata.models import Bin


@dataclass(frozen=True)
class MoveRequest:
    """Units of a layer that lie in one bin and state, and the bin (ids) they go to."""

    layer: int
    source: int
    status: str
    quantity: Decimal
    target: int
    serials: tuple[str, ...] = ()


@once
def move_goods(act: Act, request: MoveRequest) -> int:
    """Units lie in another bin; their layer stays itself, and is of the site where all of it lies. Returns its id."""
    layer = CostLayer.objects.select_for_update(of=("self",)).select_related("item", "company").get(pk=request.layer)
    source = Bin.objects.select_related("site").get(pk=request.source)
    target = Bin.objects.select_related("site").filter(pk=request.target).first()
    act.require_at("issue_stock", layer.company_id, source.site_id)
    if target is None or target.site.company_id != layer.company_id:
        raise Refused(Problem("This bin is not of the company.", "target", "Choose one of the list."))
    act.require_at("issue_stock", layer.company_id, target.site_id)
    refuse_if(_problems(request, layer, source, target))
    what = f"{plain(request.quantity)} {layer.item.unit} of {layer.item.code}"
    there = f"{target} at {target.site}" if target.site_id != source.site_id else str(target)
    links = [("item", layer.item_id, layer.company_id), ("layer", layer.pk, layer.company_id)]
    history = add_history(act, "move_goods", f"Moved {what} from {source} to {there}", links)
    way = (Place(source.pk, request.status), Place(target.pk, request.status))
    operations.move_stock(history, [StockMove(layer.pk, request.quantity, *way, request.serials)])
    sites = set(OnHand.objects.filter(layer=layer, quantity__gt=0).values_list("bin__site", flat=True))
    if sites == {target.site_id} and layer.site_id != target.site_id:
        ledger.bring_to(layer, target.site)
    return layer.pk


def _problems(request: MoveRequest, layer: CostLayer, source: Bin, target: Bin) -> list[Problem]:
    lies = OnHand.objects.filter(layer=layer, bin=source, status=request.status).first()
    there = lies.quantity if lies else Decimal(0)
    if source.pk == target.pk:
        return [Problem("They lie in this bin already.", "target", "Choose another bin.")]
    if request.quantity <= 0:
        return [Problem("The quantity must be above 0.", "quantity")]
    if round(request.quantity, layer.item.decimals) != request.quantity:
        return [Problem(f"{layer.item.code} is counted in whole {layer.item.unit}.", "quantity", "Enter whole units.")]
    if request.quantity > there:
        return [Problem(f"Only {plain(there)} {layer.item.unit} lie in {source}.", "quantity", "Move at most that.")]
    if request.status != Status.IN_STORE and target.purpose == Bin.Purpose.STORE:
        what = f"Goods that are {request.status} do not go into the store."
        return [Problem(what, "target", "Choose a dock or quarantine bin.")]
    return []
