"""Orders: lines with their strips, an order, a line, the supplier's answer."""

import uuid
from datetime import date, timedelta
from decimal import Decimal
from functools import partial

from django.contrib import messages
from django.db.models import Q
from django.http import JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.access.permissions import may
from northing.access.queries import scoped
from northing.actions.orders import send, write
from northing.actions.orders.write import PERCENTAGES
from northing.claims.queries import owed_of
from northing.confirmations.models import Answer
from northing.core.confirmations.agreement import misfits
from northing.core.costing.ownership import proposed_moment
from northing.core.money.exact import plain
from northing.core.money.money import minor_units
from northing.core.orders.orders import net_amount, net_share
from northing.core.problems import Refused
from northing.drawings.figures import written_price
from northing.masterdata.catalogue import Catalogue, offer_of
from northing.masterdata.models import Item, Party, Site
from northing.orders import documents
from northing.orders.models import ADDRESSES, PurchaseOrder
from northing.orders.queries import never_sold
from northing.reports.came_and_went import came_and_went
from northing.reports.cost_sheet import order_sheet
from northing.reports.order_money import order_money
from northing.web.common.back import way_back
from northing.web.common.history import history_for
from northing.web.common.keys import key_of
from northing.web.common.paging import page_of, page_of_keys, page_of_rows
from northing.web.common.permissions import acts_by, form_for, open_page
from northing.web.orders.forms.orders import LineFormSet, OrderForm, QuoteForm, WholeForm, order_request
from northing.web.orders.queries.orders import shipments_of, with_figures
from northing.web.worklist.acts import acts_on_each

STEPS = {
    "check": send.check_order,
    "approve": send.approve_order,
    "approve-and-send": send.approve_and_send,
    "send": send.send_order,
}
DONE = {
    "check": "Checked",
    "approve": "Approved",
    "approve-and-send": "Approved and sent",
    "send": "Sent",
    "sent": "Sent to the supplier",
    "waiting for approval": "Saved and checked; a second person approves and sends it",
    "draft": "The draft is saved",
}


@open_page
def orders(request):
    """Orders, newest first; drafts too."""
    found = scoped(PurchaseOrder.objects.select_related("supplier", "site", "buyer"), request.user)
    page = page_of_rows(found.order_by("-id"), request.GET)
    doing = acts_on_each("order", [order.pk for order in page.rows], request.user)
    with_figures(page.rows)
    context = {"orders": page.rows, "page": page, "doing": doing, "key": uuid.uuid4().hex}
    return render(request, "orders/orders.html", context)


@form_for("write_order")
def new_order(request):
    """Write a draft."""
    if request.method != "POST":
        head, rows = _copied(request)
        head = head or {"supplier": key_of(request.GET.get("supplier", ""))}
        form = OrderForm(person=request.user, initial=head)
        lines = LineFormSet(prefix="lines", initial=rows)
        return render(request, "orders/new_order.html", {"form": form, "lines": lines})
    form, lines = OrderForm(request.POST, person=request.user), LineFormSet(request.POST, prefix="lines")
    if lines.is_valid() and form.is_valid():
        forms_in_use = [line for line in lines if line.asked()]
        asked = [line.asked() for line in forms_in_use]
        action = send.place_order if "send" in request.POST else write.write_order
        order = form.do(request, action, lambda head: order_request(head, asked))
        if order:
            written = PurchaseOrder.objects.get(pk=order)
            messages.success(request, f"{written.number}: {DONE[written.stage]}.")
            return redirect("order", order)
        beside_lines(form, forms_in_use)
    return render(request, "orders/new_order.html", {"form": form, "lines": lines}, status=422)


def _copied(request) -> tuple[dict | None, list[dict] | None]:
    """Head and lines of the order that is to be copied, if one is named: its terms and remarks, not its dates."""
    key = request.GET.get("copy", "")
    if not key:
        return None, None
    record = seen_order(request, _number(key))
    head = {name: getattr(record, name) for name in COPIED} | {"supplier": record.supplier_id, "site": record.site_id}
    rows = [
        {
            "item": line.item.code,
            "packs": plain(line.quantity / line.pack_factor),
            "pack": line.pack,
            "pack_price": plain(line.pack_price),
            "discount": plain(line.discount * 100) if line.discount else "",
        }
        for line in record.lines.select_related("item").order_by("number")
    ]
    return head | {"company": record.company_id}, rows


COPIED = ("incoterm", "incoterm_place", "ours_from", "mode", "reference", "remark", *PERCENTAGES, *ADDRESSES)


def beside_lines(form, lines) -> None:
    """Problems that name lines-N-field are shown at that field as well as above the form."""
    for problem in getattr(form, "refused", []):
        _, _, place = problem.where.partition("lines-")
        index, _, field = place.partition("-")
        if index.isdigit():
            lines[int(index)].add_error(field if field in LineFormSet.form.base_fields else None, str(problem))


@open_page
def quote(request):
    """The facts of an item for the order form while it is typed: packs,
    the price of this quantity, warnings.
    """
    asked = {name: value[:40].replace("\x00", "") for name, value in request.GET.items()}
    supplier = Party.objects.filter(kind="supplier", pk=_number(asked.get("supplier", ""))).first()
    suppliers = [supplier.pk] if supplier else []
    catalogue = Catalogue([asked.get("item", "")], suppliers=suppliers)
    try:
        item, scanned = catalogue.find(asked.get("item", ""))
    except Refused as refused:
        return JsonResponse({"says": refused.problems[0].what}, status=404)
    form = QuoteForm(asked)
    form.is_valid()
    packs, entered = catalogue.packs(item), form.cleaned_data
    unit = scanned.name if scanned else item.unit
    factor = packs.get(entered.get("pack") or unit, Decimal(1))
    quantity, today = (entered.get("packs") or Decimal(0)) * factor, timezone.localdate()
    agreement = catalogue.agreement(supplier, item.pk, today, quantity) if supplier else None
    return JsonResponse(
        {
            "code": item.code,
            "description": item.description,
            "unit": unit,
            "packs": {name: plain(units) for name, units in packs.items()},
            "price": written_price(agreement.price, supplier.currency) if agreement else "",
            "warns": _warns(agreement, supplier, item, quantity, factor, entered, today),
            "soonest": _soonest(agreement, supplier, today),
            "currency": supplier.currency if supplier else "",
            "decimals": minor_units(supplier.currency) if supplier else 2,
        }
    )


def _soonest(agreement, supplier: Party | None, today: date) -> str:
    """The first day on which the item can be at our dock."""
    if supplier is None:
        return ""
    return (today + timedelta(days=(agreement.lead_days if agreement else 0) + supplier.passage_days)).isoformat()


def _warns(
    agreement, supplier: Party | None, item: Item, quantity: Decimal, factor: Decimal, entered: dict, today
) -> list[str]:
    """The misfits with the agreement so far, as text; a field that is empty fits."""
    if agreement is None and supplier:
        new = [f"{supplier} never sold it to us."] if never_sold(supplier.pk, {item.pk}) else []
        return new + ([] if entered.get("pack_price") else [f"{supplier} has no agreed price for it: enter one."])
    if agreement is None:
        return []
    if not quantity:
        return []
    offer = offer_of(agreement, supplier, factor)
    price, need_by = entered.get("pack_price"), entered.get("need_by") or date.max
    return [str(one) for one in misfits("", quantity, offer.price if price is None else price, need_by, today, offer)]


@open_page
def items(request):
    """Items found by words of the description, code or GTIN, while one types."""
    words = request.GET.get("q", "").replace("\x00", "")[:60].split()
    found = Item.objects.all()
    for word in words:
        found = found.filter(Q(description__icontains=word) | Q(code__icontains=word) | Q(packs__gtin__startswith=word))
    rows = found.distinct().order_by("code").values("code", "description")[:12] if words else []
    return JsonResponse({"items": list(rows)})


def _number(text: str) -> int:
    return int(text) if text.isascii() and text.isdigit() and len(text) < 15 else 0


@open_page
def usual(request):
    """The addresses and the tax that an order of these would have."""
    supplier = Party.objects.filter(kind="supplier", pk=_number(request.GET.get("supplier", ""))).first()
    sites = scoped(Site.objects.select_related("company"), request.user)
    site = sites.filter(pk=_number(request.GET.get("site", ""))).first()
    found = write.usual_terms(site.company if site else None, supplier, site)
    rule = found["incoterm"]
    return JsonResponse(
        found
        | {"tax_rate": plain(Decimal(found["tax_rate"]) * 100), "ours_from": proposed_moment(rule)}
        | {"company": site.company_id if site else None}
    )


@open_page
def incoterm(request):
    """From when goods are ours, as the Incoterms rule proposes."""
    try:
        return JsonResponse({"ours_from": proposed_moment(request.GET.get("incoterm", ""))})
    except KeyError:
        return JsonResponse({"says": "Unknown Incoterms rule."}, status=404)


def seen_order(request, order_id: int) -> PurchaseOrder:
    """An order of the person's companies."""
    found = PurchaseOrder.objects.select_related("company", "supplier", "site", "buyer", "checked_by", "approved_by")
    return get_object_or_404(scoped(found, request.user), pk=order_id)


@open_page
def order(request, order_id: int):
    """An order: where it stands, its lines, the answers, its story."""
    record = seen_order(request, order_id)
    lines = record.lines.select_related("item", "summary").prefetch_related("instalments__position")
    lines = list(lines)
    owed = owed_of(line.pk for line in lines) if record.sent_at else {}
    checks = {} if record.sent_at else send.checks(record, lines, timezone.localdate())
    for line in lines:
        paid = net_share(line.discount)
        line.amount = net_amount(line.quantity, line.pack_factor, line.pack_price, paid, record.currency)
        line.checks = checks.get(line.pk, [])
        line.owed = owed.get(line.pk)
    permissions = {permission: may(request.user, permission, record.company_id) for permission in ordering_rights}
    answers = Answer.objects.filter(instalment__line__order=record).select_related("instalment__line__item")
    context = {
        "order": record,
        "lines": lines,
        "sums": write.sums_of(record, lines),
        "addresses": [(words, getattr(record, name)) for name, words in documents.ADDRESSES.items()],
        "permissions": permissions,
        "to_come": any(getattr(line, "summary", None) and line.summary.is_open for line in lines),
        "unanswered": any(
            part.agreed_quantity + part.position.dropped < part.quantity
            for line in lines
            for part in line.instalments.all()
        ),
        "form": WholeForm(),
        "revisions": record.revisions.select_related("sent_by").order_by("-number"),
        "answers": [answer for answer in answers if answer.outcome == "open"],
        "shipments": page_of_keys(shipments_of(record), request.GET, 20, name="shipments"),
        "sheet": order_sheet(record, lines, timezone.localdate()) if not record.cancelled_at else None,
        "went": page_of(partial(came_and_went, order=record.pk), request.GET, 20, name="went"),
        "money": order_money(record) if record.sent_at else None,
        "history": history_for(request, "order", record.pk),
    }
    return render(request, "orders/order.html", context)


ordering_rights = ("write_order", "check_order", "approve_order", "send_order", "record_answer", "decide_answer")


BY_STEP = {"check": "check_order", "approve": "approve_order", "send": "send_order"}


@acts_by("step", BY_STEP | {"approve-and-send": "approve_order"})
@require_POST
def order_step(request, order_id: int, step: str):
    """Check, approve or send; from a list one stays in the list."""
    record = seen_order(request, order_id)
    form = WholeForm(request.POST)
    if form.do(request, STEPS[step], lambda _: send.OrderAct(record.pk)) is None:
        for error in form.non_field_errors() or ["Reload the page and try again."]:
            messages.error(request, error)
    else:
        messages.success(request, f"{record.number}: {DONE[step]}.")
    return way_back(request, "order", record.pk)
