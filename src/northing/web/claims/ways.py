"""How units of a case end, what is done about its money, and what is ordered in the place of its goods."""

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.actions.claims import ask, money, ways
from northing.actions.claims.authorise import take_back_authorisation
from northing.actions.claims.make_good import InsteadRequest, credit_instead, head_of, make_good
from northing.claims.models import Authorisation, CaseEnd, Claim, ClaimMoney
from northing.claims.queries import replacements_owed
from northing.core.money.exact import plain
from northing.core.problems import Refused
from northing.reports.claim_paper import claim_paper
from northing.web.claims.forms import AskForm, EndForm, MakeGoodForm, MoneyForm
from northing.web.claims.views import claims_of
from northing.web.common.addresses import address_of
from northing.web.common.answers import file_answer
from northing.web.common.forms import act_of
from northing.web.common.keys import key_of
from northing.web.common.permissions import acts_for, form_for, open_page
from northing.web.common.reversals import reversal_page, say_done

RELATED = (
    *("layer__item", "layer__shipment_line__instalment__line__order", "layer__receipt_line__stands_for__order"),
    *("supplier", "against", "company"),
)
# The action, its words before and after, and the right it takes.
WAYS = {
    "keep": (ways.keep, "Keep", "They are in store.", "return_goods"),
    "rework": (ways.rework, "Rework", "They are in store. Enter what it cost when its bill comes.", "return_goods"),
    "scrap": (ways.scrap, "Scrap", "They are scrapped.", "return_goods"),
    "find": (ways.find, "Found again", "They are in store, at full cost.", "handle_cases"),
    "lose": (ways.lose, "Lost for good", "They are lost; what is claimed stays so.", "handle_cases"),
    "never": (ways.never_supplied, "Never supplied", "They will not come; what is claimed stays so.", "handle_cases"),
}
MONEY = {
    "turn": (money.turn, "Claim it from another", "It is claimed from them now.", "handle_cases"),
    "claim": (money.claim_more, "Claim more", "It is claimed.", "handle_cases"),
    "paid": (money.claim_paid, "They paid", "Their money is booked.", "pay"),
    "give-up": (money.give_up, "Give it up", "It is a loss.", "handle_cases"),
}


def _case(request, key: int) -> Claim:
    return get_object_or_404(scoped(Claim.objects.select_related(*RELATED), request.user), pk=key)


@form_for("return_goods", "handle_cases")
def end_units(request, case_id: int, way: str):
    """Units of a case end in a way."""
    record, (action, words, done, right) = _case(request, case_id), WAYS[way]
    act_of(request).require(right, record.company_id)
    start = {"occurred_on": timezone.localdate(), "quantity": plain(record.undecided)}
    numbered = record.layer.item.keeps_serial and way in ("keep", "rework", "scrap", "find")
    of_lots = record.layer.item.keeps_lot and way == "find"
    form = EndForm(request.POST or None, initial=start, numbered=numbered, way=way, of_lots=of_lots)
    if request.method == "POST":
        made = form.do(request, action, lambda _: form.asked(record.pk))
        if made:
            say_done(request, done, "reverse-way", made)
            return redirect("case", record.pk)
    context = {"case": record, "way": way, "words": words, "form": form}
    return render(request, "claims/end_units.html", context, status=422 if form.errors else 200)


@form_for("return_goods", "handle_cases")
def reverse_end_of_units(request, end_id: int):
    """Undo that units of a case ended so."""
    found = CaseEnd.objects.select_related("case__layer__item")
    record = get_object_or_404(scoped(found, request.user), pk=end_id)
    way = record.get_way_display().lower()
    title = f"Reverse: {plain(record.quantity)} {record.case.layer.item.code} {way}"
    return reversal_page(request, title, ways.reverse_way, record, address_of("case", record.case_id))


@form_for("handle_cases", "pay")
def case_money(request, case_id: int, way: str):
    """Something is done about the money of a case."""
    record, (action, words, done, right) = _case(request, case_id), MONEY[way]
    act_of(request).require(right, record.company_id)
    owed = claims_of(record)
    start = {"occurred_on": timezone.localdate(), "currency": record.company.currency}
    start |= {"reason": record.reason, "party": _carried(record)} if way in ("turn", "claim") else {}
    if owed and way in ("paid", "give-up"):
        start |= {"owed": owed[0]["key"], "amount": plain(owed[0]["amount"])}
    choices = {one["key"]: f"{one['currency']} {plain(one['amount'])} of {one['party']}" for one in owed}
    form = MoneyForm(request.POST or None, initial=start, way=way, owed=choices)
    if request.method == "POST":
        asked = form.turned if way == "turn" else form.asked
        made = form.do(request, action, lambda _: asked(record.pk))
        if made:
            say_done(request, done, "reverse-claim", made)
            return redirect("case", record.pk)
    context = {"case": record, "way": way, "words": words, "form": form, "owed": owed}
    return render(request, "claims/case_money.html", context, status=422 if form.errors else 200)


def _carried(case: Claim) -> int | None:
    """Who carried the goods of a case (an id), where that is known."""
    box = case.layer.shipment_line.container if case.layer.shipment_line else None
    return box.shipment.forwarder_id if box else None


@form_for("handle_cases", "pay")
def reverse_claim(request, money_id: int):
    """Undo what was done about the money of a case."""
    record = get_object_or_404(scoped(ClaimMoney.objects.select_related("case"), request.user), pk=money_id)
    title = f"Reverse: {record.get_way_display().lower()} {record.currency} {plain(record.amount)}"
    return reversal_page(request, title, money.reverse_money, record, address_of("case", record.case_id))


@form_for("handle_cases")
def reverse_authorisation(request, said_id: int):
    """The supplier did not authorise it after all."""
    record = get_object_or_404(scoped(Authorisation.objects.all(), request.user), pk=said_id)
    title = f"Take back: {plain(record.quantity)} authorised under {record.reference}"
    return reversal_page(request, title, take_back_authorisation, record, address_of("case", record.case_id))


@form_for("handle_cases")
def ask_about(request, case_id: int):
    """Write to whoever owes something for a case; the letter is shown before it goes."""
    record = _case(request, case_id)
    form = AskForm(request.POST or None, initial={"answer_by": timezone.localdate() + ask.USUAL})
    if request.method == "POST" and form.do(request, ask.ask, lambda _: form.asked(record.pk)):
        messages.success(request, f"Written to {record.against}.")
        return redirect("case", record.pk)
    day = form.cleaned_data.get("answer_by") if form.is_bound and hasattr(form, "cleaned_data") else None
    shown = ask.AskRequest(record.pk, day or timezone.localdate() + ask.USUAL)
    # The link is made when the letter goes.
    letter = ask.body_of(act_of(request), shown, record).replace(ask.LINK, "(their own link)")
    context = {"case": record, "form": form, "letter": letter}
    return render(request, "claims/ask.html", context, status=422 if form.errors else 200)


@open_page
def claim_pdf(request, case_id: int):
    """The papers of a claim as one PDF."""
    record = _case(request, case_id)
    return file_answer(claim_paper(record), f"case-{record.pk}.pdf")


@acts_for("handle_cases")
@require_POST
def credit_rest(request, said_id: int):
    """What is not ordered anew of an authorisation is credited after all; said again, it is not so."""
    record = get_object_or_404(scoped(Authorisation.objects.all(), request.user), pk=said_id)
    try:
        credit_instead(act_of(request, request.POST.get("key", "")), InsteadRequest(record.pk))
    except Refused as refused:
        messages.error(request, str(refused))
    return redirect("case", record.case_id)


@acts_for("handle_cases")
def replacements(request):
    """Goods that suppliers owe in the place of failed ones; of one supplier they become an order together."""
    mine = Authorisation.objects.filter(company__in=companies_of(request.user))
    owed = replacements_owed(mine)
    of_case = key_of(request.GET.get("case", ""))
    if of_case:
        here = {head_of(one) for one in owed if one.case_id == of_case}
        owed = [one for one in owed if head_of(one) in here]
    groups: dict[tuple, list[Authorisation]] = {}
    for one in owed:
        groups.setdefault(head_of(one), []).append(one)
    chosen = request.POST.get("of", "")
    forms = []
    for head, rows in groups.items():
        name = "-".join(str(one) for one in head)
        form = MakeGoodForm(request.POST if name == chosen else None, owed=rows, prefix=None)
        if name == chosen and (made := form.do(request, make_good, lambda _, form=form: form.asked())):
            messages.success(request, "The order is a draft; each case keeps its part of it.")
            return redirect("order", made)
        forms.append((name, rows, form))
    status = 422 if any(form.errors for _, _, form in forms) else 200
    return render(request, "claims/replacements.html", {"groups": forms, "of_case": of_case}, status=status)
