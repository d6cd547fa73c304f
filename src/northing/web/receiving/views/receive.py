"""Receiving: out of a container, unpacked against an order, or without one; tried before it is saved."""

from dataclasses import replace
from decimal import Decimal

from django.contrib import messages
from django.http import JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone

from northing.access.permissions import may
from northing.access.queries import scoped
from northing.actions.receiving import receive as receive_action
from northing.actions.receiving import shipment as shipment_action
from northing.actions.receiving.minded import scan_words
from northing.actions.receiving.scans import Context, Scanned, goods_of, rows_of
from northing.actions.receiving.trial import try_receipt
from northing.core.money.exact import plain
from northing.core.problems import Refused
from northing.ledger.queries import posting_note
from northing.masterdata.models import Party, Site
from northing.orders.models import Instalment, PurchaseOrder
from northing.receiving.models import Receipt
from northing.receiving.queries import noted_before
from northing.reports.fitting_orders import fitting_lines
from northing.shipping.models import Container, ShipmentLine
from northing.shipping.queries import visible_shipments
from northing.web.common.forms import act_of, asks_only
from northing.web.common.keys import key_of
from northing.web.common.permissions import form_for
from northing.web.common.reversals import say_done
from northing.web.common.second import second_person
from northing.web.receiving.forms.count import MOST_OTHERS, MOST_ROWS, ReceiveForm, UnorderedForm
from northing.web.receiving.forms.pictures import keep_pictures
from northing.web.receiving.forms.shipment import ShipmentForm
from northing.web.receiving.parts import Part
from northing.web.receiving.queries import boxes_beside, parts_of_container, parts_of_order, parts_of_supplier
from northing.web.receiving.views.teach import may_teach, unknown_gtin

ZERO = Decimal(0)


@form_for("receive")
def receive(request, container_id: int, site_id: int):
    """Receive a container's goods for a site: all at once, or line by line."""
    site = get_object_or_404(scoped(Site.objects.select_related("company"), request.user), pk=site_id)
    boxes = Container.objects.filter(shipment__in=visible_shipments(request.user)).select_related("shipment")
    box = get_object_or_404(boxes, pk=container_id)
    parts, where = parts_of_container(box, site), Context(site, container=box.pk)
    beside = boxes_beside(box, site)
    return _receive(request, parts, where, {"box": box, "from": box.number, "beside": beside})


@form_for("receive")
def receive_order(request, order_id: int):
    """Receive goods that come unpacked against an order, the oldest instalments first."""
    found = scoped(PurchaseOrder.objects.select_related("supplier", "site__company"), request.user)
    order = get_object_or_404(found.exclude(sent_at=None), pk=order_id)
    where = Context(order.site, order=order.pk, supplier=order.supplier_id)
    return _receive(request, parts_of_order(order), where, {"order": order, "from": f"order {order.number}"})


@form_for("receive")
def receive_supplier(request, supplier_id: int, site_id: int):
    """Receive goods of several orders of one supplier under one note."""
    site = get_object_or_404(scoped(Site.objects.select_related("company"), request.user), pk=site_id)
    supplier = get_object_or_404(Party, kind=Party.Kind.SUPPLIER, pk=supplier_id)
    where = Context(site, supplier=supplier.pk, orders_of=True)
    parts, more = parts_of_supplier(supplier, site)
    return _receive(request, parts, where, {"from": f"orders of {supplier}", "more": more})


@form_for("receive")
def receive_shipment(request, shipment_id: int, site_id: int):
    """Receive all that is expected of a shipment, container by container, in one act."""
    site = get_object_or_404(scoped(Site.objects.select_related("company"), request.user), pk=site_id)
    shipment = get_object_or_404(visible_shipments(request.user), pk=shipment_id)
    form = ShipmentForm(request.POST or None, initial={"occurred_on": timezone.localdate()})
    if request.method == "POST":
        done = form.do(request, shipment_action.receive_shipment, lambda _: form.asked(shipment.pk, site.pk))
        if done:
            made = ", ".join(Receipt.objects.filter(pk__in=done).order_by("pk").values_list("number", flat=True))
            messages.success(request, f"Received all of {shipment} as {made}.")
            return redirect("receipt", done[0])
    button = "Receive these anyway" if asks_only(form) else "Receive all as expected"
    context = {"title": f"Receive all of {shipment}", "button": button, "form": form, "back": reverse("dock")}
    return render(request, "receiving/shipment.html", context, status=422 if form.errors else 200)


@form_for("receive")
def receive_unordered(request, site_id: int):
    """Goods that came without an order: open orders that fit are proposed, else they are held."""
    site = get_object_or_404(scoped(Site.objects.select_related("company"), request.user), pk=site_id)
    said = request.POST.get("supplier") or request.GET.get("supplier") or ""
    supplier = Party.objects.filter(kind=Party.Kind.SUPPLIER, pk=key_of(said)).first()
    where = Context(site, supplier=supplier.pk if supplier else None)
    return _receive(request, [], where, {"from": "goods without an order", "supplier": supplier})


def _receive(request, parts: list[Part], where: Context, context: dict):
    site = where.site
    alone = not (where.container or where.order or where.orders_of)
    others = _count_rows(request, parts, at_least=1 if alone else 0)
    initial = {"occurred_on": timezone.localdate(), "supplier": where.supplier, "scans": request.GET.get("scan", "")}
    made = UnorderedForm if alone else ReceiveForm
    form = made(
        request.POST or None, files=request.FILES or None, parts=parts, context=where, others=others, initial=initial
    )
    context |= {"form": form, "site": site, "allowed": may(request.user, "receive", site.company_id), "parts": parts}
    context |= {"alone": alone, "where": where, "trial": None, "seal": _seal(context.get("box"))}
    if request.method == "POST" and ("split" in request.POST or "other" in request.POST):
        form.errors.clear()  # a further row is asked for; nothing is received yet
    elif request.method == "POST" and "check" in request.POST:
        context["trial"] = form.do(request, try_receipt, lambda _: form.asked())
    elif request.method == "POST":
        done = form.do(request, receive_action.receive, lambda _: _asked(request, form, site))
        if done:
            keep_pictures(act_of(request, form.cleaned_data["key"]), done, form.cleaned_data["pictures"])
            return _done(request, done, form)
    if alone:
        context["fitting"] = _fitting(form, where)
    return render(request, "receiving/receive.html", context, status=422 if form.errors else 200)


def _asked(request, form: ReceiveForm, site: Site) -> receive_action.ReceiveRequest:
    """The receipt as a request; where a second person approves it on the spot, with them."""
    if "approve" not in request.POST:
        return form.asked()
    second = second_person(request, "decide_goods", site.company_id)
    return replace(form.asked(), accept=True, approved_by=second.pk)


def _done(request, done: int, form: ReceiveForm):
    made = Receipt.objects.get(pk=done)
    note = posting_note([made.company_id], form.cleaned_data["occurred_on"])
    words = f"Received{note} as {made}. Stock, costs and positions are up to date."
    if before := noted_before(made):
        messages.warning(request, receive_action.note_words(before))
    if may(request.user, "reverse_receipt", made.company_id):
        say_done(request, words, "receipt", done)
    else:
        messages.success(request, words)
    address = reverse("receipt", args=[done])
    address = f"{address}?print" if "print" in request.POST else address
    # The phone's own sender asks for the address: it would read the page, and the words on it, unseen.
    return JsonResponse({"url": address}) if "json" in request.headers.get("Accept", "") else redirect(address)


def _seal(box: Container | None) -> str:
    """The seal that the papers note, to be held against the one that is found."""
    return box.seal if box else ""


def _count_rows(request, parts: list[Part], *, at_least: int) -> int:
    """In how many lots or bins each part came, and how many rows of other items there are; one more where asked for."""
    for part in parts:
        part.rows = _number(request, f"rows-{part.key}", 1)
        part.rows += request.POST.get("split") == part.key
        part.rows = max(1, min(part.rows, MOST_ROWS))
    return min(max(_number(request, "others", 0), at_least) + ("other" in request.POST), MOST_OTHERS)


def _number(request, name: str, absent: int) -> int:
    said = request.POST.get(name, "")
    return int(said) if said.isascii() and said.isdigit() and len(said) < 3 else absent


def _fitting(form: ReceiveForm, where: Context):
    """The open order lines that the goods may be of, once it is said whose they are."""
    if where.supplier is None or not form.is_bound:
        return fitting_lines(where.site, where.supplier, {}) if where.supplier else []
    try:
        rows = form.asked().rows if not form.errors or hasattr(form, "refused") else ()
    except (Refused, KeyError):
        rows = ()
    units: dict[int, Decimal] = {}
    for row in rows:
        units[row.item] = units.get(row.item, ZERO) + row.quantity
    return fitting_lines(where.site, where.supplier, units)


@form_for("receive")
def scan(request):
    """Read one scan and say its meaning here; nothing is written. Answers JSON."""
    site = (
        scoped(Site.objects.select_related("company"), request.user)
        .filter(pk=key_of(request.POST.get("site", "")))
        .first()
    )
    if site is None or request.method != "POST":
        return JsonResponse({"wrong": "This site is not yours.", "mend": "Reload the page."}, status=404)
    where = Context(site, *(key_of(request.POST.get(name, "")) or None for name in ("container", "order", "supplier")))
    where = replace(where, orders_of="several" in request.POST)
    times = request.POST.get("times", "1")
    scanned = Scanned(request.POST.get("scan", ""), int(times) if times.isdecimal() and len(times) < 5 else 1)
    try:
        goods, bin = goods_of([scanned], where)
    except Refused as refused:
        problem = refused.problems[0]
        gtin = unknown_gtin(scanned.said) if may_teach(request.user) else ""
        return JsonResponse({"wrong": problem.what, "mend": problem.mend, "gtin": gtin}, status=422)
    rows = rows_of(goods, where, None)
    said = ", and ".join(one.words for one in goods) or f"Bin {scanned.said.strip()}: what is scanned lies there."
    return JsonResponse(
        {
            "words": f"{said}{_for_line(rows)}",
            "parts": {row.part: plain(row.quantity) for row in rows},
            "bin": bin,
            "held": any(row.item is not None for row in rows),
            "mind": " ".join(scan_words(goods, rows, where, timezone.localdate())),
        }
    )


def _for_line(rows) -> str:
    """The order line that the first of the scanned goods are for."""
    first = rows[0] if rows else None
    if first is None:
        return ""
    if first.item is not None:
        return ", held without an order"
    instalments = Instalment.objects.select_related("line__order")
    if first.shipment_line:
        key = ShipmentLine.objects.values_list("instalment", flat=True).get(pk=first.shipment_line)
        line = instalments.get(pk=key).line
    else:
        line = instalments.get(pk=first.instalment).line
    return f", for {line.order.number} line {line.number}"
