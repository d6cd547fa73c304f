"""The page on which a fact is reversed: what it is, and why it is undone."""

from collections.abc import Callable
from typing import Any

from django import forms
from django.contrib import messages
from django.shortcuts import redirect, render
from django.utils import timezone

from northing.access.acts import Act
from northing.ledger.queries import posting_note
from northing.web.common.forms import ActionForm


class ReasonForm(ActionForm):
    """Why a fact is undone."""

    reason = forms.CharField(max_length=120, label="Why")


def reversal_page(
    request, title: str, action: Callable[[Act, Any], Any], asked: Callable[[str], Any], back: str, company: int
):
    """Ask for the reason, then undo; what stands on the fact is said with a link. `asked` makes the request of it."""
    form = ReasonForm(request.POST or None)
    if request.method == "POST" and form.do(request, action, lambda entered: asked(entered["reason"])):
        messages.success(request, f"Reversed{posting_note([company], timezone.localdate())}.")
        return redirect(back)
    context = {"title": title, "button": "Reverse", "form": form, "back": back}
    return render(request, "common/simple_form.html", context, status=422 if form.errors else 200)
