"""Calendars of countries and sites: public holidays, our own days on top, and days on which people work anyway."""

from datetime import date, timedelta

from northing.masterdata.models import Holiday, Site, WorkingWeek
from northing.masterdata.queries import calendars_of

CHRISTMAS, WAITANGI, STOCKTAKING = date(2026, 12, 25), date(2026, 2, 6), date(2026, 12, 29)


def test_our_own_days_come_on_top(world, django_assert_num_queries):
    other = Site.objects.create(company=world.nz, code="AKL", name="AKL", port=world.site.port)
    WorkingWeek.objects.create(country="AE", rest="6 7")
    for day, site, works in (
        (STOCKTAKING, None, False),
        (STOCKTAKING, other, True),
        (WAITANGI, world.site, True),
        (WAITANGI + timedelta(days=3), world.site, False),
        (date(2026, 11, 28), world.site, True),
    ):
        Holiday.objects.create(country="NZ", day=day, site=site, works=works)
    with django_assert_num_queries(2):
        calendars = calendars_of(["NZ", "AU", "AE", "QQ"])
    nz, here, there = calendars["NZ"], calendars.of("NZ", world.site.pk), calendars.of("NZ", other.pk)
    assert [one.works(CHRISTMAS) for one in (nz, here, there, calendars["QQ"])] == [False, False, False, True]
    assert [one.works(STOCKTAKING) for one in (nz, here, there)] == [False, False, True]
    assert [one.works(WAITANGI) for one in (nz, here, there)] == [False, True, False]
    assert here.works(date(2026, 11, 28)) and not nz.works(date(2026, 11, 28)), "a Saturday of ours"
    assert not here.works(WAITANGI + timedelta(days=3)) and nz.works(WAITANGI + timedelta(days=3))
    assert calendars["AU"].works(WAITANGI) and not calendars["AU"].works(date(2026, 1, 26))
    assert not calendars["AE"].works(date(2026, 12, 2)), "National Day"
