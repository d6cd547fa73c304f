"""Acts on many lines: their effect first, then the errand that does them, with what was refused and why."""

import hashlib
from dataclasses import dataclass
from pathlib import Path

from django.conf import settings
from django.http import Http404, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.desk.forms.base import act_of
from northing.desk.forms.book import BuyerForm, ManyForm, NeedByForm
from northing.desk.queries.book import effects
from northing.desk.views.book import chosen_lines, saved_file
from northing.papers import errands
from northing.papers.models import Errand

AT_ONCE = 20


@dataclass(frozen=True)
class Many:
    """An act on many lines: what its button says, the errand it becomes."""

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


@require_POST
def many(request, name: str):
    """First what it would do; then, confirmed, the errand."""
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
        errand = errands.begin(started, act.kind, title, asked, len(effect.keys), back, later)
        if not later:
            errands.run(errand.pk)
        return redirect("errand", errand.pk)
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
    return render(request, "desk/many.html", context, status=422 if form.is_bound and form.errors else 200)


def _said(entered: dict) -> dict:
    said = {}
    if "need_by" in entered:
        said["need_by"] = entered["need_by"].isoformat()
    if "person" in entered:
        said["person"] = entered["person"].pk
    return said


def errand(request, errand_id: int):
    """How far an errand is; survives a reload, and a restart of the worker."""
    record = get_object_or_404(Errand, pk=errand_id, person=request.user)
    if request.GET.get("as") == "json":
        refused = len(record.refused)
        return JsonResponse({"done": record.done, "total": record.total, "over": record.is_over, "refused": refused})
    return render(request, "desk/errand.html", {"errand": record})


def errand_file(request, errand_id: int):
    """The file that an errand made, for the person whose errand it was."""
    record = get_object_or_404(Errand, pk=errand_id, person=request.user, state=Errand.State.DONE)
    path = Path(settings.FILES) / record.file
    if not record.file or not path.exists():
        raise Http404
    return saved_file(path, f"northing-{record.pk}{path.suffix}")
