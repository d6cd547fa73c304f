"""The landed cost of an order while it is typed: what the form says so far, as an order that is not saved."""

from collections.abc import Iterator, Sequence
from datetime import date, timedelta
from decimal import Decimal

from django.core.exceptions import ValidationError
from django.http import JsonResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.access.queries import scoped
from northing.core.costing.landed_cost import spread_amount
from northing.core.money.exact import plain
from northing.core.money.spread import whole_weights
from northing.core.orders.orders import net_share
from northing.core.problems import Refused
from northing.masterdata.catalogue import Catalogue
from northing.masterdata.models import Party, Site
from northing.orders.models import Instalment, OrderLine, PurchaseOrder
from northing.reports.cost_pieces import known_of
from northing.reports.draft_cost import LineLanded, Typed, landed_of
from northing.reports.expected_pieces import Shares
from northing.web.common.forms import DayField, ExactField, PercentField
from northing.web.common.keys import key_of
from northing.web.common.permissions import form_for
from northing.web.orders.forms.orders import LineFormSet
from northing.web.orders.queries.supply import free_parts
from northing.web.orders.views.orders import seen_order

ZERO = Decimal(0)
# More is not reckoned while one types.
MOST = 200
# A row of dated parts: its key, the part (None: a new one), how many units, and the day by which they are ready.
Dated = tuple[str, Instalment | None, Decimal, date | None]


@form_for("write_order")
@require_POST
def new(request):
    """What the lines of a new order would cost landed."""
    site = (
        scoped(Site.objects.select_related("company", "port"), request.user)
        .filter(pk=key_of(request.POST.get("site", "")))
        .first()
    )
    supplier = Party.objects.filter(kind="supplier", pk=key_of(request.POST.get("supplier", ""))).first()
    if site is None or supplier is None:
        return JsonResponse({"lines": {}})
    order = PurchaseOrder(company=site.company, site=site, supplier=supplier, currency=supplier.currency)
    order.incoterm = request.POST.get("incoterm") or supplier.incoterm or "FOB"
    order.mode = request.POST.get("mode") or supplier.mode
    order.need_by = _read(DayField(required=False), request, "need_by") or timezone.localdate()
    return _answer(landed_of(_added(request, order), timezone.localdate()), {}, order)


@form_for("write_order")
@require_POST
def changed(request, order_id: int):
    """What the open units of an order's lines would cost landed after a change, and what they cost before it."""
    order = seen_order(request, order_id)
    today = timezone.localdate()
    lines = list(order.lines.select_related("item").prefetch_related("instalments__position").order_by("number"))
    known = known_of(line.pk for line in lines)
    before, after = [], []
    for line in lines[:MOST]:
        line.order = order
        parts = list(line.instalments.all())
        there = sum((part.position.with_supplier for part in parts), ZERO) if parts else line.quantity
        shares = known.get(line.pk, {})
        before.append(Typed(f"line-{line.pk}", _copy(line, there, line.pack_price, line.net_share), shares))
        after.append(Typed(f"line-{line.pk}", _retyped(request, line, there), shares))
    was = {one.key: one for one in landed_of(before, today)}
    order.incoterm = request.POST.get("incoterm") or order.incoterm
    order.mode = request.POST.get("mode") or order.mode
    now = landed_of([*after, *_added(request, order)], today)
    return _answer(now, was, order)


@form_for("write_order")
@require_POST
def parts(request, line_id: int):
    """The landed cost of a line's parts that are not packed: as the form asks for them, and as they are."""
    found = OrderLine.objects.select_related("order__company", "order__supplier", "order__site__port", "item")
    line = get_object_or_404(scoped(found, request.user, "order__company"), pk=line_id)
    free, shares = free_parts(line), known_of([line.pk]).get(line.pk, {})
    now: list[Dated] = [
        (str(part.pk), part, part.position.with_supplier, part.promise or part.asked_on) for part in free
    ]
    asked: list[Dated] = [
        (
            key,
            part,
            _read(ExactField(required=False), request, f"quantity-{key}") or ZERO,
            _read(DayField(required=False), request, f"asked-{key}"),
        )
        for key, part, _, _ in [*now, ("new", None, ZERO, None)]
    ]
    today = timezone.localdate()
    was = {one.key: one for one in landed_of(_dated(line, now, shares), today)}
    return _answer(landed_of(_dated(line, asked, shares), today), was, line.order)


def _dated(line: OrderLine, rows: Sequence[Dated], shares: Shares) -> list[Typed]:
    """Parts as pieces of their line, each with its share of what is estimated; without units or a day there is none."""
    some = [row for row in rows if row[2] > 0 and row[3]]
    weights, currency = whole_weights([quantity for _, _, quantity, _ in some]), line.order.company.currency
    known = {kind: spread_amount(amount, weights, currency) for kind, amount in shares.items()} if some else {}
    typed = []
    for place, (key, part, quantity, day) in enumerate(some):
        priced = part or line
        made = _copy(line, quantity, priced.pack_price, priced.net_share)
        made.need_by = day + timedelta(days=line.order.supplier.passage_days)
        typed.append(Typed(key, made, {kind: amounts[place] for kind, amounts in known.items()}))
    return typed


def _answer(now: Sequence[LineLanded], was: dict[str, LineLanded], order: PurchaseOrder) -> JsonResponse:
    def unit(one: LineLanded | None) -> str:
        return "" if one is None or one.unit is None else f"{one.unit:f}"

    rows = {one.key: {"unit": unit(one), "was": unit(was.get(one.key)), "why": one.why} for one in now}
    whole = sum((one.landed or ZERO for one in now), ZERO)
    known = bool(now) and all(one.landed is not None for one in now)
    total = plain(whole) if known else ""
    return JsonResponse({"lines": rows, "total": total, "currency": order.company.currency})


def _added(request, order: PurchaseOrder) -> Iterator[Typed]:
    """The rows of lines that are new; a row that makes no sense yet is left out."""
    rows = LineFormSet(request.POST, prefix="lines")
    forms = (
        [row for row in rows.forms[:MOST] if row.is_valid() and row.cleaned_data.get("item")] if rows.is_bound else []
    )
    catalogue = Catalogue([row.cleaned_data["item"] for row in forms], suppliers=[order.supplier_id])
    for row in forms:
        entered = row.cleaned_data
        try:
            item, scanned = catalogue.find(entered["item"])
        except Refused:
            continue
        factor = catalogue.packs(item).get(entered["pack"] or (scanned.name if scanned else item.unit))
        if factor is None or entered["packs"] is None:
            continue
        quantity, price = entered["packs"] * factor, entered["pack_price"]
        if price is None:
            agreed = catalogue.agreement(order.supplier, item.pk, timezone.localdate(), quantity)
            price = agreed.price * factor if agreed else None
        if price is not None:
            paid = net_share((entered["discount"] or ZERO) / 100, *_percentages(request))
            line = OrderLine(order=order, item=item, pack_factor=factor, quantity=quantity, pack_price=price)
            line.net_share, line.need_by = paid, entered["need_by"] or order.need_by
            yield Typed(row.prefix, line)


def _retyped(request, line: OrderLine, there: Decimal) -> OrderLine:
    """A line as it is to be: so many units more or less than are there, at the price that is typed."""
    said = {
        name: _read(ExactField(required=False), request, f"line-{line.pk}-{name}")
        for name in ("quantity", "pack_price", "discount")
    }
    quantity = line.quantity if said["quantity"] is None else said["quantity"]
    price = line.pack_price if said["pack_price"] is None else said["pack_price"]
    discount = line.discount if said["discount"] is None else said["discount"] / 100
    made = _copy(line, there + quantity - line.quantity, price, net_share(discount, *_percentages(request)))
    made.need_by = _read(DayField(required=False), request, f"line-{line.pk}-need_by") or line.need_by
    return made


def _copy(line: OrderLine, quantity: Decimal, price: Decimal, paid: Decimal) -> OrderLine:
    made = OrderLine(order=line.order, item=line.item, pack_factor=line.pack_factor, need_by=line.need_by)
    made.quantity, made.pack_price, made.net_share = quantity, price, paid
    return made


def _percentages(request) -> tuple[Decimal, Decimal]:
    """Discount and surcharge on the whole order."""
    return tuple(_read(PercentField(required=False), request, name) or ZERO for name in ("discount", "surcharge"))


def _read(field, request, name: str):
    """What is typed in a field; nothing where it makes no sense yet."""
    try:
        return field.clean(request.POST.get(name, "").replace("\x00", "")[:40])
    except ValidationError:
        return None
