"""Receive all that is still expected of a shipment at a site, container by container, in one act."""

from dataclasses import dataclass, replace
from datetime import date

from django.db.models import F

from northing.access.acts import Act
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.activity.operations import once
from northing.core.problems import Problem, Refused
from northing.masterdata.models import Site
from northing.shipping import operations as shipping
from northing.shipping.models import Container, ShipmentLine


@dataclass(frozen=True)
class ShipmentReceipt:
    """A shipment (id) that came to a site (id) as expected, under one delivery note."""

    shipment: int
    site: int
    delivery_note: str
    occurred_on: date
    accept: bool = False


@once
def receive_shipment(act: Act, request: ShipmentReceipt) -> list[int]:
    """A receipt for each container with goods of the site's company. Returns their ids.

    All or nothing: what is wrong with one container is named with its number.
    """
    site = Site.objects.select_related("company").get(pk=request.site)
    act.require_at("receive", site.company_id, site.pk)
    shipping.lock([request.shipment])
    made, problems = [], []
    for box in Container.objects.filter(shipment=request.shipment).order_by("pk"):
        rows = _rows(box, site)
        if not rows:
            continue
        head = (box.pk, site.pk, request.delivery_note, request.occurred_on, rows, request.accept)
        try:
            made.append(receive(act.inner(), ReceiveRequest(*head)))
        except Refused as refused:
            problems += [_of_box(problem, box) for problem in refused.problems if problem not in problems]
    if problems:
        raise Refused(problems)
    if not made:
        raise Refused(Problem("Nothing of this shipment is expected at this site any more.", mend="Reload the page."))
    return made


def _rows(box: Container, site: Site) -> tuple[ReceiveRow, ...]:
    of_company = {"container": box, "instalment__line__order__company": site.company_id}
    found = ShipmentLine.objects.filter(accounted__lt=F("quantity"), **of_company).order_by("pk")
    return tuple(ReceiveRow(part.pk, part.quantity - part.accounted) for part in found)


def _of_box(problem: Problem, box: Container) -> Problem:
    """A problem of a row is said of its container; there the rows can be mended."""
    if problem.where.partition("-")[0] not in ("row", "lot", "best", "serials", "bin"):
        return problem
    return replace(problem, what=f"{box.number}: {problem.what}", where="", mend="Receive that container by itself.")
