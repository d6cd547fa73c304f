"""Write to whoever owes something for a case: what was found, what is claimed, by when an answer is wanted."""

from dataclasses import dataclass
from datetime import date, timedelta

from django.template.loader import render_to_string

from northing.access.acts import Act
from northing.actions.claims.authorise import case_links, locked_case
from northing.actions.confirmations.supplier_links import LINK
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, once
from northing.claims import operations as claims
from northing.claims.models import Claim
from northing.claims.queries import open_claims
from northing.core.problems import Problem, refuse_if
from northing.drawings.figures import money
from northing.masterdata.models import Party
from northing.messaging import mail
from northing.worklist.queries import open_matters

# An answer is wanted within so many days, unless another day is said.
USUAL = timedelta(days=7)
LONGEST = timedelta(days=365)


@dataclass(frozen=True)
class AskRequest:
    """A case (its id), our own words beside its facts, and the day by which they are to answer."""

    case: int
    answer_by: date
    words: str = ""


@once
def ask(act: Act, request: AskRequest) -> int:
    """Mail the facts of a case with its paper; it is their move until the day. Returns the case's id."""
    case = locked_case(request.case)
    act.require("handle_cases", case.company_id)
    refuse_if(_problems(act, request, case))
    _send(act, request, case)
    claims.mark_asked(case, act.today, request.answer_by)
    _told(act, case, f"Asked {case.against}, to answer by {request.answer_by:%-d %b %Y}", "ask_about_case")
    return case.pk


def _told(act: Act, case: Claim, text: str, action: str) -> None:
    add_history(act, action, text, case_links(case), shared=case.against_id == case.supplier_id)
    bring_along(cases=[case.pk])


def due_reminders(today: date) -> list[Claim]:
    """Cases whose other side did not answer in time, and is to be reminded today by the rule of its record."""
    found = Claim.objects.filter(withdrawn_at=None, answer_by__lt=today, against__remind_days__isnull=False)
    found = found.exclude(against__email="").filter(pk__in=open_matters("case"))
    return list(found.select_related("against").order_by("pk"))


def remind(act: Act, key: int) -> None:
    """Write once more about a case (id), by rule; it is their move for so many days again."""
    case = locked_case(key)
    if case.answer_by is None or case.answer_by >= act.today or not case.against.remind_days:
        return
    answer_by = act.today + timedelta(days=case.against.remind_days)
    request = AskRequest(case.pk, answer_by, f"We have had no answer by {case.answer_by:%-d %b %Y}.")
    _send(act, request, case)
    claims.mark_asked(case, act.today, answer_by, reminded=True)
    _told(act, case, f"Reminded {case.against} by rule, to answer by {answer_by:%-d %b %Y}", "remind_of_case")


def _send(act: Act, request: AskRequest, case: Claim) -> None:
    draft = mail.Draft(
        kind="case",
        recipient=case.against.email,
        subject=f"{case.layer.item.code}: {case.get_kind_display().lower()}, {case.reason}"[:200],
        body=body_of(act, request, case),
        company=case.company_id,
        supplier=case.against_id,
        papers=[("claim", case.pk)],
    )
    mail.write(act, draft)


def body_of(act: Act, request: AskRequest, case: Claim) -> str:
    """The letter as it goes, but for the address of the link."""
    claimed = [
        f"{currency} {money(amount, currency)}"
        for (_, party, currency), (amount, _) in open_claims([case.pk]).items()
        if party == case.against_id and amount > 0
    ]
    context = {"case": case, "line": case.line, "person": act.person, "words": " ".join(request.words.split())[:500]}
    context |= {"claimed": " and ".join(claimed), "answer_by": request.answer_by}
    # Through the link a supplier answers about goods of its orders.
    context["link"] = LINK if case.against.kind == Party.Kind.SUPPLIER and not case.of_no_order else ""
    return render_to_string("letters/case.txt", context)


def _problems(act: Act, request: AskRequest, case: Claim) -> list[Problem]:
    found = []
    if case.withdrawn_at:
        found.append(Problem("This case never was: what opened it is reversed."))
    if not case.against.email:
        what = f"{case.against} has no mail address."
        found.append(Problem(what, mend="Enter it in its record.", record=("party", case.against_id)))
    if not act.today <= request.answer_by <= act.today + LONGEST:
        found.append(
            Problem("The day is past, or more than a year away.", "answer_by", "Choose a later or nearer day.")
        )
    return found
