"""Addresses of the step: access."""

from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.views import LoginView, LogoutView
from django.urls import path

from northing.web.access.forms.sign_in import SignInForm
from northing.web.access.views import account, people
from northing.web.common.permissions import own_page

SIGN_IN = LoginView.as_view(template_name="access/sign_in.html", authentication_form=SignInForm)

urlpatterns = [
    path("sign-in/", own_page(login_not_required(SIGN_IN)), name="sign-in"),
    path("sign-out/", own_page(LogoutView.as_view()), name="sign-out"),
    path("account/", account.account, name="account"),
    path("account/sessions/<int:sign_in_id>/end/", account.end_session, name="end-session"),
    path("account/password/", account.set_password, name="set-password"),
    path("account/factor/", account.set_factor, name="set-factor"),
    path("account/tokens/", account.new_token, name="new-token"),
    path("account/tokens/<int:token_id>/end/", account.revoke_token, name="end-token"),
    path("people/", people.people, name="people"),
    path("people/grant/", people.grant, name="grant"),
    path("people/grants/<int:grant_id>/end/", people.end_grant, name="end-grant"),
    path("people/add/", people.add_person, name="add-person"),
    path("people/role/", people.set_role, name="set-role"),
]
