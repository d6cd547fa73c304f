"""Acts on many lines: their effect first, then the job that does them, with what was refused and why."""

import hashlib
from dataclasses import dataclass

from django.http import Http404
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.jobs import jobs
from northing.web.common.forms import act_of
from northing.web.common.permissions import acts_by
from northing.web.orders.forms.lines import BuyerForm, ManyForm, NeedByForm
from northing.web.orders.line_book import effects
from northing.web.orders.views.lines import chosen_lines

AT_ONCE = 20


@dataclass(frozen=True)
class Many:
    """An act on many lines: what its button says, the job it becomes."""

    title: str
    button: str
    kind: str


MANY = {
    "accept": Many("Accept the answers of many lines", "Accept", "accept_answers"),
    "need-by": Many("One need-by date for many lines", "Set need-by", "set_need_by"),
    "chase": Many("Chase the suppliers of many lines", "Chase", "chase_lines"),
    "buyer": Many("Another buyer for many lines", "Hand over", "assign_buyer"),
}


def _form(request, name: str):
    data = request.POST if "key" in request.POST else None
    if name == "need-by":
        return NeedByForm(data)
    if name == "buyer":
        return BuyerForm(data, person=request.user)
    return ManyForm(data)


def _effect(name: str, lines: list[int]) -> effects.Effect:
    if name in ("accept", "chase"):
        return effects.accepting(lines) if name == "accept" else effects.chasing(lines)
    return effects.assigning(lines) if name == "buyer" else effects.needing(lines, timezone.localdate())


@acts_by("name", {"accept": "decide_answer", "need-by": "write_order", "chase": "chase", "buyer": "write_order"})
@require_POST
def many(request, name: str):
    """First what it would do; then, confirmed, the job."""
    if name not in MANY:
        raise Http404
    lines = chosen_lines(request)
    effect, form, act = _effect(name, lines), _form(request, name), MANY[name]
    back = reverse("lines") + "?" + request.POST.get("query", "").lstrip("?")
    # What was looked at is what is done: when the lines have changed since, the effect is shown again.
    seen = hashlib.sha256(repr(effect.keys).encode()).hexdigest()
    changed = form.is_bound and request.POST.get("seen") != seen
    if form.is_bound and form.is_valid() and effect.keys and not changed:
        title = f"{act.button}: {effect.says[0]}"
        asked = {"keys": effect.keys, **_said(form.cleaned_data)} | ({"lines": lines} if name == "chase" else {})
        started = act_of(request, form.cleaned_data["key"])
        later = len(effect.keys) > AT_ONCE
        job = jobs.begin(started, act.kind, title, asked, len(effect.keys), back, later)
        if not later:
            jobs.run(job.pk)
        return redirect("job", job.pk)
    context = {
        "form": form,
        "effect": effect,
        "act": act,
        "lines": lines,
        "back": back,
        "seen": seen,
        "changed": changed,
    }
    context |= {"all": request.POST.get("all") == "1", "query": request.POST.get("query", "")}
    return render(request, "orders/many.html", context, status=422 if form.is_bound and form.errors else 200)


def _said(entered: dict) -> dict:
    said = {}
    if "need_by" in entered:
        said["need_by"] = entered["need_by"].isoformat()
    if "person" in entered:
        said["person"] = entered["person"].pk
    return said
