"""People and roles: who may do what, where, up to which amount."""

from allauth.account.decorators import reauthentication_required
from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from northing.access.models import Grant, Person
from northing.access.permissions import OF_LINKS, WORDS, permissions_of_roles
from northing.access.queries import scoped
from northing.actions.access import roles as roles_action
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
    roles = permissions_of_roles()
    context = {
        "page": page,
        "rows": [(person, grants.get(person.pk, [])) for person in page.rows],
        "grant_form": GrantForm(person=request.user),
        "person_form": PersonForm(),
        "let_in_form": LetInForm(),
        "roles": [role for role in roles if role not in OF_LINKS],
        "matrix": [
            (
                permission,
                words,
                [(role, permission in permissions) for role, permissions in roles.items() if role not in OF_LINKS],
            )
            for permission, words in WORDS.items()
        ],
        "history": history_for(request, "role", 0),
    }
    wrong = any(form.errors for form in forms.values())
    return render(request, "access/people.html", context | forms, status=422 if wrong else 200)


@acts_for("keep_people")
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


@acts_for("keep_people")
@require_POST
def add_person(request):
    """Add a person."""
    form = PersonForm(request.POST)
    return _saved(request, "person_form", form, roles_action.add_person, "Added. Give them a role now.")


@acts_for("keep_people")
@require_POST
@reauthentication_required(app="allauth.mfa")
def let_in(request):
    """Let a person in who lost the password or the second factor, after a confirmation of one's own."""
    words = "Done. Tell them the password; they change it on their account page."
    return _saved(request, "let_in_form", LetInForm(request.POST), roles_action.let_in, words)


@acts_for("keep_people")
@require_POST
def set_role(request):
    """Say what a role may do."""
    form = RoleForm(request.POST)
    return _said(request, roles_action.set_role, form.asked, form)


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
