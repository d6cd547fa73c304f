"""The receipt on paper, for putting away and for accounts."""

from northing.drawings.barcodes import code_128
from northing.inventory.models import SerialNumber
from northing.masterdata.inspections import rules_of
from northing.messaging.print_pdf import to_pdf
from northing.receiving.models import Receipt


def receipt_paper(receipt: Receipt) -> bytes:
    """The receipt as a PDF: note, supplier, order lines, counts, bins, lots, serial numbers, state, remarks."""
    related = ("item", "bin", "supplier", "instalment__line__order__supplier")
    lines = list(receipt.lines.select_related(*related).order_by("pk"))
    rules = rules_of([line.item for line in lines])
    numbers: dict[int, list[str]] = {}
    rows = SerialNumber.objects.filter(layer__receipt_line__receipt=receipt).order_by("number")
    for line, number in rows.values_list("layer__receipt_line", "number"):
        numbers.setdefault(line, []).append(number)
    for line in lines:
        line.serials = numbers.get(line.pk, [])
        line.whose = line.supplier or line.instalment.line.order.supplier
        line.is_inspected = rules.holds(line.item, line.whose.pk)
    context = {"receipt": receipt, "lines": lines, "code": code_128(receipt.number or str(receipt.pk))}
    return to_pdf("receiving/receipt_paper.html", context, sums=False)
