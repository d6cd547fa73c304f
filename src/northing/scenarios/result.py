"""The outcome of a scenario, as plain values for JSON: units, accounts, layers, goods on hand, open items."""

from decimal import Decimal
from typing import Any

from django.db.models import Sum

from northing.activity.models import HistoryEntry
from northing.billing.models import Bill, BillLine, BillLinePart
from northing.claims.models import Claim
from northing.core.costing.landed_cost import unit_price_of
from northing.core.money.exact import plain
from northing.core.money.money import minor_units
from northing.core.positions.places import PLACES
from northing.costing.models import Charge
from northing.customs.models import CustomsEntry
from northing.inventory.models import OnHand, SerialNumber
from northing.ledger.models import CostLayer, Entry, OpenItem, Posting
from northing.ledger.queries import CAME
from northing.masterdata.models import RateCard
from northing.orders.models import PurchaseOrder
from northing.reports.cost_sheet import order_sheet
from northing.scenarios.case_rows import case_rows
from northing.scenarios.play import Player
from northing.worklist.models import LineSummary

# By kind and id of a record.
Names = dict[tuple[str, int], str]
MEASURES = ("ordered", "agreed", *PLACES, "excess", "outstanding", "received", "billed", "unbilled")


def result(player: Player) -> dict[str, Any]:
    """The state of the world after the actions."""
    names = _names(player)
    return {
        "lines": _lines(),
        "accounts": _accounts(),
        "layers": [_layer(layer, names) for layer in _standing()],
        "on_hand": _on_hand(),
        "open": _open_items(names),
        "cases": case_rows(names),
        "entries": Entry.objects.count(),
        **({"costs": _costs()} if RateCard.objects.exists() else {}),
    }


def _costs() -> dict[str, dict[str, str]]:
    """By order line what it costs landed, as seen after the last action: all of it, one unit, each kind of cost."""
    today, found = HistoryEntry.objects.latest("at").at.date(), {}
    for order in PurchaseOrder.objects.select_related("company", "supplier", "site").order_by("pk"):
        lines = list(order.lines.select_related("item").prefetch_related("instalments__position"))
        sheet = order_sheet(order, lines, today)
        for line in lines if sheet else ():
            rows = [row for row in sheet.rows if row.part.line.pk == line.pk and row.landed is not None]
            currency, kinds = order.company.currency, {kind for row in rows for kind in row.cells}
            landed = sum((row.landed for row in rows), Decimal(0))
            unit = unit_price_of(landed, sum((row.quantity for row in rows), Decimal(0)))
            costs = {
                kind: sum((row.cells[kind].amount for row in rows if kind in row.cells), Decimal(0)) for kind in kinds
            }
            said = {"landed": money(landed, currency), "unit": str(unit)}
            found[f"{order.number}/{line.number}"] = said | {kind: money(one, currency) for kind, one in costs.items()}
    return found


def _names(player: Player) -> Names:
    """The file's names of charges, bills and customs entries; a charge of a bill's own line by bill and number.

    A charge that is a bill of one line gives its name to the bill.
    """
    names: Names = {(kind.replace(" ", "_"), key): name for name, (kind, key) in player.made.items()}
    for line in BillLine.objects.order_by("pk"):
        bill, charge = ("bill", line.bill_id), ("charge", line.charge_id)
        if bill in names:
            names.setdefault(charge, f"{names[bill]}/{line.number}")
        elif charge in names:
            names[bill] = names[charge]
    return names


def _document(kind: str, document: int) -> str:
    """A document that has no name in the file, by its number among those of its kind."""
    model = {"charge": Charge, "bill": Bill, "customs_entry": CustomsEntry, "case": Claim}[kind]
    return f"{kind.replace('_', ' ')} {model.objects.filter(pk__lte=document).count()}"


def money(amount: Decimal, currency: str) -> str:
    """An amount with its currency's decimals.

    >>> money(Decimal("3.1400"), "NZD"), money(Decimal("3.0000"), "JPY")
    ('3.14', '3')
    """
    return f"{amount:.{minor_units(currency)}f}"


def _lines() -> dict[str, dict[str, str]]:
    found = {}
    for one in LineSummary.objects.select_related("line__order").order_by("line__order_id", "line__number"):
        measures = {name: plain(getattr(one, name)) for name in MEASURES}
        found[f"{one.line.order.number}/{one.line.number}"] = measures | {"move": one.party}
    return found


def _accounts() -> dict[str, dict[str, str]]:
    found: dict[str, dict[str, str]] = {}
    rows = Posting.objects.values_list("company__code", "company__currency", "account").order_by("company", "account")
    for company, currency, account, total in rows.annotate(total=Sum("amount")):
        if total:
            found.setdefault(company, {})[account] = money(total, currency)
    return found


def _standing():
    layers = CostLayer.objects.filter(CAME, received__gt=0).select_related("company", "site", "item")
    return layers.select_related("shipment_line__instalment__line__order").prefetch_related("costs").order_by("pk")


def _layer(layer: CostLayer, names: Names) -> dict[str, Any]:
    currency = layer.company.currency
    kinds = dict(Charge.objects.values_list("pk", "kind"))
    charges: dict[str, Decimal] = {}
    for cost in sorted(layer.costs.all(), key=lambda cost: cost.charge_id or 0):
        if cost.charge_id:
            name = names.get(("charge", cost.charge_id)) or kinds[cost.charge_id]
            charges[name] = charges.get(name, Decimal(0)) + cost.amount
    line = layer.shipment_line.instalment.line if layer.shipment_line else None
    return {
        "item": layer.item.code,
        "site": layer.site.code,
        "lot": layer.lot,
        "line": f"{line.order.number}/{line.number}" if line else "",
        "received": plain(layer.received),
        "remaining": plain(layer.remaining),
        "goods": money(layer.goods_cost, currency),
        "charges": {name: money(amount, currency) for name, amount in charges.items() if amount},
        "landed": money(layer.total_cost, currency),
        "value": money(layer.value, currency),
        "unit": plain(unit_price_of(layer.total_cost, layer.received)),
    }


def _on_hand() -> list[dict[str, Any]]:
    names = ("layer__item__code", "bin__site__code", "bin__code", "status", "layer__lot", "layer__best_before")
    found = OnHand.objects.filter(quantity__gt=0).order_by(*names).values_list(*names)
    serials = _serials(names)
    return [
        {
            "item": item,
            "site": site,
            "bin": bin,
            "status": status.replace("_", " "),
            "lot": lot,
            "best_before": day.isoformat() if day else "",
            "serials": serials.get((item, site, bin, status, lot, day), []),
            "quantity": plain(total),
        }
        for item, site, bin, status, lot, day, total in found.annotate(total=Sum("quantity"))
    ]


def _serials(names: tuple[str, ...]) -> dict[tuple, list[str]]:
    """Serial numbers by where their units lie."""
    found: dict[tuple, list[str]] = {}
    rows = SerialNumber.objects.filter(bin__isnull=False).order_by("number")
    for *place, number in rows.values_list(*names, "number"):
        found.setdefault(tuple(place), []).append(number)
    return found


def _open_items(names: Names) -> list[dict[str, str]]:
    rows = OpenItem.objects.exclude(amount=0, base=0).select_related("company", "party", "order_line__order")
    bills = dict(BillLinePart.objects.values_list("pk", "line__bill"))
    found = []
    for one in rows.order_by("company", "account", "pk"):
        line = one.order_line
        kind, document = one.document_kind, one.document
        if kind == "bill_part":
            kind, document = "bill", bills[document]
        of_line = f"{line.order.number}/{line.number}" if line else ""
        found.append(
            {
                "company": one.company.code,
                "account": one.account,
                "party": one.party.code if one.party else "",
                "document": names.get((kind, document)) or of_line or _document(kind, document),
                "currency": one.currency,
                "amount": money(one.amount, one.currency),
                "base": money(one.base, one.company.currency),
            }
        )
    return found
