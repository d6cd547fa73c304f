"""An unknown GTIN is given to an item on the spot, by people who may keep items."""

from django.http import JsonResponse
from django.views.decorators.http import require_POST

from northing.access.permissions import may_somewhere
from northing.actions.masterdata.records import RecordRequest, keep_record
from northing.core.problems import Refused
from northing.formats.gs1 import read_scan
from northing.formats.identifiers import written_gtins
from northing.masterdata.kinds import KINDS
from northing.masterdata.models import Item, Pack
from northing.web.common.forms import act_of
from northing.web.common.permissions import form_for

# Longest names of packs.
NAME = 16


def may_teach(person) -> bool:
    """Whether the person may keep the packs of items."""
    return any(may_somewhere(person, permission) for permission in KINDS["pack"].permissions)


def unknown_gtin(said: str) -> str:
    """The GTIN of a scan that is of no pack yet; empty where there is none, or it is known."""
    try:
        gtin = read_scan(said).gtin
    except Refused:
        return ""
    return "" if not gtin or Pack.objects.filter(gtin__in=written_gtins(gtin)).exists() else gtin


@form_for(*KINDS["pack"].permissions)
@require_POST
def teach(request):
    """A GTIN is that of a pack of an item, with so many units in it. Answers JSON."""
    said = {name: request.POST.get(name, "").replace("\x00", "").strip()[:40] for name in ("gtin", "item", "units")}
    if not unknown_gtin(said["gtin"]):
        mend = "Scan the label again."
        return JsonResponse({"wrong": f"{said['gtin']} is no GTIN, or is known already.", "mend": mend}, status=422)
    item = Item.objects.filter(code__iexact=said["item"]).first()
    if item is None:
        return JsonResponse({"wrong": f"No item has the code {said['item']}.", "mend": "Enter its code."}, status=422)
    facts = {"item": item.code, "name": _name(item, said), "factor": said["units"] or "1", "gtin": said["gtin"]}
    known = Pack.objects.filter(item=item, name=facts["name"]).first()
    try:
        key = request.POST.get("key", "")
        keep_record(act_of(request, key), RecordRequest("pack", known.pk if known else None, tuple(facts.items())))
    except Refused as refused:
        problem = refused.problems[0]
        return JsonResponse({"wrong": problem.what, "mend": problem.mend}, status=422)
    return JsonResponse({"words": f"{said['gtin']} is {facts['factor']} {item.unit} of {item.code} from now on."})


def _name(item: Item, said: dict[str, str]) -> str:
    """The pack with so many units that has no GTIN yet; else a new one, called by its units."""
    units = said["units"] or "1"
    packs = {pack.name for pack in Pack.objects.filter(item=item)}
    free = Pack.objects.filter(item=item, gtin__isnull=True)
    same = next((pack.name for pack in free if f"{pack.factor.normalize():f}" == units), "")
    names = (f"of {units}"[:NAME], *(f"of {units} ({number})"[:NAME] for number in range(2, 100)))
    return same or next(name for name in names if name not in packs)
