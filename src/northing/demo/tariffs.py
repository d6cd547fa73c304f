"""Tariffs of the demo world's two countries: made up, as all of it."""

from datetime import date, timedelta
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.masterdata.records import RecordRequest, keep_record
from northing.jobs import jobs
from northing.jobs.models import Job
from northing.masterdata.models import CountryGroup, Item, Party, TariffRule, Territory

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
    # Gift wrap bears duty by its area.
    common = {"territory": "NZ", "hs": "4811", "valid_from": since}
    TariffRule.objects.create(**common, amount=D("0.02"), currency="NZD", per="m2")
    Item.objects.filter(code="WRP-03").update(duty_unit="m2", duty_units=D("1.05"))
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


def change_tariff(act: Act) -> None:
    """Bowls and cups cost more from today on: open lines are reckoned anew."""
    rule = TariffRule.objects.get(territory="NZ", hs="69", kind="duty")
    keep_record(act, RecordRequest("tariff", rule.pk, (("ad_valorem", "6.5"),)))
    jobs.run(Job.objects.latest("pk").pk)
