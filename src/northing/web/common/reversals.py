"""The page on which a fact is reversed: what it is, and why it is undone."""

from collections.abc import Callable
from typing import Any

from django import forms
from django.contrib import messages
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone

from northing.access.acts import Act
from northing.actions.reversal import ReverseRequest
from northing.ledger.queries import posting_note
from northing.web.common.forms import ActionForm


def say_done(request, words: str, undo: str, *args: int) -> None:
    """Say that an act is done, with the way to undo it at once: the page by that name that reverses it."""
    messages.success(request, words, extra_tags=reverse(undo, args=args))


class ReasonForm(ActionForm):
    """Why a fact is undone."""

    reason = forms.CharField(max_length=120, label="Why")

    def reversing(self, record: int) -> Callable[[dict], ReverseRequest]:
        """The request to reverse a fact (its id), of what is entered."""
        return lambda entered: ReverseRequest(record, entered["reason"])


def reversal_page(request, title: str, action: Callable[[Act, ReverseRequest], Any], record, back: str):
    """Ask for the reason, then reverse `record`; later facts that stand on it are named with a link."""
    form = ReasonForm(request.POST or None)
    if request.method == "POST" and form.do(request, action, form.reversing(record.pk)):
        messages.success(request, f"Reversed{posting_note([record.company_id], timezone.localdate())}.")
        return redirect(back)
    context = {"title": title, "button": "Reverse", "form": form, "back": back}
    return render(request, "common/simple_form.html", context, status=422 if form.errors else 200)
