"""Addresses of the step: access. The names with `account_` and `mfa_` are those django-allauth asks for."""

from allauth.account import views as accounts
from allauth.mfa.base import views as factors
from allauth.mfa.recovery_codes import views as recovery_codes
from allauth.mfa.totp import views as authenticators
from allauth.mfa.webauthn import views as passkeys
from django.contrib.auth.decorators import login_not_required
from django.urls import path, reverse_lazy
from django.views.generic import RedirectView, TemplateView

from northing.web.access.views import account, people
from northing.web.common.permissions import open_page, own_page


def _own(view, page: str = ""):
    """A page of allauth in our looks, for the person who has signed in."""
    return own_page(view.as_view(template_name=f"access/{page}.html") if page else view.as_view())


def _entrance(view, page: str):
    """A page for who has not signed in yet."""
    return login_not_required(_own(view, page))


BACK = open_page(RedirectView.as_view(url=reverse_lazy("account")))
REMOVE_PASSKEY = own_page(
    passkeys.RemoveWebAuthnView.as_view(template_name="access/remove_factor.html", success_url=reverse_lazy("account"))
)

urlpatterns = [
    path("sign-in/", _entrance(accounts.LoginView, "sign_in"), name="account_login"),
    path("sign-in/code/", _entrance(factors.AuthenticateView, "second_factor"), name="mfa_authenticate"),
    path("sign-in/passkey/", _entrance(passkeys.LoginWebAuthnView, "sign_in"), name="mfa_login_webauthn"),
    path(
        "sign-in/closed/",
        login_not_required(open_page(TemplateView.as_view(template_name="access/closed.html"))),
        name="account_inactive",
    ),
    path("sign-out/", _own(accounts.LogoutView, "sign_out"), name="account_logout"),
    path("account/", account.account, name="account"),
    path("account/sessions/<int:session_id>/end/", account.end_session, name="end-session"),
    path("account/password/", _own(accounts.PasswordChangeView, "password"), name="account_change_password"),
    path("account/confirm/", _own(accounts.ReauthenticateView, "confirm"), name="account_reauthenticate"),
    path("account/confirm/code/", _own(factors.ReauthenticateView, "confirm"), name="mfa_reauthenticate"),
    path(
        "account/confirm/passkey/",
        _own(passkeys.ReauthenticateWebAuthnView, "confirm"),
        name="mfa_reauthenticate_webauthn",
    ),
    path("account/authenticator/", _own(authenticators.ActivateTOTPView, "authenticator"), name="mfa_activate_totp"),
    path(
        "account/authenticator/remove/",
        _own(authenticators.DeactivateTOTPView, "remove_factor"),
        name="mfa_deactivate_totp",
    ),
    path(
        "account/recovery-codes/",
        _own(recovery_codes.ViewRecoveryCodesView, "recovery_codes"),
        name="mfa_view_recovery_codes",
    ),
    path(
        "account/recovery-codes/new/",
        _own(recovery_codes.GenerateRecoveryCodesView, "new_recovery_codes"),
        name="mfa_generate_recovery_codes",
    ),
    path("account/passkeys/add/", _own(passkeys.AddWebAuthnView, "passkey"), name="mfa_add_webauthn"),
    path("account/passkeys/<int:pk>/remove/", REMOVE_PASSKEY, name="mfa_remove_webauthn"),
    path("account/factors/", BACK, name="mfa_index"),
    path("account/tokens/", account.new_token, name="new-token"),
    path("account/tokens/<int:token_id>/end/", account.revoke_token, name="end-token"),
    path("people/", people.people, name="people"),
    path("people/grant/", people.grant, name="grant"),
    path("people/grants/<int:grant_id>/end/", people.end_grant, name="end-grant"),
    path("people/add/", people.add_person, name="add-person"),
    path("people/let-in/", people.let_in, name="let-in"),
    path("people/<int:person_id>/house/", people.keep_house, name="keep-house"),
    path("people/<int:person_id>/leave/", people.leave, name="leave"),
    path("people/<int:person_id>/lock/", people.lift_lock, name="lift-lock"),
    path("tokens/", people.tokens, name="tokens"),
    path("tokens/<int:token_id>/end/", people.end_any_token, name="end-any-token"),
    path("people/role/", people.set_role, name="set-role"),
]
