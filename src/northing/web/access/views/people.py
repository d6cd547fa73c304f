"""People and roles: who may do what, where, up to which amount."""

from allauth.account.adapter import get_adapter
from allauth.account.decorators import reauthentication_required
from allauth.mfa.models import Authenticator
from allauth.usersessions.models import UserSession
from axes.models import AccessAttempt
from django.conf import settings
from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.access.models import ApiToken, Grant, Person
from northing.access.permissions import HOUSE, OF_LINKS, ROLES, WORDS, may, may_somewhere, permissions_of_roles
from northing.access.queries import scoped
from northing.actions.access import roles as roles_action
from northing.actions.access.leave import close_account, open_work
from northing.actions.access.tokens import end_token_of
from northing.core.problems import Refused
from northing.masterdata.models import Company
from northing.shipping.models import ArrivalCalendar
from northing.web.access.forms.people import GrantForm, LeaveForm, LetInForm, PersonForm, RoleForm
from northing.web.access.views.account import SCOPES
from northing.web.common.forms import ActionForm, act_of, say_errors
from northing.web.common.history import history_for
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for, form_for, open_page


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
    tried = AccessAttempt.objects.filter(failures_since_start__gte=settings.AXES_FAILURE_LIMIT)
    locked = set(tried.filter(username__in=[one.username for one in page.rows]).values_list("username", flat=True))
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
        "rows": [(person, grants.get(person.pk, []), person.username in locked) for person in page.rows],
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


@form_for("keep_people", HOUSE)
def leave(request, person_id: int):
    """Close an account: first what ends and what is handed over, in numbers, then the act."""
    person = get_object_or_404(Person, pk=person_id, supplier_person=None, is_active=True)
    work = open_work(person)
    form = LeaveForm(request.POST or None, leaving=person, work=work, person=request.user)
    if request.method == "POST" and form.do(request, close_account, form.asked):
        messages.success(request, f"The account of {person} is closed.")
        return redirect("people")
    context = {
        "person": person,
        "work": work,
        "form": form,
        "sessions": UserSession.objects.filter(user=person).count(),
        "tokens": person.tokens.filter(revoked_at=None).count(),
        "calendars": ArrivalCalendar.objects.filter(made_by=person, ended_at=None).count(),
        "factors": Authenticator.objects.filter(user=person).exclude(type="recovery_codes").count(),
        "grants": person.grants.count(),
    }
    return render(request, "access/leave.html", context, status=422 if form.errors else 200)


@acts_for("keep_people", HOUSE)
@require_POST
def lift_lock(request, person_id: int):
    """Lift the lock that wrong tries put on a name."""
    person = get_object_or_404(Person, pk=person_id, supplier_person=None)
    form = ActionForm(request.POST)
    if form.do(request, roles_action.lift_lock, lambda _: roles_action.LockRequest(person.pk)):
        get_adapter(request).forget_tries(request, person.username)
        messages.success(request, f"{person} may try again.")
    say_errors(request, form)
    return redirect("people")


@form_for(HOUSE)
def tokens(request):
    """Every token of the house that lives, with who made it, what it may do and when it was used last."""
    found = ApiToken.objects.filter(revoked_at=None, expires_at__gt=timezone.now()).select_related("person")
    page = page_of_rows(found.order_by("-pk"), request.GET)
    return render(request, "access/tokens.html", {"page": page, "scopes": SCOPES})


@acts_for(HOUSE)
@require_POST
def end_any_token(request, token_id: int):
    """End a token of any person."""
    get_object_or_404(ApiToken, pk=token_id)
    try:
        end_token_of(act_of(request), token_id)
        messages.success(request, "The token has ended.")
    except Refused as refused:
        messages.error(request, str(refused))
    return redirect("tokens")


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
