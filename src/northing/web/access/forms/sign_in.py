"""Signing in: name, password, the second factor where there is one; locked after too many wrong ones."""

import time
from datetime import timedelta

from django import forms
from django.contrib.auth.forms import AuthenticationForm
from django.core.exceptions import ValidationError
from django.utils import timezone

from northing.access import operations
from northing.access.models import Person, Refusal
from northing.core.access.second_factor import step_of
from northing.web.common.callers import caller_of

# Wrong ones within the time: of one name, and from one address.
MOST_OF_NAME, MOST_OF_ADDRESS, WITHIN = 5, 30, timedelta(minutes=15)


class SignInForm(AuthenticationForm):
    """The form of the sign-in page."""

    code = forms.CharField(max_length=10, required=False)
    error_messages = {
        "invalid_login": "Name and password do not match. Check both; capitals count.",
        "inactive": "Name and password do not match. Check both; capitals count.",
    }

    def clean(self):
        name = (self.cleaned_data.get("username") or "").lower()
        doors = {f"name {name}"[:160]: MOST_OF_NAME, f"from {caller_of(self.request)}": MOST_OF_ADDRESS}
        since = timezone.now() - WITHIN
        for channel, most in doors.items():
            if Refusal.objects.filter(channel=channel, at__gt=since).count() >= most:
                # The right password is not even looked at: a guesser learns nothing while it is locked.
                raise ValidationError("Too many wrong tries. Wait a quarter of an hour, then try again.", code="locked")
        try:
            cleaned = super().clean()
            self._second_factor()
        except ValidationError as error:
            if error.code != "wanted":
                now = timezone.now()
                operations.note_refusals(doors, now)
            raise
        return cleaned

    def _second_factor(self) -> None:
        person = self.get_user()
        if person is None or not person.factor_secret:
            return
        code = (self.cleaned_data.get("code") or "").replace(" ", "")
        if not code:
            raise ValidationError("Enter the six digits of your second factor.", code="wanted")
        person = Person.objects.get(pk=person.pk)
        step = step_of(person.factor_secret, code, time.time(), person.factor_step)
        # A person who of two is first has it: a code opens once.
        if step is None or not operations.use_step(person, step):
            raise ValidationError("This code is not right, or was used already. Wait for the next.", code="factor")

    @property
    def wants_code(self) -> bool:
        """Whether the page shows the field for the code."""
        codes = {error.code for error in self.errors.as_data().get("__all__", [])}
        return bool({"wanted", "factor"} & codes)


class TokenForm(forms.Form):
    """A token of the API."""

    name = forms.CharField(max_length=60)
    scopes = forms.MultipleChoiceField(widget=forms.CheckboxSelectMultiple, label="It may")
    days = forms.IntegerField(min_value=1, max_value=366, initial=90, label="Days it lives")

    def __init__(self, *args, scopes, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["scopes"].choices = scopes
