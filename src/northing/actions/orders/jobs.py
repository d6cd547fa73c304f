"""The worker's part in many orders and order files."""

from dataclasses import replace
from datetime import date

from northing.actions.orders import import_file
from northing.actions.orders.amend import BuyerRequest, NeedByRequest, assign_buyer, set_need_by
from northing.core.problems import Refused
from northing.jobs.jobs import Named, Run
from northing.orders.models import OrderFile, OrderLine, PurchaseOrder


def line_named(order: str, number: int, line: int) -> Named:
    """An order line, as a job names it."""
    return Named(f"{order}/{number}", "line", line)


def set_need_bys(run: Run) -> None:
    """One need-by date for many lines."""
    keys, day = run.request["keys"], date.fromisoformat(run.request["need_by"])
    found = OrderLine.objects.filter(pk__in=keys).values_list("pk", "order__number", "number")
    names = {pk: line_named(order, number, pk) for pk, order, number in found}
    run.each(keys, lambda act, key: set_need_by(act, NeedByRequest(key, day)), names)


def assign_buyers(run: Run) -> None:
    """One buyer for many orders."""
    keys, person = run.request["keys"], run.request["person"]
    found = PurchaseOrder.objects.filter(pk__in=keys).values_list("pk", "number")
    names = {pk: Named(number, "order", pk) for pk, number in found}
    run.each(keys, lambda act, key: assign_buyer(act, BuyerRequest(key, person)), names)


def read_orders(run: Run) -> None:
    """Read an order file and say of each row what it would do."""
    file = OrderFile.objects.get(pk=run.request["file"])
    if file.state in (OrderFile.State.READING, OrderFile.State.FAILED):
        import_file.read_file(replace(run.act(), channel="file"), file, run.far)


def take_orders(run: Run) -> None:
    """Do what an order file asks for."""
    file = OrderFile.objects.get(pk=run.request["file"])
    import_file.take_file(replace(run.act(), channel="file"), file, run.far)
    refused = file.rows.filter(state="wrong").order_by("number")
    for row in refused[:500]:
        run.refuse(Named(f"Row {row.number}"), Refused(row.says))
