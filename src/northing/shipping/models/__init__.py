"""How goods travel. A shipment belongs to no company; its lines do, through the order."""

from northing.shipping.models.arrivals import ArrivalCalendar, LearntSpread, Ripple
from northing.shipping.models.containers import Container, HandlingContent, HandlingUnit, ShipmentLine
from northing.shipping.models.documents import DespatchNotice, NoticeLine, RequiredDocument
from northing.shipping.models.events import CarrierEvent, CarrierFeed, DateStatement
from northing.shipping.models.shipments import CARRIED, Leg, Shipment
from northing.shipping.models.voyages import PortCall, Voyage

__all__ = [
    "ArrivalCalendar",
    "CARRIED",
    "CarrierEvent",
    "CarrierFeed",
    "Container",
    "DateStatement",
    "DespatchNotice",
    "HandlingContent",
    "HandlingUnit",
    "LearntSpread",
    "Leg",
    "NoticeLine",
    "PortCall",
    "RequiredDocument",
    "Ripple",
    "Shipment",
    "ShipmentLine",
    "Voyage",
]
