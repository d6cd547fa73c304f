"""Addresses that are told what happens."""

from django import forms
from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from northing.access.models import Grant
from northing.access.permissions import HOUSE, companies_of
from northing.actions.messaging import webhooks
from northing.messaging.models import Webhook, WebhookDelivery
from northing.messaging.webhooks import KINDS
from northing.web.common.forms import ActionForm
from northing.web.common.permissions import acts_for, form_for
from northing.web.orders.forms.orders import WholeForm


class HookForm(ActionForm):
    """An address and what it is told."""

    url = forms.CharField(label="Address", max_length=200)
    kinds = forms.MultipleChoiceField(
        label="It is told when", choices=list(KINDS.items()), widget=forms.CheckboxSelectMultiple
    )

    @staticmethod
    def asked(entered: dict) -> webhooks.HookRequest:
        """The address as a request."""
        return webhooks.HookRequest(entered["url"], tuple(entered["kinds"]))


def visible_hooks(person):
    """Addresses of people who may see nothing that this person may not: they hear about those people's companies."""
    elsewhere = Grant.objects.exclude(company__in=companies_of(person))
    return Webhook.objects.exclude(set_by__grants__in=elsewhere)


@form_for(HOUSE)
def hooks(request):
    """Addresses, what was told them lately, and a new one."""
    form = HookForm(request.POST or None)
    if request.method == "POST":
        made = form.do(request, webhooks.add_hook, form.asked)
        if made:
            messages.success(request, f"Its secret is {made['secret']}; it is shown this once.")
            return redirect("hooks")
    mine = visible_hooks(request.user)
    context = {
        "form": form,
        "hooks": mine.filter(ended_at=None).select_related("set_by").order_by("-pk"),
        "deliveries": WebhookDelivery.objects.filter(hook__in=mine).select_related("hook").order_by("-pk")[:50],
        "kinds": KINDS,
    }
    return render(request, "messaging/webhooks.html", context, status=422 if form.errors else 200)


@acts_for(HOUSE)
@require_POST
def end_hook(request, webhook_id: int):
    """Tell an address no more."""
    hook = get_object_or_404(visible_hooks(request.user), pk=webhook_id)
    form = WholeForm(request.POST)
    if form.do(request, webhooks.end_hook, lambda _: webhooks.EndRequest(hook.pk)):
        messages.success(request, "Webhook disabled.")
    for error in form.non_field_errors():
        messages.error(request, error)
    return redirect("hooks")
