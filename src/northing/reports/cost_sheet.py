"""The cost sheet of a shipment: charges against parts, billed and still expected side by side."""

from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

from northing.core.costing.landed_cost import unit_price_of
from northing.core.money.money import converted
from northing.core.orders.orders import net_amount
from northing.costing.models import Charge
from northing.costing.queries import shares_of
from northing.customs.models import CustomsEntry
from northing.masterdata.models import Company
from northing.masterdata.queries import Rates
from northing.reports.expected_duty import ExpectedDuty
from northing.shipping.models import Shipment, ShipmentLine

ZERO = Decimal(0)


@dataclass
class SheetRow:
    """A part of a line with its costs in base currency. None stands for a rate that is missing."""

    shipment_line: ShipmentLine
    goods: Decimal | None
    expected_goods: bool
    shares: list[Decimal | None]
    billed: list[bool]
    expected_duty: Decimal | None

    @property
    def marked_shares(self) -> list[tuple[Decimal | None, bool]]:
        """Each share, and whether its bill is still expected."""
        return [(share, not billed) for share, billed in zip(self.shares, self.billed, strict=True)]

    @property
    def landed(self) -> Decimal | None:
        """Goods, shares and expected duty together."""
        if self.goods is None:
            return None
        return self.goods + sum((share or ZERO for share in self.shares), ZERO) + (self.expected_duty or ZERO)

    @property
    def unit(self) -> Decimal | None:
        """Landed cost of one unit, 4 decimals."""
        return None if self.landed is None else unit_price_of(self.landed, self.shipment_line.quantity)


@dataclass
class Sheet:
    """One company's part of a shipment."""

    company: Company
    charges: list[Charge]
    duties: ExpectedDuty
    rows: list[SheetRow] = field(default_factory=list)
    entry: CustomsEntry | None = None

    @property
    def landed(self) -> Decimal:
        return sum((row.landed or ZERO for row in self.rows), ZERO)

    @property
    def goods(self) -> Decimal:
        return sum((row.goods or ZERO for row in self.rows), ZERO)

    @property
    def duty_expected(self) -> Decimal:
        return sum((row.expected_duty or ZERO for row in self.rows), ZERO)

    @property
    def totals(self) -> list[Decimal]:
        """Each charge's column."""
        return [sum((row.shares[index] or ZERO for row in self.rows), ZERO) for index in range(len(self.charges))]

    @property
    def open_estimates(self) -> list[Charge]:
        """Charges whose bill is still expected."""
        return [charge for charge in self.charges if charge.expected]


def cost_sheet(shipment: Shipment, companies: set[int], today: date) -> list[Sheet]:
    """A sheet for each company aboard that the reader may see."""
    shipment_lines = (
        ShipmentLine.objects.filter(container__shipment=shipment, instalment__line__order__company__in=companies)
        .select_related("container", "instalment__line__item", "instalment__line__order__company")
        .order_by("instalment__line_id", "pk")
    )
    parts = list(shipment_lines)
    amounts = shares_of(parts)
    borne = Charge.objects.filter(pk__in={charge for charge, _ in amounts}).select_related("payee").order_by("pk")
    known = borne.in_bulk()
    owner = {part.pk: part.instalment.line.order.company_id for part in parts}
    charges: dict[int, dict[int, Charge]] = {}
    for charge, part in sorted(amounts):
        charges.setdefault(owner[part], {})[charge] = known[charge]
    entries = {entry.company_id: entry for entry in shipment.customs_entries.all() if not entry.reversed_by_id}
    sheets: dict[int, Sheet] = {}
    rates, customs_rates = Rates(today), Rates(today, "customs")
    for part in parts:
        company = part.instalment.line.order.company
        sheet = sheets.get(company.pk)
        if sheet is None:
            own = list(charges.get(company.pk, {}).values())
            duties = ExpectedDuty(company, shipment.pk, today, customs_rates)
            sheet = sheets[company.pk] = Sheet(company, own, duties, entry=entries.get(company.pk))
        sheet.rows.append(_row(part, sheet, amounts, rates, customs_rates))
    return list(sheets.values())


def _row(part: ShipmentLine, sheet: Sheet, amounts: dict, rates: Rates, customs_rates: Rates) -> SheetRow:
    line = part.instalment.line
    order, currency = line.order, sheet.company.currency
    price, paid = part.instalment.pack_price, part.instalment.net_share
    amount = net_amount(part.quantity, line.pack_factor, price, paid, order.currency)
    goods = part.goods_base
    if goods is None and (rate := rates.known(sheet.company, order.currency)):
        goods = converted(amount, rate, currency)
    duty = None
    if sheet.entry is None and (rate := customs_rates.known(sheet.company, order.currency)):
        duty = sheet.duties.of(part, converted(amount, rate, currency))
    shares = [amounts.get((charge.pk, part.pk)) for charge in sheet.charges]
    billed = [not charge.expected for charge in sheet.charges]
    return SheetRow(part, goods, part.goods_base is None, shares, billed, duty)
