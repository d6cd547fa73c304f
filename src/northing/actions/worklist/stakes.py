"""The amounts that waiting puts at stake, in base currency."""

from decimal import Decimal

from django.utils import timezone

from northing.core.money.money import converted
from northing.masterdata.models import ExchangeRate

ZERO = Decimal(0)


def day_of(instant):
    return timezone.localdate(instant) if instant else None


class Stakes:
    """Amounts in base currency at the newest book rate, whatever its age; 0 where none was ever entered."""

    def __init__(self):
        self._rates: dict[tuple[int, str], Decimal] = {}

    def base(self, company, amount: Decimal, currency: str) -> Decimal:
        if currency == company.currency:
            return amount
        key = (company.pk, currency)
        if key not in self._rates:
            newest = ExchangeRate.objects.filter(company=company, currency=currency, purpose="book").order_by("-day")
            self._rates[key] = newest.values_list("rate", flat=True).first() or ZERO
        return converted(amount, self._rates[key], company.currency)
