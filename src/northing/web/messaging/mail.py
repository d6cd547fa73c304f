"""The mail server: where letters go, and whom they are from."""

from urllib.parse import urlsplit

from django import forms
from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from northing.access.permissions import HOUSE
from northing.actions.messaging import mail_server
from northing.messaging.mail_server import Outgoing, outgoing
from northing.messaging.models import MailServer
from northing.web.common.forms import ActionForm
from northing.web.common.permissions import acts_for, form_for
from northing.web.orders.forms.orders import WholeForm


class MailServerForm(ActionForm):
    """A mail server. The password is never shown; left empty, it stays."""

    host = forms.CharField(label="Mail server", max_length=253)
    port = forms.IntegerField(
        min_value=1, max_value=65535, widget=forms.TextInput({"inputmode": "numeric", "class": "figure"})
    )
    secure = forms.BooleanField(label="TLS from the start (port 465)", required=False)
    name = forms.CharField(label="Name to sign in with", max_length=200, required=False)
    password = forms.CharField(
        max_length=200, required=False, widget=forms.PasswordInput({"autocomplete": "new-password"}), strip=False
    )
    sender = forms.CharField(label="Letters are from", max_length=254)

    @staticmethod
    def asked(entered: dict) -> mail_server.MailServerRequest:
        """What was entered as a request."""
        words = {name: entered[name] for name in ("host", "port", "secure", "sender", "name", "password")}
        return mail_server.MailServerRequest(**words)


def _shown(server: Outgoing) -> dict:
    at = urlsplit(server.address)
    there = {"host": at.hostname, "port": at.port, "secure": at.scheme == "smtps"}
    return there | {"name": server.name, "sender": server.sender}


@form_for(HOUSE)
def mail_page(request):
    """Where letters go. A server is kept when it has taken a test letter to the person who enters it."""
    server = outgoing()
    form = MailServerForm(request.POST or None, initial=_shown(server))
    if request.method == "POST":
        said = form.do(request, mail_server.set_mail_server, form.asked)
        if said:
            messages.success(request, f"{said} All letters go there from now on.")
            return redirect("mail-server")
    entered = MailServer.objects.select_related("set_by").first()
    context = {"form": form, "server": server, "entered": entered if entered and entered.address else None}
    return render(request, "messaging/mail.html", context, status=422 if form.errors else 200)


@acts_for(HOUSE)
@require_POST
def use_environment(request):
    """Letters go to MAIL_URL again."""
    form = WholeForm(request.POST)
    address = form.do(request, mail_server.use_environment, lambda _: mail_server.EnvironmentRequest())
    if address:
        messages.success(request, f"Letters go to {address} again.")
    for error in form.non_field_errors():
        messages.error(request, error)
    return redirect("mail-server")
