"""One's own account: sessions, second factors, tokens of the API. Passwords and factors have pages of their own."""

from allauth.mfa.models import Authenticator
from allauth.usersessions.models import UserSession
from django.contrib import messages
from django.core.exceptions import ValidationError
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from northing.access.models import ApiToken
from northing.actions.access.tokens import TokenRequest, end_token, make_token
from northing.core.problems import Refused
from northing.web.access.forms.sign_in import TokenForm
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
    "bills": "book bills and pay",
}


@open_page
def account(request, token: str = "", form: TokenForm | None = None):
    """Sessions, second factors and tokens of the person."""
    factors = Authenticator.objects.filter(user=request.user).order_by("created_at")
    kinds = {kind: [factor for factor in factors if factor.type == kind] for kind in Authenticator.Type}
    codes = kinds[Authenticator.Type.RECOVERY_CODES]
    context = {
        "sessions": UserSession.objects.purge_and_list(request.user),
        "here": request.session.session_key,
        "authenticator": kinds[Authenticator.Type.TOTP],
        "passkeys": kinds[Authenticator.Type.WEBAUTHN],
        "codes_left": _left(codes[0]) if codes else None,
        "tokens": request.user.tokens.all()[:50],
        "token": token,
        "form": form or TokenForm(scopes=SCOPES.items(), initial={"scopes": ["read"]}),
        "history": history_for(request, "person", request.user.pk),
    }
    answer = render(request, "access/account.html", context, status=422 if form is not None and form.errors else 200)
    answer["Cache-Control"] = "no-store"
    return answer


def _left(codes: Authenticator) -> int:
    try:
        return len(codes.wrap().get_unused_codes())
    except ValidationError:
        # They were made under another secret key and open nothing any more.
        return 0


@own_page
@require_POST
def end_session(request, session_id: int):
    """End a session of one's own."""
    get_object_or_404(UserSession, pk=session_id, user=request.user).end()
    messages.success(request, "The session has ended.")
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
