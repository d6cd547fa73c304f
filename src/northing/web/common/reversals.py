"""The page on which a fact is reversed: what that does, in numbers, and why it is undone."""

from collections.abc import Callable
from typing import Any

from django import forms
from django.contrib import messages
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone

from northing.access.acts import Act
from northing.actions.effects import effects_of
from northing.actions.reversal import ReverseRequest
from northing.core.problems import Refused
from northing.ledger.queries import posting_note
from northing.web.common.forms import ActionForm, act_of, with_link

# In the address of a record's page: the step before it is reversed.
STEP = "reverse"


def say_done(request, words: str, undo: str, *args: int) -> None:
    """Say that an act is done, with the way to undo it: the page by that name on which it is reversed."""
    messages.success(request, words, extra_tags=f"{reverse(undo, args=args)}?{STEP}")


class ReasonForm(ActionForm):
    """Why a fact is undone."""

    reason = forms.CharField(max_length=120, label="Why")


def is_reversing(request) -> bool:
    """Whether a record's page was asked for the step before it is reversed, or for the reversal."""
    return request.method == "POST" or STEP in request.GET


def reversal_page(
    request,
    title: str,
    action: Callable[[Act, Any], Any],
    record,
    back: str,
    done: str = "",
    words: str = "",
    asked: Callable[[int, str], Any] = ReverseRequest,
    button: str = "Reverse it",
):
    """Show what reversing `record` does, in numbers, and ask for the reason; then reverse it and say what is `done`.

    Later facts that stand on it are named with a link, before anything is asked. `asked` makes the request of the
    record's id and the reason.
    """
    form = ReasonForm(request.POST or None)
    if request.method == "POST" and form.do(request, action, lambda entered: asked(record.pk, entered["reason"])):
        messages.success(request, done or f"Reversed{posting_note([record.company_id], timezone.localdate())}.")
        return redirect(back)
    context = {
        "title": title,
        "words": words,
        "form": form,
        "back": back,
        "refused": [],
        "effects": None,
        "button": button,
    }
    try:
        context["effects"] = effects_of(act_of(request), action, asked(record.pk, "tried"))
    except Refused as refused:
        context["refused"] = [with_link(problem) for problem in refused.problems]
    return render(request, "common/reverse.html", context, status=422 if form.errors else 200)
