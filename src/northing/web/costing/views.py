"""Costs: charges with their effect shown first, customs entries, rates, cost trails."""

from collections import defaultdict

from django.contrib import messages
from django.db.models import Exists, OuterRef
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.utils.html import format_html
from django.views.decorators.http import require_POST

from northing.access.permissions import companies_of, may_somewhere
from northing.access.queries import scoped
from northing.actions.billing.bills import book_bill, foresee
from northing.actions.costing import charges as charges_action
from northing.actions.costing import from_cards, rebase
from northing.actions.costing.named import NoSuchName, named_scope, names_of
from northing.actions.costing.scope import companies_in
from northing.billing.models import BillLine
from northing.core.money.exact import plain
from northing.core.problems import Refused
from northing.costing.models import Charge, ChargePart
from northing.drawings.figures import money
from northing.drawings.trail import waterfall
from northing.ledger.models import CostLayer
from northing.ledger.queries import posting_note
from northing.masterdata.models import Party
from northing.reports.clocks import standings_of
from northing.reports.cost_trail import cost_trail
from northing.shipping.models import Container
from northing.web.common.addresses import address_of
from northing.web.common.back import way_back
from northing.web.common.forms import ActionForm
from northing.web.common.history import history_for
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for, form_for, open_page
from northing.web.common.reversals import is_reversing, reversal_page, say_done
from northing.web.costing.forms import BY_HAND, MOST_SHARES, ChargeForm, SpreadForm
from northing.web.shipping.views.shipments import visible_shipments

# How many shipments are offered while one types; any other is taken as well.
LATEST = 40


def visible_charges(person):
    """Charges of which the person's companies bear or pay a part."""
    return Charge.objects.filter(
        Exists(ChargePart.objects.filter(charge=OuterRef("pk"), company__in=companies_of(person)))
    )


def own_charges(person):
    """Charges of which no other than the person's companies bear a part."""
    others = ChargePart.objects.filter(charge=OuterRef("pk")).exclude(company__in=companies_of(person))
    return visible_charges(person).exclude(Exists(others))


@open_page
def charges(request):
    """Charges, newest first, estimates that wait for their bill marked."""
    found = visible_charges(request.user)
    found = found.select_related("payee", "company").prefetch_related("shipments", "bill_lines__bill")
    if request.GET.get("show") == "expected":
        found = found.filter(closed_on=None)
    page = page_of_rows(found.order_by("-pk"), request.GET)
    _with_orders(page.rows)
    return render(request, "costing/charges.html", {"charges": page.rows, "page": page})


def _with_orders(rows) -> None:
    """Each charge gets `of_orders`: the numbers of the orders whose lines it is over."""
    named = Charge.lines.through.objects.filter(charge__in=[charge.pk for charge in rows])
    numbers = named.values_list("charge", "orderline__order__number").order_by("charge", "orderline__order").distinct()
    of_charge = defaultdict(list)
    for key, number in numbers:
        of_charge[key].append(number)
    for charge in rows:
        charge.of_orders = of_charge[charge.pk]


@form_for("estimate_charge", "book_bill")
def new_charge(request):
    """Enter a bill or an estimate; its effect is shown as it is typed."""
    replaces = _replaced(request)
    back = request.POST.get("back", request.GET.get("back", ""))
    form = ChargeForm(request.POST or None, person=request.user, charge=replaces, initial=_initial(request, replaces))
    context = {"form": form, "replaces": replaces, "back": back}
    context["names"] = visible_shipments(request.user).order_by("-pk").values_list("reference", flat=True)[:LATEST]
    context["currencies"] = dict(Party.objects.values_list("pk", "currency"))
    if request.method == "POST" and form.is_valid():
        entered = dict(form.cleaned_data)
        if request.POST.get("act") == "show":
            context |= _effect(form)
        elif booked := _booked(request, form):
            return way_back(request, *booked)
        elif form.typed():
            # What was refused is shown with what it would do; a refusal takes facts away from the form.
            form.cleaned_data = entered
            context |= _effect(form)
    return render(request, "costing/new_charge.html", context, status=422 if form.errors else 200)


def _booked(request, form: ChargeForm) -> tuple[str, int] | None:
    """Book the bill or the estimate; the page that shows it, or nothing where it is refused."""
    if form.strange:
        form.add_error(None, form.strange)
        return None
    if form.billed:
        page, key = "bill", form.do(request, book_bill, lambda _: form.bill())
    else:
        page, key = "charge", form.do(request, charges_action.enter_estimate, lambda _: form.asked())
    if not key:
        return None
    entered = form.cleaned_data
    what = f"Bill {entered['bill_number']}" if form.billed else "The estimate"
    note = posting_note([entered["company"].pk], entered["day"])
    text = format_html('{} is booked and spread{}. <a href="{}">Open it</a>', what, note, reverse(page, args=[key]))
    say_done(request, text, page, key)
    return page, key


def _is_key(text: str) -> bool:
    return text.isascii() and text.isdigit() and len(text) < 15


def _replaced(request) -> Charge | None:
    key = request.POST.get("charge") or request.GET.get("charge") or ""
    if not _is_key(key):
        return None
    return visible_charges(request.user).filter(pk=key, closed_on=None).first()


def _initial(request, replaces: Charge | None) -> dict:
    today = timezone.localdate()
    if replaces is not None:
        asked = charges_action.request_of(replaces)
        amount = asked.amount if replaces.announced is None else replaces.announced
        found = asked.__dict__ | {"over": names_of(asked.scope), "day": today, "amount": plain(amount)}
        return found | {"bill_number": replaces.announced_number}
    over = request.GET.get("over", "").replace("\x00", "")[:400]
    found = {"day": today, "over": over, "payee": _last_payee(request), "company": _only_company(request, over)}
    return found | _of_clock(request, today)


def _last_payee(request) -> int | None:
    """Who is to be paid by the newest charge stands there for the next; customs offices are paid by their entries."""
    charges = Charge.objects.filter(company__in=companies_of(request.user)).exclude(payee__kind=Party.Kind.CUSTOMS)
    return charges.order_by("-pk").values_list("payee", flat=True).first()


def _only_company(request, over: str) -> int | None:
    """Whose goods they are, where they are one company's."""
    try:
        found = companies_in(named_scope(over.replace(",", " ").split(), request.user))
    except NoSuchName:
        return None
    return found[0] if len(found) == 1 else None


def _of_clock(request, today) -> dict:
    """The estimate that a container's clock comes to, where one is named."""
    box, clock = request.GET.get("box", ""), request.GET.get("clock", "")
    if not (_is_key(box) and _is_key(clock)):
        return {}
    boxes = Container.objects.filter(pk=box, shipment__in=visible_shipments(request.user))
    standing = standings_of(boxes.select_related("shipment__voyage__carrier", "shipment__discharge_port"))
    for one in standing:
        if one.free.pk == int(clock):
            return {
                "payee": one.free.carrier_id,
                "kind": "storage",
                "currency": one.free.currency,
                "amount": plain(one.clock(today).cost),
                "over": one.container.number,
            }
    return {}


def _effect(form: ChargeForm) -> dict:
    """The effect of booking, with what each of the goods bears as it may be typed; or the refusal on the form."""
    entered, plan, refusal = form.cleaned_data, None, None
    begins = entered["basis"] == BY_HAND and not entered["shares"]
    # By hand one begins with the usual shares, or with equal ones where the goods have no measure.
    for basis in ("", "equal") if begins else (entered["basis"],):
        entered["basis"] = basis
        try:
            plan = foresee(form.bill()).plans[0] if form.billed else charges_action.foresee(form.asked())
            break
        except Refused as refused:
            refusal = refused
    if plan is None:
        if refusal and not form.errors:
            form.take(refusal)
        return {}
    typed = form.typed() if form.cleaned_data["basis"] == BY_HAND else {}
    rows = [row | _share_field(row, typed) for row in plan.rows()]
    companies = {row["goods"].line.order.company_id: row["goods"].line.order.company for row in rows}
    wholes = [(companies[key], whole) for key, whole in plan.wholes.items() if key in companies]
    if len(rows) > MOST_SHARES:
        return {"plan": plan, "too_many": MOST_SHARES}
    return {"plan": plan, "handed": rows, "wholes": wholes}


def _share_field(row: dict, typed: dict[str, str]) -> dict[str, str]:
    """The `name` under which a share is typed, and the `text` that stands there."""
    line, part = row["goods"].bearer
    name = f"share-{line}-{part or 0}"
    return {"name": name, "text": typed.get(name, money(row["amount"], row["goods"].line.order.company.currency))}


@acts_for("book_bill")
def charge(request, charge_id: int):
    """A charge: its parts, shares and story."""
    mine = companies_of(request.user)
    found = visible_charges(request.user).select_related("payee", "company")
    record = get_object_or_404(found, pk=charge_id)
    shares = (
        record.shares.filter(company__in=mine)
        .order_by("pk")
        .select_related("order_line__item", "order_line__order", "shipment_line__container", "company")
    )
    bills = BillLine.objects.filter(charge=record).select_related("bill").order_by("pk")
    context = {"charge": record, "shares": shares, "bills": bills}
    context["parts"] = record.parts.filter(company__in=mine).select_related("company")
    context["history"] = history_for(request, "charge", record.pk)
    right = "estimate_charge" if record.billed is None else "book_bill"
    context["may_spread"] = (
        may_somewhere(request.user, right) and not record.ended and record.kind not in rebase.OFFICES
    )
    context["may_end"] = record.expected and may_somewhere(request.user, "book_bill")
    if context["may_end"] and is_reversing(request):
        return reversal_page(
            request,
            f"End the estimate of {record.get_kind_display().lower()}, {record.payee}",
            charges_action.end_estimate,
            record,
            address_of("charge", record.pk),
            "The estimate has ended. Goods received no longer carry it.",
            "Goods that were received no longer carry it; what it added to goods that are gone is given back.",
            charges_action.EndRequest,
            "End it",
        )
    return render(request, "costing/charge.html", context)


@form_for("estimate_charge", "book_bill")
def spread(request, charge_id: int):
    """Change what a charge is spread by, or give shares by hand; its effect is shown as it is typed."""
    record = get_object_or_404(own_charges(request.user).select_related("payee", "company"), pk=charge_id)
    form = SpreadForm(request.POST or None, charge=record)
    parts = record.parts.select_related("company").order_by("pk")
    back = request.POST.get("back", request.GET.get("back", ""))
    context = {"charge": record, "form": form, "parts": parts, "back": back}
    if request.method == "POST" and form.is_valid():
        if request.POST.get("act") == "show":
            try:
                context["plan"] = rebase.foresee_basis(form.asked())
            except Refused as refused:
                form.take(refused)
        elif form.do(request, rebase.change_basis, lambda _: form.asked()):
            record.refresh_from_db()
            messages.success(request, f"It is spread {record.spread_words} now.")
            return way_back(request, "charge", record.pk)
    return render(request, "costing/spread.html", context, status=422 if form.errors else 200)


@form_for("estimate_charge")
@require_POST
def take_cards(request, shipment_id: int, company_id: int):
    """Take what the cards say of a shipment as estimates."""
    record = get_object_or_404(visible_shipments(request.user), pk=shipment_id)
    form = ActionForm(request.POST)
    found = form.do(request, from_cards.take_cards, lambda _: from_cards.CardsRequest(record.pk, company_id))
    if found:
        many = "1 estimate stands" if len(found) == 1 else f"{len(found)} estimates stand"
        messages.success(request, f"{many} in place of the cards{posting_note([company_id], timezone.localdate())}.")
    else:
        for error in form.non_field_errors() or ["Reload the page and try again."]:
            messages.error(request, error)
    return redirect("shipment", record.pk)


@open_page
def layer(request, layer_id: int):
    """The cost trail of a layer: how one unit came to cost what it costs."""
    found = CostLayer.objects.select_related(
        "company",
        "item",
        "site",
        "receipt_line__receipt",
        "shipment_line__instalment__line__order",
        "shipment_line__container",
    )
    record = get_object_or_404(scoped(found, request.user), pk=layer_id)
    trail = cost_trail(record)
    context = {
        "layer": record,
        "trail": trail,
        "drawing": _drawn(trail, record.company.currency),
        "on_hand": record.on_hand.filter(quantity__gt=0).select_related("bin__site"),
        "history": _layer_story(request, record),
    }
    return render(request, "costing/layer.html", context)


def _layer_story(request, layer: CostLayer):
    """The story of its line, bills and all; opening stock has no line, only itself."""
    if layer.shipment_line is None:
        return history_for(request, "layer", layer.pk)
    return history_for(request, "line", layer.shipment_line.instalment.line_id)


def _drawn(trail, currency: str) -> str:
    return waterfall([(step.name, step.per_unit, step.expected) for step in trail.steps], trail.unit, currency)
