"""Instalments of a line as its quantity changes: added, asked anew, taken back."""

from datetime import date
from decimal import Decimal

from northing.core.problems import Problem, Refused
from northing.orders import operations as orders
from northing.orders.models import Instalment, OrderLine
from northing.positions.operations import MoveDraft, locked_positions, move, open_positions

ZERO = Decimal(0)


def ask_anew(history, line: OrderLine) -> list[int]:
    """Ask for the unpacked units of the line anew, for the day that stands and at the line's price."""
    parts = free_parts(history, line)
    for part in parts:
        orders.ask_anew(part, part.promise or part.asked_on, line)
    return [part.pk for part in parts]


def new_part(history, line: OrderLine, quantity: Decimal, asked_on: date) -> Instalment:
    """Units more that are asked for, in a part of their own that no one has agreed to."""
    part = orders.add_instalment(line, quantity, asked_on)
    open_positions([part.pk])
    move(history, [MoveDraft(part.pk, "ordered", "with_supplier", quantity)])
    return part


def locked_parts(line: OrderLine) -> list[Instalment]:
    """The line's instalments with their positions, held until the action is done."""
    found = list(Instalment.objects.select_for_update().filter(line=line).order_by("pk"))
    positions = locked_positions([part.pk for part in found])
    for part in found:
        part.position = positions[part.pk]
    return found


def take_back_units(history, line: OrderLine, units: Decimal) -> list[int]:
    """Take units back that are still with the supplier: the not agreed first, and the latest."""
    touched = []
    parts = locked_parts(line)
    parts.sort(key=lambda part: (part.agreed_quantity > 0, -part.asked_on.toordinal(), -part.number))
    for part in parts:
        taken = min(units, part.position.with_supplier)
        if taken > 0:
            touched += _take_from(history, line, part, taken)
            units -= taken
    if units > 0:
        raise Refused(Problem("Another person has just packed some of these units.", mend="Look again."))
    return touched


def _take_from(history, line: OrderLine, part: Instalment, taken: Decimal) -> list[int]:
    """Another quantity needs agreeing again; what of the part is packed already keeps its agreement."""
    there, day = part.position.with_supplier, part.promise or part.asked_on
    whole = there == part.quantity
    leaves = taken if whole else there
    move(history, [MoveDraft(part.pk, "with_supplier", "ordered", leaves)])
    orders.shrink(part, leaves)
    if whole and part.agreed_quantity > 0:
        orders.ask_anew(part, day)
    rest = there - taken if not whole else ZERO
    return [part.pk] + ([new_part(history, line, rest, day).pk] if rest > 0 else [])


def free_parts(history, line: OrderLine) -> list[Instalment]:
    """The unpacked units of a line as instalments of their own: what is partly packed is split."""
    found = []
    for part in locked_parts(line):
        there = part.position.with_supplier
        if there == 0:
            continue
        if there < part.quantity:
            move(history, [MoveDraft(part.pk, "with_supplier", "ordered", there)])
            orders.shrink(part, there)
            part = new_part(history, line, there, part.promise or part.asked_on)
        found.append(part)
    return found
