"""Writes of voyages and their calls, and of what happens to them."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

from northing.shipping.models import (
    PortCall,
    Voyage,
)


@dataclass(frozen=True)
class CallPlan:
    """A port that a voyage calls at, with the days of its plan."""

    port: str
    arrival: date | None = None
    departure: date | None = None


def write_voyage(vessel: str, imo: str, number: str, carrier: int, calls: Sequence[CallPlan]) -> Voyage:
    """A voyage with its calls, in order; as planned so expected."""
    voyage = Voyage.objects.create(vessel=vessel, imo=imo, number=number, carrier_id=carrier)
    PortCall.objects.bulk_create(
        PortCall(
            voyage=voyage,
            number=place,
            port_id=call.port,
            planned_arrival=call.arrival,
            planned_departure=call.departure,
            expected_arrival=call.arrival,
            expected_departure=call.departure,
        )
        for place, call in enumerate(calls, 1)
    )
    return voyage


def swap_vessel(voyage: Voyage, vessel: str, imo: str, number: str) -> None:
    """Another vessel sails the voyage."""
    voyage.vessel, voyage.imo, voyage.number = vessel, imo, number
    voyage.save(update_fields=["vessel", "imo", "number"])


def omit_call(call: PortCall) -> None:
    """The voyage passes a port by."""
    call.omitted, call.expected_arrival, call.expected_departure = True, None, None
    call.save(update_fields=["omitted", "expected_arrival", "expected_departure"])


def blank(voyage: Voyage, at: datetime) -> None:
    """A sailing is called off."""
    voyage.blanked_at = at
    voyage.save(update_fields=["blanked_at"])
