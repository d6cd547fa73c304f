"""Forms of one's own account."""

from allauth.account.forms import ChangePasswordForm
from django import forms


class PasswordForm(ChangePasswordForm):
    """A new password, with the present one."""

    def __init__(self, *args, **kwargs):
        super().__init__(*args, **kwargs)
        labels = {"oldpassword": "Present password", "password1": "New password", "password2": "New password again"}
        for name, label in labels.items():
            self.fields[name].label = label
            self.fields[name].widget.attrs.pop("placeholder", None)
            self.fields[name].help_text = ""


class TokenForm(forms.Form):
    """A token of the API."""

    name = forms.CharField(max_length=60)
    scopes = forms.MultipleChoiceField(widget=forms.CheckboxSelectMultiple, label="It may")
    days = forms.IntegerField(min_value=1, max_value=366, initial=90, label="Days it lives")

    def __init__(self, *args, scopes, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["scopes"].choices = scopes
