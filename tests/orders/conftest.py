"""Stages of orders."""

from decimal import Decimal as D

from tests.stages import staged


def send_order(world):
    """An agreed order of 240 A and 900 C."""
    world.order = world.sent_order({"A": D(240), "C": D(900)})


sent = staged("sent", send_order)
