"""The facts and the bin that a receipt needs of goods, with an order or without one."""

from collections.abc import Sequence
from datetime import date, timedelta

from northing.actions.receiving.request import ReceiveRow
from northing.core.money.exact import plain
from northing.core.problems import Problem, Strength
from northing.core.receiving.serials import LONGEST
from northing.formats.identifiers import sscc_problem
from northing.masterdata.models import Bin, Item, Site
from northing.receiving.models import Condition

LABEL = "It is on the carton label; = gives the goods one of ours."


def kept_problems(item: Item, row: ReceiveRow, day: date, *, accept: bool) -> list[Problem]:
    """Decimals of a counted unit; lot and best-before where the item keeps them; goods that keep too short a time."""
    found = []
    if row.quantity < 0:
        found.append(Problem("The quantity must not be negative.", f"row-{row.key}"))
    if round(row.quantity, item.decimals) != row.quantity:
        found.append(Problem(f"{item.code} is counted in whole {item.unit}.", f"row-{row.key}", "Enter whole units."))
    if row.quantity > 0 and item.keeps_lot and not row.lot.strip():
        found.append(Problem(f"{item.code} keeps lots: the lot is missing.", f"lot-{row.key}", LABEL))
    if row.quantity > 0 and item.keeps_best_before and row.best_before is None:
        what = f"{item.code} keeps best-before dates: the date is missing."
        found.append(Problem(what, f"best-{row.key}", LABEL))
    found += _serial_problems(item, row)
    if row.condition not in Condition.values:
        found.append(Problem("Goods are good, damaged, or to be inspected.", f"condition-{row.key}"))
    if row.sscc and (wrong := sscc_problem(row.sscc, f"sscc-{row.key}")):
        found.append(wrong)
    if row.quantity > 0:
        found += short_lived(item, row.best_before, day, where=f"best-{row.key}", accept=accept)
    return found


def _serial_problems(item: Item, row: ReceiveRow) -> list[Problem]:
    """A number for each unit, where the item keeps them."""
    where, units = f"serials-{row.key}", len(row.serials)
    if not item.keeps_serial or row.quantity <= 0:
        return []
    if units != row.quantity:
        what = f"{item.code} keeps serial numbers: {units or 'none'} of {plain(row.quantity)} are said."
        return [Problem(what, where, "Scan or type them, count on from the first (KT-098..KT-101), or = for ours.")]
    if len(set(row.serials)) < units:
        twice = next(number for number in row.serials if row.serials.count(number) > 1)
        return [Problem(f"Serial number {twice} is there twice.", where, "A number is of one unit only.")]
    if any(not number or len(number) > LONGEST or len(number.split()) != 1 for number in row.serials):
        return [Problem(f"A serial number has 1 to {LONGEST} characters and no spaces.", where)]
    return []


def short_lived(item: Item, best_before: date | None, day: date, *, where: str, accept: bool) -> list[Problem]:
    """Goods that are out of date, or keep for less than their item asks: then a person decides."""
    if best_before is None:
        return []
    until = f"{best_before:%-d %b %Y}"
    asks = item.least_days is not None and best_before < day + timedelta(days=item.least_days)
    strength = Strength.ASK if asks and not accept else Strength.WARN
    if best_before < day:
        return [Problem(f"{item.code} was best before {until}.", where, "Send it back, or receive it.", strength)]
    if asks:
        what = f"{item.code} keeps until {until} only; it must keep {item.least_days} days when it comes."
        return [Problem(what, where, "Send it back, or receive it.", strength)]
    return []


def chosen_bin(site: Site, bins: Sequence[Bin], row: ReceiveRow, *, held: bool) -> Bin | None:
    """The bin of the site that was chosen, or the first open one for goods like these; None where there is none.

    Where goods are put away later, those on sale lie at the dock first.
    """
    if row.bin:
        return next((bin for bin in bins if bin.pk == row.bin), None)
    free = Bin.Purpose.DOCK if site.queues_putaway else Bin.Purpose.STORE
    purpose = Bin.Purpose.QUARANTINE if held else free
    return next((bin for bin in bins if bin.purpose == purpose and not bin.blocked), None)


def bin_problems(row: ReceiveRow, bin: Bin | None, *, held: str) -> list[Problem]:
    """A bin of another site, or for goods on sale; `held` says why these are not."""
    where = f"bin-{row.key}"
    if bin is None and row.bin:
        return [Problem("This bin is not at this site.", where, "Choose one of the list.")]
    if bin is None:
        return [Problem("The site has no bin for these goods.", where, "Add one to the site first.")]
    if held and bin.purpose == Bin.Purpose.STORE:
        return [Problem(held, where, "Choose a dock or quarantine bin.")]
    return []
