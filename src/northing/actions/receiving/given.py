"""Lots and serial numbers that we give to goods which carry none: `=` asks for them."""

from dataclasses import replace
from datetime import date

from northing.actions.receiving.request import ReceiveRow
from northing.core.receiving.serials import after
from northing.inventory.models import SerialNumber
from northing.masterdata.models import Item

OURS = "="
LOT_SIGNS = 20


class Given:
    """What is given within one receipt: its lot, and the serial numbers of each item, one after the other."""

    def __init__(self, day: date, note: str):
        self._lot = "".join(f"{day:%y%m%d}-{note}".split())[:LOT_SIGNS]
        self._last: dict[int, str] = {}

    def row(self, item: Item, row: ReceiveRow) -> ReceiveRow:
        """The row with what it asks for: the lot of the delivery's day and note, the item's next serial numbers."""
        if row.lot.strip() == OURS:
            row = replace(row, lot=self._lot)
        if row.serials == (OURS,) and item.keeps_serial and row.quantity > 0:
            numbers = after(self._last_of(item), int(row.quantity))
            self._last[item.pk] = numbers[-1] if numbers else self._last_of(item)
            row = replace(row, serials=tuple(numbers))
        return row

    def _last_of(self, item: Item) -> str:
        """The last number that we gave to the item. Its row is locked, so that the next one is given once."""
        if item.pk not in self._last:
            Item.objects.select_for_update().get(pk=item.pk)
            ours = SerialNumber.objects.filter(item=item, number__regex=rf"^{_escaped(item.code)}-\d{{6}}$")
            last = ours.order_by("-number").values_list("number", flat=True).first()
            self._last[item.pk] = last or f"{item.code}-000000"
        return self._last[item.pk]


def _escaped(code: str) -> str:
    """A code as a regular expression: it may have dots."""
    return code.replace(".", r"\.")
