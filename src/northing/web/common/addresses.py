"""Where a record is shown: pages name records by kind and key, and the address is made here."""

from django.urls import reverse

PAGES = {
    "order": "order",
    "line": "line",
    "party": "supplier-record",
    "item": "item",
    "shipment": "shipment",
    "voyage": "voyage",
    "bill": "bill",
    "payment": "payment",
    "kept": "kept-bill",
    "charge": "charge",
    "layer": "layer",
    "receipt": "receipt",
    "transfer": "transfer",
    "case": "case",
    "verdict": "inspect",
    "entry": "entry",
    "notice": "notice",
    "told": "told-receipt",
    "ripple": "moved",
}


def address_of(kind: str, record: int | None) -> str:
    """The address of a record's page; empty where it has none."""
    return reverse(PAGES[kind], args=[record]) if record and kind in PAGES else ""
