"""Adapters of django-allauth and django-axes: words, history, letters, keys at rest, the page of a locked name."""

from datetime import timedelta

import segno
from allauth.account.adapter import DefaultAccountAdapter
from allauth.core.internal import ratelimit
from allauth.mfa.adapter import DefaultMFAAdapter
from axes.models import AccessFailureLog
from cryptography.fernet import InvalidToken
from django.conf import settings
from django.contrib import messages
from django.db import transaction
from django.urls import reverse
from django.utils import timezone

from northing.access.acts import Act
from northing.access.ciphers import cipher_for
from northing.access.models import Person
from northing.access.operations import end_tokens_of, forget_ended_tries
from northing.activity.operations import add_history
from northing.database.connections import one_at_a_time
from northing.messaging import mail
from northing.web.common.callers import address_of
from northing.web.common.logs import say_event

LOCKED = "Too many wrong tries. Wait a quarter of an hour or longer, or ask an administrator to lift the lock."
LOCK, LONGEST_LOCK = timedelta(minutes=15), timedelta(hours=8)
WRONG_CODE = "This code is not right, or was used already. Wait for the next one, or use a recovery code."
OTHER_KEY = "This second factor was set up under another secret key. Ask an administrator to let you in."
PASSWORDS = {"app": "allauth.account", "action": "password", "config": {"password": settings.WRONG_PASSWORDS}}
# What a person does to their own sign-in, by the name allauth gives the notice: the action and its words.
CHANGES = {
    "account/email/password_changed": ("set_password", "Changed the password"),
    "mfa/email/totp_activated": ("set_factor", "Set up an authenticator app as second factor"),
    "mfa/email/totp_deactivated": ("set_factor", "Removed the authenticator app"),
    "mfa/email/recovery_codes_generated": ("set_factor", "Made new recovery codes"),
    "mfa/email/webauthn_added": ("set_factor", "Added a passkey"),
    "mfa/email/webauthn_removed": ("set_factor", "Removed a passkey"),
}
LETTER = """{words}: {person}, {at}, from {caller}.

If this was not you, end your sessions and change your password at {url}, and tell an administrator.
"""


class AccountAdapter(DefaultAccountAdapter):
    """Accounts in our words; what a person changes goes into the history and, where they have an address, by letter."""

    error_messages = DefaultAccountAdapter.error_messages | {
        "username_password_mismatch": "Name and password do not match. Check both; capitals count in the password.",
        "too_many_login_attempts": LOCKED,
        "rate_limited": LOCKED,
        "incorrect_password": "This is not your password.",
        "enter_current_password": "This is not your password.",
    }

    def is_open_for_signup(self, request) -> bool:
        """There is no sign-up: people are added under People and roles."""
        return False

    def get_client_ip(self, request) -> str:
        """The address that limits count by and sessions show."""
        return address_of(request)

    def get_password_change_redirect_url(self, request) -> str:
        """Back to the account."""
        return reverse("account")

    def add_message(self, request, level, message_template=None, message_context=None, extra_tags="", message=None):
        """Only errors are said here; what a person did is said by `send_notification_mail`."""
        if message:
            super().add_message(request, level, message=message)

    def pre_authenticate(self, request, **credentials) -> None:
        """Count a try against the limits of its address and of its name; a right password takes it back."""
        self._login_failed_rl_usage = ratelimit.consume(
            request, **PASSWORDS, key=self._get_login_attempts_cache_key(request, **credentials)
        )
        if not self._login_failed_rl_usage:
            raise self.validation_error("too_many_login_attempts")

    def forget_tries(self, request, username: str) -> None:
        """Forget the wrong passwords of a name, from wherever they came."""
        ratelimit.clear(request, **PASSWORDS, key=self._get_login_attempts_cache_key(request, username=username))

    def authenticate(self, request, **credentials):
        """Look at one try of a name at a time: many guesses at once are counted like one after the other.

        A locked name learns that it is locked, and nothing about the password.
        """
        with one_at_a_time("sign-in", (credentials.get("username") or "").lower()):
            # Each try counts until its own end; axes itself looks at them only when a person has signed in.
            forget_ended_tries(timezone.now())
            person = super().authenticate(request, **credentials)
        name = (credentials.get("username") or "").lower()[:150]
        say_event("signed in" if person else "sign-in refused", name=name)
        if person is None and getattr(request, "axes_locked_out", False):
            raise self.validation_error("too_many_login_attempts")
        return person

    @transaction.atomic
    def send_notification_mail(self, template_prefix, user, context=None, email=None) -> None:
        """Write a change to the history, say it, and write to the person."""
        if template_prefix not in CHANGES:
            return
        action, words = CHANGES[template_prefix]
        act = Act(Person.objects.get(pk=user.pk), timezone.now())
        if action == "set_password" and end_tokens_of(act.person, act.at):
            words += "; the tokens of the API ended"
        add_history(act, action, words, [("person", user.pk, None)])
        messages.success(self.request, f"{words}.")
        if user.email:
            at = timezone.localtime(act.at).strftime("%-d %b %Y %H:%M")
            caller, url = address_of(self.request), f"{settings.PUBLIC_URL}/access/account/"
            body = LETTER.format(words=words, person=user, at=at, caller=caller, url=url)
            mail.write(act, mail.Draft("account", user.email, f"{words} · Northing", body))


class FactorAdapter(DefaultMFAAdapter):
    """Second factors: keys are stored encrypted, and the QR code is drawn by segno."""

    error_messages = DefaultMFAAdapter.error_messages | {"incorrect_code": WRONG_CODE, "other_key": OTHER_KEY}

    def get_totp_label(self, user) -> str:
        """The name that an authenticator app shows beside the code."""
        return user.username

    def build_totp_svg(self, url: str) -> str:
        """The QR code of a key, to stand in the page."""
        return segno.make(url, error="m").svg_inline(scale=4, border=3, light="white")

    def encrypt(self, text: str) -> str:
        """Encrypt a key with one made from SECRET_KEY."""
        return cipher_for("factors").encrypt(text.encode()).decode()

    def decrypt(self, encrypted_text: str) -> str:
        """Decrypt a key. One of another installation is refused like a wrong code, in words that say why."""
        try:
            return cipher_for("factors").decrypt(encrypted_text.encode()).decode()
        except InvalidToken as error:
            raise self.validation_error("other_key") from error

    def generate_authenticator_name(self, user, type) -> str:
        """A name for a passkey that is given none."""
        return f"Passkey of {timezone.localdate():%-d %b %Y}"


def name_of_try(request, credentials=None) -> str:
    """The name that a try was for, however it was written."""
    return ((credentials or {}).get("username") or request.POST.get("login") or "").strip().lower()[:150]


def lock_lasts(request) -> timedelta:
    """How long a wrong try counts, and so how long a name stays locked at an address: twice as long after each lock of
    the last day.
    """
    if request is None:
        return LOCK
    tries = AccessFailureLog.objects.filter(username=name_of_try(request), ip_address=address_of(request))
    locks = tries.filter(locked_out=True, attempt_time__gte=timezone.now() - timedelta(days=1)).count()
    return min(LOCK * 2 ** min(locks, 10), LONGEST_LOCK)


def locked_page(request, response, credentials):
    """The page of the form, which says that the name is locked."""
    response.status_code = 429
    return response
