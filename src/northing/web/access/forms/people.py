"""Forms of people and roles."""

from django import forms

from northing.access.models import Person
from northing.access.permissions import OF_LINKS, WORDS, companies_of, permissions_of_roles
from northing.access.queries import people_who, scoped
from northing.actions.access import roles
from northing.actions.access.leave import CloseRequest
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
        self.fields["role"].choices = _roles_of(person)
        self.fields["company"].queryset = scoped(Company.objects.all(), person, "pk")
        self.choose_the_only_one("company")
        self.fields["site"].queryset = scoped(Site.objects.all(), person)

    def asked(self, entered: dict) -> roles.GrantRequest:
        """The grant."""
        site = entered["site"].pk if entered["site"] else None
        return roles.GrantRequest(entered["person"].pk, entered["company"].pk, entered["role"], site, entered["limit"])


def _roles_of(person) -> list[tuple[str, str]]:
    """The roles that are given in one of the person's companies; the action asks whether in that company."""
    companies = companies_of(person)
    roles = dict.fromkeys(role for company in (None, *companies) for role in permissions_of_roles(company))
    return [(role, role) for role in roles if role not in OF_LINKS]


class PersonForm(ActionForm):
    """A new person, with a first role."""

    ids = "new-person-%s"

    username = forms.CharField(label="Name to sign in by", max_length=40)
    first_name = forms.CharField(max_length=60)
    last_name = forms.CharField(max_length=60)
    email = forms.EmailField(required=False)
    password = forms.CharField(label="First password", widget=forms.PasswordInput, max_length=120)
    company = forms.ModelChoiceField(Company.objects.none(), required=False)
    role = forms.ChoiceField(label="First role", required=False)

    def __init__(self, *args, person, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["role"].choices = [("", "none yet"), *_roles_of(person)]
        self.fields["company"].queryset = scoped(Company.objects.all(), person, "pk")
        self.choose_the_only_one("company")

    def asked(self, entered: dict) -> roles.PersonRequest:
        """The person. A role without a company, or the other way round, is none."""
        company = entered.pop("company") if entered["role"] else None
        entered = {name: value for name, value in entered.items() if name not in ("key", "company")}
        return roles.PersonRequest(**entered, company=company.pk if company else None)


class LetInForm(ActionForm):
    """A new first password for a person."""

    ids = "let-in-%s"
    person = forms.ModelChoiceField(Person.objects.filter(supplier_person=None, is_active=True))
    password = forms.CharField(label="New first password", widget=forms.PasswordInput, max_length=120)

    def asked(self, entered: dict) -> roles.LetInRequest:
        """The person and the password."""
        return roles.LetInRequest(entered["person"].pk, entered["password"])


class LeaveForm(ActionForm):
    """Who gets the open work of a person who leaves."""

    successor = forms.ModelChoiceField(Person.objects.none(), required=False, label="Their open work goes to")

    def __init__(self, *args, leaving, work, person, **kwargs):
        super().__init__(*args, **kwargs)
        self.leaving = leaving
        if not work.is_any:
            del self.fields["successor"]
            return
        others = people_who("write_order", person) if work.orders else Person.objects.filter(supplier_person=None)
        self.fields["successor"].queryset = others.filter(is_active=True).exclude(pk=leaving.pk)

    def asked(self, entered: dict) -> CloseRequest:
        """The person, and who takes over."""
        successor = entered.get("successor")
        return CloseRequest(self.leaving.pk, successor.pk if successor else None)


class RoleForm(ActionForm):
    """The permissions of a role, of the house or of a company; or the end of a company's own."""

    code = forms.CharField(max_length=16)
    company = forms.ModelChoiceField(Company.objects.none(), required=False)
    permissions = forms.MultipleChoiceField(choices=WORDS.items(), required=False)
    as_the_house = forms.BooleanField(required=False)

    def __init__(self, *args, person, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["company"].queryset = scoped(Company.objects.all(), person, "pk")

    def asked(self, entered: dict) -> roles.RoleRequest:
        """The role."""
        permissions = None if entered["as_the_house"] else tuple(entered["permissions"])
        company = entered["company"]
        return roles.RoleRequest(entered["code"], permissions, company.pk if company else None)
