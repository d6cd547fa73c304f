"""Payments: what is open and due, bills paid many at once or one by one, and payments as made."""

from datetime import date
from decimal import Decimal

from django import forms
from django.contrib import messages
from django.db.models import Sum
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse as address
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.access.acts import Act
from northing.access.permissions import companies_of, may
from northing.actions.payments.advise import AdviseRequest, send_remittance
from northing.actions.payments.ask import AskedRequest, approve_payment, drop_payment, pay_or_ask
from northing.actions.payments.pay import reverse_payment
from northing.actions.payments.pay_many import MOST, PayManyRequest, pay_many
from northing.actions.worklist.deposits import deposit_due
from northing.billing.models import Bill
from northing.core.money.exact import plain, read_exact
from northing.core.money.periods import day_problems
from northing.jobs.jobs import begin
from northing.jobs.models import Job
from northing.masterdata.models import Company, Party
from northing.orders.models import PurchaseOrder
from northing.payments.models import AskedPayment, Payment
from northing.reports.aging import aging
from northing.reports.creditable import advances_open, credits_open
from northing.reports.due_days import due_days, owed_by_day
from northing.reports.open_bills import open_bills, owed_parties, with_settlement
from northing.reports.remittance import remittance_advice
from northing.reports.settled_items import settled_items
from northing.web.common.addresses import address_of
from northing.web.common.back import way_back
from northing.web.common.forms import ActionForm, say_errors
from northing.web.common.history import history_for
from northing.web.common.keys import key_of, keys_of
from northing.web.common.paging import page_of_keys, page_of_rows
from northing.web.common.permissions import acts_by, acts_for, form_for, open_page
from northing.web.common.reversals import is_reversing, reversal_page, say_done
from northing.web.payments.forms import PayForm, PayManyForm


class DropForm(ActionForm):
    """Why a payment that waits is not made; not needed to approve it."""

    reason = forms.CharField(max_length=120, required=False)


# More bills than this are paid by the worker.
AT_ONCE = 200
ASKED_ACTS = {
    "approve": ("approve_bill", approve_payment, "The payment is approved and made."),
    "drop": ("pay", drop_payment, "The payment is not made."),
}


def visible_payments(person):
    """Payments of the person's companies."""
    return Payment.objects.filter(company__in=companies_of(person))


def _day(request, name: str) -> date | None:
    """The day that is asked for; None where none is, or a strange one."""
    try:
        day = date.fromisoformat(request.GET.get(name, ""))
    except ValueError:
        return None
    return None if day_problems(day, name) else day


@acts_for("pay")
def open_items(request):
    """Bills of which something is owed, by due day; those that are ticked are paid together."""
    today = timezone.localdate()
    form = PayManyForm(request.POST or None, initial={"day": today, "discounts": True})
    by, mine = _day(request, "by"), companies_of(request.user)
    found = open_bills(mine, by)
    company, party = key_of(request.GET.get("company", "")), key_of(request.GET.get("party", ""))
    found = found.filter(company=company) if company else found
    found = found.filter(party=party) if party else found
    if request.method == "POST":
        made = form.do(request, _pay_now_or_later, lambda _: form.asked(found.values_list("pk", flat=True)[: MOST + 1]))
        if isinstance(made, Job):
            return redirect("job", made.pk)
        if made:
            return _say_paid(request, form.cleaned_data["every"], made)
        say_errors(request, form)
    page, owed = page_of_keys(found, request.GET, 100), owed_by_day(mine)
    # What is worth paying early comes first.
    rows = sorted(with_settlement(page.rows, today), key=lambda one: one.until or date.max)
    shown = [company] if company in mine else mine
    # A balance is one company's.
    balance = _figure(request.GET.get("balance", "")) if len(shown) == 1 else None
    context = {
        "form": form,
        "due": due_days(owed, shown, today, by, balance),
        "balance": balance,
        "today": today,
        "page": page,
        "listed": found.count() if page.next or page.before else 0,
        "rows": rows,
        "by": by,
        "aging": aging(owed, today),
        "companies": Company.objects.filter(pk__in=mine),
        "asked": {"company": company, "party": party},
        "parties": Party.objects.filter(pk__in=owed_parties(mine)).order_by("name")[:500],
    }
    return render(request, "payments/open_bills.html", context, status=422 if form.errors else 200)


def _pay_now_or_later(act: Act, request: PayManyRequest) -> dict[str, list[int]] | Job:
    """Pay the bills; very many are the worker's."""
    bills = len(request.bills)
    if not AT_ONCE < bills <= MOST:
        return pay_many(act, request)
    asked = {"bills": list(request.bills), "day": str(request.day), "take_discounts": request.take_discounts}
    return begin(act, "pay_bills", f"Pay {bills:,} bills", asked, bills, address("open-bills"))


def _say_paid(request, every: int | None, made: dict[str, list[int]]):
    """How many payments were made, and how many wait for a second person."""
    bills = every or len(keys_of(request.POST.getlist("bill")))
    done, asked = len(made["made"]), len(made["asked"])
    words = [f"{done} payment{' is' if done == 1 else 's are'} made"] if done else []
    words += [f"{asked} wait{'s' if asked == 1 else ''} for a second person"] if asked else []
    of_bills = f"{bills} bill{' is' if bills == 1 else 's are'} {'chosen' if asked else 'paid'}"
    messages.success(request, f"{of_bills}; {', '.join(words)}.")
    return redirect("payments" if done else "asked-payments")


@acts_for("pay")
def asked_payments(request):
    """Payments that wait for a second person, and how they ended."""
    found = AskedPayment.objects.filter(company__in=companies_of(request.user))
    found = found.select_related("company", "party", "asked_by", "payment").order_by("-pk")
    return render(request, "payments/asked_payments.html", {"page": page_of_rows(found, request.GET, 50)})


@acts_by("act", {act: permission for act, (permission, *_) in ASKED_ACTS.items()})
@require_POST
def asked_act(request, asked_id: int, act: str):
    """Approve a payment that waits, or drop it."""
    record = get_object_or_404(AskedPayment, pk=asked_id, company__in=companies_of(request.user))
    form = DropForm(request.POST)
    _, action, words = ASKED_ACTS[act]
    if form.do(request, action, lambda entered: AskedRequest(record.pk, entered["reason"])):
        messages.success(request, words)
    else:
        say_errors(request, form)
    return way_back(request, "asked-payments")


def _figure(said: str) -> Decimal | None:
    """A bank balance as it was typed; None where it is none."""
    try:
        return read_exact(said) if said and len(said) < 20 else None
    except ValueError:
        return None


@open_page
def settled(request):
    """What was settled in a period, and by what."""
    mine = companies_of(request.user)
    first, through = _day(request, "from"), _day(request, "through")
    party = key_of(request.GET.get("party", ""))
    page = page_of_rows(settled_items(mine, first, through, party or None), request.GET, 100)
    parties = Party.objects.filter(payments__company__in=mine).distinct().order_by("name")[:500]
    context = {"page": page, "first": first, "through": through, "party": party, "parties": parties}
    return render(request, "payments/settled.html", context)


@form_for("pay")
def new_payment(request):
    """Pay one party: some of its bills, less credits, with the bank's figures; or in advance; or what comes back."""
    mine, today = companies_of(request.user), timezone.localdate()
    order, bills, against = None, [], []
    orders = PurchaseOrder.objects.select_related("company", "supplier").filter(company__in=mine)
    if key := key_of(request.GET.get("order", "")):
        order = get_object_or_404(orders, pk=key)
    elif key := key_of(request.GET.get("back", "")):
        asked = get_object_or_404(orders, pk=key)
        against = [one for one in advances_open(*_whose(asked)) if one.pk == key]
        if not against:
            messages.error(request, f"No advance on {asked.number} is open.")
            return redirect("order", key)
    elif not key_of(request.GET.get("bill", "")):
        messages.error(request, "Choose the bill that is paid.")
        return redirect("open-bills")
    else:
        first = get_object_or_404(Bill, pk=key_of(request.GET.get("bill", "")), company__in=mine)
        found = open_bills([first.company_id]).filter(pk=first.pk)
        bills = with_settlement(list(found), today)
        if not bills:
            messages.error(request, f"Nothing of {first} is open.")
            return redirect("bill", first.pk)
        against = credits_open(*_whose(first))
        if first.kind == Bill.Kind.CREDIT:
            bills, against = [], [one for one in against if one.pk == first.pk]
        else:
            against += advances_open(*_whose(first))
    initial = {"day": today}
    if order and (due := deposit_due(order)):
        initial["amount-0"] = plain(due)
    form = PayForm(request.POST or None, bills=bills, order=order, against=against, initial=initial)
    if request.method == "POST":
        made = form.do(request, pay_or_ask, lambda _: form.asked())
        if made and "asked" in made:
            messages.success(request, "The payment waits for a second person.")
            return redirect("asked-payments")
        if made:
            say_done(request, "Entered." if form.comes_back else "Paid.", "payment", made["payment"])
            return redirect("payment", made["payment"])
    context = {"form": form, "order": order}
    return render(request, "payments/pay.html", context, status=422 if form.errors else 200)


def _whose(record: Bill | PurchaseOrder) -> tuple[int, int, str]:
    """The company, the party (ids) and the currency of a bill or an order."""
    party = record.party_id if isinstance(record, Bill) else record.supplier_id
    return record.company_id, party, record.currency


@open_page
def payments(request):
    """Payments as made, the newest first."""
    found = visible_payments(request.user).select_related("company", "party").order_by("-day", "-pk")
    page = page_of_rows(found, request.GET, 50)
    return render(request, "payments/payments.html", {"page": page})


@acts_for("pay")
def payment(request, payment_id: int):
    """A payment: what it paid, what it cost, its postings, and the way back."""
    found = visible_payments(request.user).select_related("company", "party", "account", "entered_by", "entry")
    record = get_object_or_404(found, pk=payment_id)
    if is_reversing(request):
        title, back = (
            f"Reverse the payment of {record.day:%-d %b %Y} to {record.party}",
            address_of("payment", record.pk),
        )
        done = "The payment is reversed. Its bills are open again."
        return reversal_page(request, title, reverse_payment, record, back, done, "Its bills are open again.")
    parts = record.parts.select_related("bill", "order").order_by("pk")
    context = {
        "payment": record,
        "parts": parts,
        "discount": parts.aggregate(total=Sum("discount"))["total"],
        "allowed": may(request.user, "pay", record.company_id) and not record.reversed_by_id,
        "history": history_for(request, "payment", record.pk),
    }
    return render(request, "payments/payment.html", context)


@acts_for("pay")
@require_POST
def advise(request, payment_id: int):
    """Mail the remittance advice to the party."""
    record = get_object_or_404(visible_payments(request.user), pk=payment_id)
    form = ActionForm(request.POST)
    if form.do(request, send_remittance, lambda _: AdviseRequest(record.pk)):
        messages.success(request, "The remittance advice is on its way.")
    else:
        say_errors(request, form)
    return redirect("payment", record.pk)


@open_page
def remittance(request, payment_id: int):
    """The remittance advice of a payment, as a PDF."""
    found = visible_payments(request.user).select_related("company", "party", "account")
    paper = remittance_advice(get_object_or_404(found, pk=payment_id))
    return HttpResponse(paper, content_type="application/pdf")
