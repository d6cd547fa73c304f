"""The story of a receipt in words, and the records that it is tied to."""

from collections.abc import Sequence
from decimal import Decimal

from northing.actions.receiving.found import Found
from northing.actions.receiving.request import ReceiveRequest
from northing.actions.receiving.unordered import Unordered
from northing.activity.operations import Link
from northing.core.money.exact import plain
from northing.masterdata.models import Item, Site
from northing.receiving.models import Receipt
from northing.shipping.models import Container

ZERO = Decimal(0)


def words(
    container: Container | None, request: ReceiveRequest, found: Sequence[Found], unordered: Sequence[Unordered]
) -> str:
    """The goods received and their source, the units that did not come, and the goods held without an order."""
    said = [_received(container, found)] if found else []
    if unordered:
        held = _units([(one.quantity, one.item) for one in unordered])
        said.append(f"held {held} of {', '.join(sorted({one.supplier.name for one in unordered}))} without an order")
    told = ", ".join(said)
    return f"{told[:1].upper()}{told[1:]}, delivery note {request.delivery_note}"


def _received(container: Container | None, found: Sequence[Found]) -> str:
    source = (
        container.number if container else f"order {', '.join(sorted({one.of_line.order.number for one in found}))}"
    )
    missing = sum(1 for one in found if one.taking.missing)
    said = [f"received {_units([(one.quantity, one.item) for one in found])} from {source}"]
    said += [f"{missing} with goods missing"] if missing else []
    for quantities, what in (
        ([one.taking.dropped for one in found], "no more to come"),
        ([one.taking.back for one in found], "still to come from the supplier"),
        ([one.taking.asked for one in found], "short: the buyer is asked"),
    ):
        units = plain(sum(quantities, ZERO))
        said += [f"{units} units {what}"] if units != "0" else []
    return ", ".join(said)


def _units(parts: Sequence[tuple[Decimal, Item]]) -> str:
    if len(parts) == 1:
        (quantity, item), *_ = parts
        return f"{plain(quantity)} {item.unit} of {item.code}"
    return f"{len(parts)} parts"


def links(
    container: Container | None, site: Site, found: Sequence[Found], unordered: Sequence[Unordered]
) -> list[Link]:
    """The records of the story: shipment and container, lines and orders, items and suppliers of goods without one."""
    company = site.company_id
    linked: dict[Link, None] = {}
    if container is not None:
        linked["shipment", container.shipment_id, company] = linked["container", container.pk, company] = None
    for one in found:
        linked["line", one.of_line.pk, company] = None
        if container is None:
            linked["order", one.of_line.order_id, company] = None
    for one in unordered:
        linked["item", one.item.pk, company] = None
        if one.stands_for:
            linked["line", one.stands_for.pk, company] = None
    return list(linked)


def note_words(before: Receipt) -> str:
    """That a note was used before."""
    return f"Delivery note {before.delivery_note} was received before: {before} of {before.occurred_on:%-d %b %Y}."
