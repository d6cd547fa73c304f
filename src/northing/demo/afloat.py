"""More of the demo world's shipments: at sea on three oceans, between two vessels, and waiting for the first."""

from datetime import timedelta

from northing.demo.hand import Hand
from northing.formats.identifiers import with_imo_check_digit
from northing.shipping.models import Voyage
from northing.shipping.operations import LegPlan


def lay_afloat(world: Hand) -> None:
    """The shipments, after all else: what came before is as it was."""
    _tea_for_melbourne(world)
    _cups_on_the_way(world)
    _wraps_by_singapore(world)
    _kettles_at_the_port(world)


def _tea_for_melbourne(world: Hand) -> None:
    """In the Indian Ocean, ahead of plan."""
    order = world.order("AMB", {"UVA-10": 960, "DIM-10": 720}, -58, 30, company="KLA")
    voyage = world.voyage("Petrel Sound", "081E", "VAN", "LKCMB", "AUMEL", with_imo_check_digit("998104"))
    shipment = world.shipment([order], voyage, ("LKCMB", "AUMEL", "Melbourne"), -11, 26)
    world.say(shipment, "departure", -11)
    world.say(shipment, "arrival", 13, -2, "estimated")


def _cups_on_the_way(world: Hand) -> None:
    """In the Pacific, two containers, five days behind plan."""
    order = world.order("TRE", {"CUP-21": 1440, "BWL-14": 960}, -88, 24)
    voyage = world.voyage("Tern of Ardrey", "034E", "OSP", "PTLEI", "NZTRG", with_imo_check_digit("998102"))
    shipment = world.shipment([order], voyage, ("PTLEI", "NZTRG", "Tauranga"), -33, 48, boxes=2)
    world.say(shipment, "departure", -31)
    world.say(shipment, "arrival", 20, -1, "estimated")


def _wraps_by_singapore(world: Hand) -> None:
    """Off the first vessel, not yet on the second."""
    order = world.order("DAL", {"WRP-03": 4800, "BAG-25": 6000}, -49, 34)
    voyage = world.voyage("Grey Phalarope", "122S", "OSP", "SGSIN", "NZTRG", with_imo_check_digit("998103"))
    start = world.today - timedelta(days=9)
    days = [start + timedelta(days=more) for more in (-3, -1, 0, 3, 9, 26, 27, 28, 29, 29)]
    plans = (
        LegPlan("road", "supplier", "VNSGN", days[0], days[1]),
        LegPlan("sea", "VNSGN", "SGSIN", days[2], days[3]),
        LegPlan("sea", "SGSIN", "NZTRG", days[4], days[5], True),
        LegPlan("customs", "NZTRG", "NZTRG", days[6], days[7]),
        LegPlan("road", "NZTRG", "Tauranga", days[8], days[9]),
    )
    shipment = world.pack([order], voyage, plans, -14, boxes=3)
    world.say_leg(shipment, 2, "departure", -9)
    world.say_leg(shipment, 2, "arrival", -5)


def _kettles_at_the_port(world: Hand) -> None:
    """At the quay in Ningbo, for the vessel that others wait for as well."""
    order = world.order("QIN", {"KET-12": 240}, -46, 60)
    voyage = Voyage.objects.get(number="229S").pk
    shipment = world.shipment([order], voyage, ("CNNGB", "NZTRG", "Tauranga"), 5, 30)
    world.say(shipment, "arrival", -1, main=False)
