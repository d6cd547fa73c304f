"""A receipt as a ReceiptAdvice for the supplier."""

from northing.formats.receipt_advice import Advice, AdviceLine, AdviceParty
from northing.inventory.models import SerialNumber
from northing.masterdata.models import Pack
from northing.masterdata.queries import supplier_codes
from northing.receiving.models import Receipt, ReceiptLine


def advices_of(receipt: Receipt) -> list[Advice]:
    """One for each supplier whose goods came, by the supplier's code."""
    told = ("item", "supplier", "instalment__line__order__supplier")
    lines = list(receipt.lines.select_related(*told).order_by("pk"))
    suppliers = {_whose(line).pk: _whose(line) for line in lines}
    codes = supplier_codes({(_whose(line).pk, line.item_id) for line in lines})
    gtins = _gtins(lines)
    serials = _serials(receipt)
    found = []
    for supplier in sorted(suppliers.values(), key=lambda one: one.code):
        of = [line for line in lines if _whose(line).pk == supplier.pk]
        found.append(
            Advice(
                receipt.number or "",
                receipt.occurred_on,
                receipt.delivery_note,
                AdviceParty(receipt.company.name, "", receipt.company.country),
                AdviceParty(supplier.name, supplier.city, supplier.country),
                tuple(
                    _line(
                        one,
                        codes.get((supplier.pk, one.item_id), ""),
                        gtins.get(one.item_id, ""),
                        serials.get(one.pk, ()),
                    )
                    for one in of
                ),
                receipt.remark,
            )
        )
    return found


def _whose(line: ReceiptLine):
    return line.supplier or line.instalment.line.order.supplier


def _line(line: ReceiptLine, theirs: str, gtin: str, serials: tuple[str, ...]) -> AdviceLine:
    of = line.instalment.line if line.instalment else None
    notes = [line.get_why_display() if line.why else "", line.get_condition_display() if line.condition else ""]
    return AdviceLine(
        line.item.code,
        line.item.description,
        line.item.unit,
        line.quantity,
        line.missing + line.dropped + line.back + line.asked,
        line.quantity if line.why == ReceiptLine.Why.EXCESS else line.excess,
        of.order.number if of else "",
        str(of.number) if of else "",
        theirs,
        gtin,
        line.lot,
        line.best_before,
        serials,
        ", ".join(note for note in notes if note),
    )


def _gtins(lines: list[ReceiptLine]) -> dict[int, str]:
    """By item (id): the GTIN of its smallest pack that has one."""
    packs = Pack.objects.filter(item__in={line.item_id for line in lines}, gtin__isnull=False).order_by("-factor")
    return {item: gtin.zfill(14) for item, gtin in packs.values_list("item", "gtin")}


def _serials(receipt: Receipt) -> dict[int, tuple[str, ...]]:
    found: dict[int, list[str]] = {}
    rows = SerialNumber.objects.filter(layer__receipt_line__receipt=receipt).order_by("number")
    for line, number in rows.values_list("layer__receipt_line", "number"):
        found.setdefault(line, []).append(number)
    return {line: tuple(numbers) for line, numbers in found.items()}
