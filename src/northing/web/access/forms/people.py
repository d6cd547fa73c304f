"""Forms of people and roles."""

from django import forms

from northing.access.models import Person
from northing.access.permissions import OF_LINKS, WORDS, permissions_of_roles
from northing.access.queries import scoped
from northing.actions.access import roles
from northing.masterdata.models import Company, Site
from northing.web.common.forms import ActionForm, ExactField


class GrantForm(ActionForm):
    """A role for a person."""

    ids = "grant-%s"
    person = forms.ModelChoiceField(Person.objects.filter(supplier_person=None, is_active=True))
    role = forms.ChoiceField()
    company = forms.ModelChoiceField(Company.objects.none())
    site = forms.ModelChoiceField(Site.objects.none(), required=False, empty_label="all sites")
    limit = ExactField(label="Approves up to, in base currency", required=False)

    def __init__(self, *args, person, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["role"].choices = [(role, role) for role in permissions_of_roles() if role not in OF_LINKS]
        self.fields["company"].queryset = scoped(Company.objects.all(), person, "pk")
        self.fields["site"].queryset = scoped(Site.objects.all(), person)

    def asked(self, entered: dict) -> roles.GrantRequest:
        """The grant."""
        site = entered["site"].pk if entered["site"] else None
        return roles.GrantRequest(entered["person"].pk, entered["company"].pk, entered["role"], site, entered["limit"])


class PersonForm(ActionForm):
    """A new person."""

    username = forms.CharField(label="Name to sign in by", max_length=40)
    first_name = forms.CharField(max_length=60)
    last_name = forms.CharField(max_length=60)
    email = forms.EmailField(required=False)
    password = forms.CharField(label="First password", widget=forms.PasswordInput, max_length=120)

    def asked(self, entered: dict) -> roles.PersonRequest:
        """The person."""
        return roles.PersonRequest(**{name: value for name, value in entered.items() if name != "key"})


class LetInForm(ActionForm):
    """A new first password for a person."""

    ids = "let-in-%s"
    person = forms.ModelChoiceField(Person.objects.filter(supplier_person=None, is_active=True))
    password = forms.CharField(label="New first password", widget=forms.PasswordInput, max_length=120)

    def asked(self, entered: dict) -> roles.LetInRequest:
        """The person and the password."""
        return roles.LetInRequest(entered["person"].pk, entered["password"])


class RoleForm(ActionForm):
    """The permissions of a role."""

    code = forms.CharField(max_length=16)
    permissions = forms.MultipleChoiceField(choices=WORDS.items(), required=False)

    def asked(self, entered: dict) -> roles.RoleRequest:
        """The role."""
        return roles.RoleRequest(entered["code"], tuple(entered["permissions"]))
