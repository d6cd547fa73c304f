"""Our answer to theirs: accept, counter or refuse, one or many, each by one key."""

import uuid
from datetime import date

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.actions.confirmations import answers as answers_action
from northing.confirmations.models import Answer
from northing.core.problems import Refused
from northing.jobs import jobs
from northing.orders.models import Instalment
from northing.web.common.back import way_back
from northing.web.common.forms import act_of
from northing.web.common.paging import page_of
from northing.web.common.permissions import acts_for, form_for, open_page
from northing.web.confirmations.forms.answers import AnswersForm
from northing.web.confirmations.queries.answers import waiting
from northing.web.orders.views.orders import seen_order

AT_ONCE = 20
WORDS = {"accept": "Accepted", "counter": "Proposed what was asked", "refuse": "Refused"}


@open_page
def answers(request):
    """All the answers that wait for us."""
    mine = companies_of(request.user)
    page = page_of(lambda first, past: waiting(mine, first, past), request.GET)
    return render(request, "confirmations/answers.html", {"rows": page.rows, "page": page, "key": uuid.uuid4().hex})


@acts_for("decide_answer")
@require_POST
def decide_many(request):
    """One decision on one answer, or on all that were picked."""
    word = next((word for word in WORDS if word in request.POST), "")
    try:
        keys = _keys(request, word)
        counter_on = _day(request.POST.get("counter_on", "")) if word == "counter" else None
        if len(keys) > AT_ONCE:
            return _later(request, word, keys, counter_on)
        _decide(request, word, keys, counter_on)
    except Refused as refused:
        for problem in refused.problems:
            messages.error(request, str(problem))
    return way_back(request, "answers")


def _keys(request, word: str) -> list[int]:
    """The answers that are meant, of those the person may see."""
    if not word:
        raise Refused("Say whether you accept, counter or refuse.")
    value = request.POST[word]
    texts = request.POST.getlist("pick") if value == "picked" else [value]
    keys = [int(text) for text in texts if text.isascii() and text.isdigit() and len(text) < 16][:1_000]
    seen = scoped(Answer.objects.filter(pk__in=keys), request.user, "instalment__line__order__company")
    found = list(seen.order_by("pk").values_list("pk", flat=True))
    if not found:
        raise Refused("No answer is picked.")
    return found


def _day(text: str) -> date | None:
    try:
        return date.fromisoformat(text) if text else None
    except ValueError:
        raise Refused(f"{text[:20]!r} is not a day.") from None


def _decide(request, word: str, keys: list[int], counter_on: date | None) -> None:
    done = 0
    for key in keys:
        try:
            act = act_of(request, f"{request.POST.get('key', '')}:{key}")
            answers_action.decide_answer(act, answers_action.decision(key, word, counter_on))
            done += 1
        except Refused as refused:
            for problem in refused.problems:
                messages.error(request, str(problem))
    if done:
        messages.success(request, f"{WORDS[word]}: {done} answer{'s' if done > 1 else ''}.")


def _later(request, word: str, keys: list[int], counter_on: date | None):
    """Many at once are the worker's."""
    asked = {"keys": keys, "word": word, "counter_on": counter_on.isoformat() if counter_on else ""}
    act = act_of(request, request.POST.get("key", "") or timezone.now().isoformat())
    job = jobs.begin(act, "decide_answers", f"{WORDS[word]}: {len(keys)} answers", asked, len(keys), "/confirmations/")
    return redirect("job", job.pk)


@form_for("record_answer")
def answer(request, order_id: int):
    """Record the supplier's answer."""
    record = seen_order(request, order_id)
    found = Instalment.objects.filter(line__order=record).select_related("line__item", "line__order", "position")
    parts = [part for part in found if part.position.with_supplier == part.quantity or _can_be_confirmed(part)]
    if "as_asked" in request.POST:
        form = AnswersForm.as_asked(request.POST.get("key", ""), parts)
    else:
        form = AnswersForm(request.POST or None, parts=parts, initial={"answered_on": timezone.localdate()})
    if request.method == "POST" and form.do(request, answers_action.record_answers, lambda _: form.asked(record.pk)):
        messages.success(request, f"The answer to {record.number} is recorded.")
        return redirect("order", record.pk)
    return render(
        request, "confirmations/answer.html", {"order": record, "form": form}, status=422 if form.errors else 200
    )


def _can_be_confirmed(part: Instalment) -> bool:
    """Whether goods are on their way that were never answered."""
    return part.agreed_quantity < part.quantity and part.position.dropped < part.quantity


@acts_for("decide_answer")
@require_POST
def decide(request, answer_id: int):
    """Accept or refuse what differs."""
    found = Answer.objects.select_related("instalment__line__order")
    record = get_object_or_404(scoped(found, request.user, "instalment__line__order__company"), pk=answer_id)
    decision = request.POST.get("decision")
    accept = decision == "accept"
    try:
        if decision not in ("accept", "refuse"):
            raise Refused("Say whether you accept or refuse this answer.")
        answers_action.decide_answer(
            act_of(request, request.POST.get("key", "")), answers_action.Decision(record.pk, accept)
        )
        messages.success(request, "Accepted." if accept else "Refused: what was asked stands.")
    except Refused as refused:
        for problem in refused.problems:
            messages.error(request, str(problem))
    return way_back(request, "order", record.instalment.line.order_id)
