"""Rate cards of the demo world's providers: made up, as all of it."""

from datetime import date, timedelta
from decimal import Decimal

from northing.masterdata.models import Party, RateCard, RouteLeg

D = Decimal
# Code, provider, kind, per, price, currency, from, to, container type, minimum, surcharges, until (days from today).
CARDS = [
    ("QF-NGB-40", "QUI", "freight", "container", "1980", "USD", "CNNGB", "NZTRG", "42G1", "", "fuel 9%", 38),
    ("QF-NGB-20", "QUI", "freight", "container", "1240", "USD", "CNNGB", "NZTRG", "22G1", "", "fuel 9%", 38),
    ("QF-SGN-40", "QUI", "freight", "container", "1760", "USD", "VNSGN", "NZTRG", "", "", "peak season 150", 66),
    ("QF-LEI", "QUI", "freight", "container", "2310", "USD", "PTLEI", "NZTRG", "", "", "", 97),
    ("OL-SMZ", "OSP", "freight", "container", "171000", "JPY", "JPSMZ", "NZTRG", "", "", "", 120),
    ("VB-MEL", "VAN", "freight", "container", "1450", "USD", "", "AUMEL", "", "", "", 75),
    ("QF-LCL", "QUI", "freight", "W/M", "84", "USD", "", "NZ", "", "110", "fuel 9%", 38),
    ("QF-AIR", "QUI", "freight", "chargeable kg", "4.85", "USD", "", "", "", "180", "fuel 18%; security 35", 38),
    ("MC-ALL", "MAR", "insurance", "value", "0.24", "NZD", "", "", "", "25", "", None),
    ("PC-TRG", "PEA", "haulage", "container", "395", "NZD", "", "TRG", "", "", "fuel 6%", 190),
    ("FEN-ENTRY", "FEN", "brokerage", "entry", "165", "NZD", "", "NZ", "", "", "", None),
]


def lay_cards(today: date) -> None:
    """What freight, insurance, haulage and brokerage cost; and the containers that goods usually come in."""
    parties = {party.code: party for party in Party.objects.filter(kind=Party.Kind.PROVIDER)}
    RateCard.objects.bulk_create(
        RateCard(
            code=code,
            provider=parties[provider],
            kind=kind,
            per=per,
            price=D(price),
            currency=currency,
            origin=origin,
            destination=destination,
            mode={"W/M": "sea", "chargeable kg": "air"}.get(per, "sea" if kind == "freight" else ""),
            size_type=size,
            minimum=D(minimum or 0),
            surcharges=surcharges,
            valid_from=today - timedelta(days=200),
            valid_until=None if days is None else today + timedelta(days=days),
        )
        for code, provider, kind, per, price, currency, origin, destination, size, minimum, surcharges, days in CARDS
    )
    # From New Year on freight from Ningbo costs more.
    first = RateCard.objects.get(code="QF-NGB-40")
    first.pk, first.code, first.price = None, "QF-NGB-40B", D(2260)
    first.valid_from, first.valid_until = first.valid_until + timedelta(days=1), None
    first.save()
    RouteLeg.objects.filter(mode="sea").update(size_type="42G1")
