"""A receipt is proof of arrival: what stands at our dock has departed, arrived and passed the gate.

Where no one recorded a departure or an arrival, the receipt's day stands for it, and ownership takes that day and its
rate; an actual day that is recorded later goes before it, and goods are valued anew. A receipt keeps what is known by
it alone, so that its reversal takes back no more.
"""

from datetime import date

from northing.access.acts import Act
from northing.actions.costing import revalue
from northing.actions.shipping import milestones, sail
from northing.activity.models import HistoryEntry
from northing.activity.operations import add_history
from northing.positions import operations as positions
from northing.receiving import operations as receiving
from northing.receiving.models import Receipt
from northing.receiving.queries import EVENTS
from northing.shipping import dates
from northing.shipping.models import Container, DateStatement, Shipment
from northing.shipping.queries import UNSETTLED, companies_aboard, planned_legs

GATE_OUT = DateStatement.Milestone.GATE_OUT


def arrive_by_receipt(act: Act, container: Container, day: date) -> tuple[dict[str, bool], list[int]]:
    """Record that the shipment came, where no one said so.

    Returns the marks of the receipt that proves it, and the instalments (ids) whose days moved; the receipt brings
    them along.
    """
    shipment = container.shipment
    unsaid = [one for one in EVENTS if getattr(shipment, one[1]) is None]
    if unsaid:
        what = " and ".join("departed" if event == "on_board" else "arrived" for event, *_ in unsaid)
        words = f"{shipment}: {what} by {day:%-d %b %Y}, as it is received; no one said when"
        history = add_history(act, "implied", words, [("shipment", shipment.pk, None)], day)
        moments = set().union(*companies_aboard([shipment.pk]).values())
        for event, *_ in unsaid:
            sail.follow_event(act, history, event, [shipment], max(day, shipment.departed_on or day), moments)
    dated: list[int] = []
    passed = DateStatement.objects.filter(container=container, milestone=GATE_OUT, kind="actual", retracted=False)
    if not passed.exists():
        said = dates.Said(dates.IMPLIED, "no one: it follows from its receipt", None)
        dates.write_statement(act, None, None, GATE_OUT, "actual", day, container, said)
        dated = milestones.settle_dates(act, [shipment])
    return {mark: True for _, _, mark in unsaid}, dated


def unprove(act: Act, history: HistoryEntry, receipt: Receipt, shipment: Shipment) -> None:
    """Take back the departure and arrival that only this receipt proved; those that were said since stay."""
    others = Receipt.objects.filter(reversed_by=None).exclude(pk=receipt.pk)
    if not others.filter(container=receipt.container).exists():
        implied = DateStatement.objects.filter(container=receipt.container, milestone=GATE_OUT, said_at=dates.IMPLIED)
        dates.retract(implied.filter(retracted=False))
    planned, _ = planned_legs([shipment], act.today)
    other = others.filter(container__shipment=shipment).order_by("occurred_on", "pk").first()
    for event, fact, mark in reversed(EVENTS):
        if not getattr(receipt, mark) or sail.happened(event, planned[shipment.pk], act.today):
            continue
        if other:
            receiving.mark_proof(other, mark)
            dates.mark_sailed([shipment], fact, other.occurred_on)
            continue
        _, source, target = sail.SAILS[event]
        positions.move_all(history, target, source, UNSETTLED, [[shipment.pk]])
        dates.mark_sailed([shipment], fact, None)
    days = revalue.moments_of({shipment.pk: shipment}, planned, act.today)
    revalue.value_anew(act, {shipment.pk: shipment}, days, give_up=True)
    milestones.follow_dates(act, [shipment])
