"""Tariffs of the demo world's two countries: made up, as all of it."""

from datetime import date, timedelta
from decimal import Decimal

from northing.masterdata.models import CountryGroup, Party, TariffRule, Territory

D = Decimal
TREATY = {"kind": "preference", "name": "Three Harbours treaty", "proof": "certificate of origin"}


def lay_tariffs(today: date) -> None:
    """How customs counts in New Zealand and Australia, and rules for kettles and tableware."""
    Territory.objects.create(code="NZ", basis="price", per="group", unit=D("0.01"))
    Territory.objects.create(code="AU", basis="fob", per="line", unit=D("0.01"))
    tableware = Party.objects.get(code="TRE")
    treaty = CountryGroup.objects.create(
        code="HARBOURS", name="Three Harbours treaty", countries=" ".join(sorted({tableware.country, "FJ", "TO"}))
    )
    since = today - timedelta(days=500)
    for territory in ("NZ", "AU"):
        TariffRule.objects.create(territory=territory, hs="8516", ad_valorem=D("0.05"), valid_from=since)
        TariffRule.objects.create(territory=territory, hs="69", ad_valorem=D("0.05"), valid_from=since)
    TariffRule.objects.create(territory="NZ", hs="69", group=treaty, valid_from=since, **TREATY)
    # From the week after next kettles bear a levy.
    TariffRule.objects.create(
        territory="NZ",
        kind="extra",
        hs="851610",
        name="kettle levy",
        amount=D("0.35"),
        currency="NZD",
        per="unit",
        valid_from=today + timedelta(days=14),
    )
