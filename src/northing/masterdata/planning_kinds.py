"""The kinds of records that passages are planned by: days of rest, routes, past passages, free time."""

from northing.core.planning.calendars import CALENDAR, WORKING, read_rest
from northing.core.planning.free_time import read_tiers
from northing.formats import facts as of
from northing.masterdata.facts import Fact, Kind, choice, size_type, yes
from northing.masterdata.models import FreeTime, Holiday, PastPassage, RouteLeg, WorkingWeek

MILESTONES = ("discharged", "gate_out", "returned")


def _tiers(said: str) -> str:
    read_tiers(said)
    return said


def _rest(said: str) -> str:
    return " ".join(str(day) for day in sorted(read_rest(said)))


PLANNING = (
    Kind(
        "holiday",
        "holiday",
        "holidays",
        Holiday,
        ("country", "day", "site"),
        (
            Fact("country", "Country", of.country, fixed=True),
            Fact("day", "Day", of.day, fixed=True),
            Fact("name", "Name", of.text(80), ""),
            Fact("site", "Only at the site", absent=None, refers="site", fixed=True),
            yes("works", "People work on this day all the same"),
        ),
        ("keep_house", "estimate_charge"),
    ),
    Kind(
        "working-week",
        "working week",
        "working weeks",
        WorkingWeek,
        ("country",),
        (
            Fact("country", "Country", of.country, fixed=True),
            Fact("rest", "Days of rest, 1 is Monday", _rest, ""),
        ),
        ("keep_house", "estimate_charge"),
    ),
    Kind(
        "route",
        "route leg",
        "route patterns",
        RouteLeg,
        ("route", "number"),
        (
            Fact("route", "Route", of.text(60), fixed=True),
            Fact("number", "Leg", of.whole(1, 20), fixed=True),
            choice("mode", "By", ("road", "sea", "customs", "rail", "air")),
            Fact("origin", "From", of.text(60)),
            Fact("destination", "To", of.text(60)),
            Fact("wait_days", "Days before it starts", of.whole(0, 99), 0),
            Fact("days", "Days on it", of.whole(0, 199)),
            choice("days_in", "Days are", (CALENDAR, WORKING), absent=CALENDAR),
            Fact("country", "Working days of the country", of.country, ""),
            Fact("site", "and of the site", absent=None, refers="site"),
            Fact("size_type", "Usual container", size_type, ""),
        ),
        ("keep_house", "pack"),
    ),
    Kind(
        "past-passage",
        "past passage",
        "past passages",
        PastPassage,
        ("reference",),
        (
            Fact("reference", "Reference", of.text(40), fixed=True),
            Fact("supplier", "Supplier", absent=None, refers="supplier"),
            Fact("carrier", "Carrier", absent=None, refers="provider"),
            Fact("load_port", "Port of loading", refers="port"),
            Fact("discharge_port", "Port of discharge", refers="port"),
            Fact("planned_departure", "Planned departure", of.day),
            Fact("departed_on", "Departed", of.day),
            Fact("planned_arrival", "Planned arrival", of.day),
            Fact("arrived_on", "Arrived", of.day),
            Fact("planned_dock", "Planned at the dock", of.day, None),
            Fact("received_on", "Received", of.day, None),
        ),
        ("keep_house", "pack"),
    ),
    Kind(
        "free-time",
        "free time",
        "free times",
        FreeTime,
        ("carrier", "port", "size_type", "covers", "valid_from"),
        (
            Fact("carrier", "Carrier", refers="provider", fixed=True),
            Fact("port", "Port", absent=None, refers="port", fixed=True),
            Fact("size_type", "Container type", of.text(4), "", fixed=True),
            choice("covers", "Is for", FreeTime.Covers.values, fixed=True),
            Fact("valid_from", "From", of.day, fixed=True),
            choice("starts", "Starts", MILESTONES[:2]),
            choice("ends", "Ends", MILESTONES[1:]),
            Fact("free_days", "Free days", of.whole(0, 365)),
            Fact("first_day_counts", "First day counts", of.yes_no, True, choices=("yes", "no")),
            choice("free_in", "Free days are", (CALENDAR, WORKING), absent=CALENDAR),
            choice("paid_in", "Paid days are", (CALENDAR, WORKING), absent=CALENDAR),
            Fact("tiers", "Price by paid day, as 1: 80; 6: 120", _tiers),
            Fact("currency", "Currency", of.currency),
        ),
        ("keep_house", "estimate_charge"),
    ),
)
