"""The duty that goods of a shipment are expected to owe before they are declared: by the tariff, line by line."""

from datetime import date
from decimal import Decimal

from northing.core.costing.customs import rounded_by
from northing.customs.queries import proved_on
from northing.masterdata.models import Company
from northing.masterdata.queries import Rates
from northing.masterdata.tariffs import Tariff, customs_of, duty_of
from northing.shipping.models import ShipmentLine

ZERO = Decimal(0)


class ExpectedDuty:
    """The tariff of a company's country for a shipment (id) on a day; what it needs is read once."""

    def __init__(self, company: Company, shipment: int, day: date, rates: Rates):
        self._currency = company.currency
        # Without a rate a specific duty cannot be expected yet.
        self._tariff = Tariff(company.country, day, lambda currency: rates.known(company, currency) or ZERO)
        self._how, _ = customs_of(company.country)
        self._proofs = proved_on(shipment, company.pk, day) if self._tariff.asks_proof else set()

    def of(self, part: ShipmentLine, price: Decimal) -> Decimal:
        """The duty on a part of the shipment, its price in base currency; freight in the value is not expected yet."""
        line = part.instalment.line
        found = self._tariff.of(line.item, line.order.supplier_id, self._proofs)
        weight = line.item.weight_kg * part.quantity
        expressions = [duty_of(line.item, found), *(rule.expression for rule in found.extras)]
        return sum(
            (
                rounded_by(one.amount(price, weight, part.quantity), self._how.unit, self._how.way, self._currency)
                for one in expressions
            ),
            ZERO,
        )
