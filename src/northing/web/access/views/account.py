"""One's own account: sessions, second factor, tokens of the API."""

import time

from django.contrib import messages
from django.contrib.auth import update_session_auth_hash
from django.contrib.auth.forms import PasswordChangeForm
from django.contrib.auth.signals import user_logged_in
from django.contrib.sessions.models import Session
from django.dispatch import receiver
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.access import operations
from northing.access.models import ApiToken, Person, SignIn
from northing.actions.access.tokens import TokenRequest, end_token, make_token
from northing.activity.operations import add_history
from northing.core.access.second_factor import address, new_secret, step_of
from northing.core.problems import Refused
from northing.web.access.forms.sign_in import TokenForm
from northing.web.common.callers import caller_of
from northing.web.common.forms import act_of
from northing.web.common.history import history_for
from northing.web.common.permissions import open_page, own_page

SCOPES = {
    "read": "read everything you see",
    "orders": "write, change and send orders",
    "confirmations": "record and decide answers",
    "documents": "attach documents",
    "suppliers": "keep suppliers and prices",
    "passage": "build shipments and enter voyages",
    "dock": "receive goods",
}


@receiver(user_logged_in)
def note_session(sender, request, user, **_) -> None:
    """Remember the session, so that its owner can see and end it."""
    if request.session.session_key is None:
        request.session.save()
    agent = request.headers.get("User-Agent", "")[:200]
    operations.note_sign_in(request.session.session_key, user, timezone.now(), caller_of(request), agent)


@open_page
def account(request, token: str = "", form: TokenForm | None = None, password_form: PasswordChangeForm | None = None):
    """Sessions, second factor and tokens of the person."""
    live = Session.objects.filter(expire_date__gt=timezone.now()).values("session_key")
    sessions = SignIn.objects.filter(person=request.user, session__in=live)
    secret = "" if request.user.factor_secret else request.session.setdefault("factor", new_secret())
    context = {
        "sessions": sessions,
        "here": request.session.session_key,
        "secret": secret,
        "factor_address": address(secret, request.user.username) if secret else "",
        "tokens": request.user.tokens.all()[:50],
        "token": token,
        "form": form or TokenForm(scopes=SCOPES.items(), initial={"scopes": ["read"]}),
        "password_form": password_form or PasswordChangeForm(request.user),
        "history": history_for(request, "person", request.user.pk),
    }
    wrong = any(one is not None and one.errors for one in (form, password_form))
    answer = render(request, "access/account.html", context, status=422 if wrong else 200)
    answer["Cache-Control"] = "no-store"
    return answer


@own_page
@require_POST
def end_session(request, sign_in_id: int):
    """End a session of one's own."""
    found = get_object_or_404(SignIn, pk=sign_in_id, person=request.user)
    operations.end_sign_in(found)
    messages.success(request, "The session has ended.")
    return redirect("account")


@own_page
@require_POST
def set_password(request):
    """Another password; it ends all other sessions."""
    form = PasswordChangeForm(request.user, request.POST)
    if not form.is_valid():
        return account(request, password_form=form)
    form.save()
    update_session_auth_hash(request, form.user)
    note_session(None, request, form.user)
    add_history(act_of(request), "set_password", "Changed the password", [("person", request.user.pk, None)])
    messages.success(request, "The password is changed. Your other sessions have ended.")
    return redirect("account")


@own_page
@require_POST
def set_factor(request):
    """Set the second factor up, once a code shows that it works; or take it away, with a code as well."""
    person = Person.objects.get(pk=request.user.pk)
    secret = person.factor_secret or request.session.get("factor", "")
    code = request.POST.get("code", "").replace(" ", "")[:10]
    step = step_of(secret, code, time.time(), person.factor_step) if secret and code else None
    if step is None:
        messages.error(request, "This code is not right. Look at the clock of your authenticator.")
        return redirect("account")
    on = not person.factor_secret
    operations.set_factor(person, secret if on else "", step)
    request.session.pop("factor", None)
    words = "Set up a second factor" if on else "Took the second factor away"
    add_history(act_of(request), "set_factor", words, [("person", person.pk, None)])
    messages.success(request, f"{words}.")
    return redirect("account")


@own_page
@require_POST
def new_token(request):
    """Make a token; it is shown once."""
    form = TokenForm(request.POST, scopes=SCOPES.items())
    if form.is_valid():
        entered = form.cleaned_data
        try:
            asked = TokenRequest(entered["name"], tuple(entered["scopes"]), entered["days"])
            return account(request, make_token(act_of(request), asked))
        except Refused as refused:
            form.add_error(None, str(refused))
    return account(request, form=form)


@own_page
@require_POST
def revoke_token(request, token_id: int):
    """End a token of one's own."""
    get_object_or_404(ApiToken, pk=token_id, person=request.user)
    try:
        end_token(act_of(request), token_id)
        messages.success(request, "The token has ended.")
    except Refused as refused:
        messages.error(request, str(refused))
    return redirect("account")
