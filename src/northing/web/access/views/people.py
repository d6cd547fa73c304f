"""People and roles: who may do what, where, up to which amount."""

from allauth.account.decorators import reauthentication_required
from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from northing.access.models import Grant, Person
from northing.access.permissions import HOUSE, OF_LINKS, ROLES, WORDS, may, may_somewhere, permissions_of_roles
from northing.access.queries import scoped
from northing.actions.access import roles as roles_action
from northing.masterdata.models import Company
from northing.web.access.forms.people import GrantForm, LetInForm, PersonForm, RoleForm
from northing.web.common.forms import ActionForm, say_errors
from northing.web.common.history import history_for
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for, open_page


@open_page
def people(request):
    """Everybody who signs in, with their roles in the companies one sees."""
    return _page(request)


def _page(request, **forms):
    found = Person.objects.filter(supplier_person=None).order_by("username")
    page = page_of_rows(found, request.GET)
    grants: dict[int, list[Grant]] = {}
    mine = scoped(Grant.objects.select_related("company", "site"), request.user)
    for one in mine.filter(person__in=page.rows).order_by("company__code", "role"):
        grants.setdefault(one.person_id, []).append(one)
    companies = scoped(Company.objects.order_by("code"), request.user, "pk")
    company = companies.filter(code=request.GET.get("company", "")[:8]).first()
    roles = {
        role: permissions
        for role, permissions in permissions_of_roles(company.pk if company else None).items()
        if role not in OF_LINKS
    }
    of_company = set(company.roles.values_list("code", flat=True)) if company else set()
    context = {
        "page": page,
        "rows": [(person, grants.get(person.pk, [])) for person in page.rows],
        "grant_form": GrantForm(person=request.user),
        "person_form": PersonForm(person=request.user),
        "let_in_form": LetInForm(),
        "companies": companies,
        "company": company,
        "keeps_roles": (
            may(request.user, "keep_people", company.pk) if company else may_somewhere(request.user, HOUSE)
        ),
        "roles": [(role, role in of_company, role in of_company and role in ROLES) for role in roles],
        "matrix": [
            (permission, words, [(role, permission in permissions) for role, permissions in roles.items()])
            for permission, words in WORDS.items()
        ],
        "history": history_for(request, "role", 0),
    }
    wrong = any(form.errors for form in forms.values())
    return render(request, "access/people.html", context | forms, status=422 if wrong else 200)


@acts_for("keep_people", HOUSE)
@require_POST
def grant(request):
    """Give a role."""
    form = GrantForm(request.POST, person=request.user)
    return _saved(request, "grant_form", form, roles_action.grant, "The role is given.")


@acts_for("keep_people")
@require_POST
def end_grant(request, grant_id: int):
    """Take a role away."""
    record = get_object_or_404(scoped(Grant.objects.all(), request.user), pk=grant_id)
    return _said(
        request, roles_action.end_grant, lambda _: roles_action.EndRequest(record.pk), ActionForm(request.POST)
    )


@acts_for("keep_people", HOUSE)
@require_POST
def add_person(request):
    """Add a person."""
    form = PersonForm(request.POST, person=request.user)
    return _saved(request, "person_form", form, roles_action.add_person, "Added. Tell them the first password.")


@acts_for("keep_people")
@require_POST
@reauthentication_required(app="allauth.mfa")
def let_in(request):
    """Let a person in who lost the password or the second factor, after a confirmation of one's own."""
    words = "Done. Tell them the password; they change it on their account page."
    return _saved(request, "let_in_form", LetInForm(request.POST), roles_action.let_in, words)


@acts_for("keep_people", HOUSE)
@require_POST
def set_role(request):
    """Say what a role may do, in the house or in a company."""
    form = RoleForm(request.POST, person=request.user)
    return _said(request, roles_action.set_role, form.asked, form)


@acts_for(HOUSE)
@require_POST
@reauthentication_required(app="allauth.mfa")
def keep_house(request, person_id: int):
    """Give a person the right to keep the house, or take it."""
    keeps = request.POST.get("keeps") == "yes"
    asked = roles_action.HouseRequest(person_id, keeps)
    return _said(request, roles_action.keep_house, lambda _: asked, ActionForm(request.POST))


def _saved(request, name, form, action, words):
    """Do the action and say so, or show the page again with what the form (by its name there) refuses."""
    if form.do(request, action, form.asked):
        messages.success(request, words)
        return redirect("people")
    return _page(request, **{name: form})


def _said(request, action, asked, form):
    if form.do(request, action, asked):
        messages.success(request, "Done.")
    say_errors(request, form)
    return redirect("people")
