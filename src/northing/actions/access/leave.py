"""A person leaves: the account is closed, every way in ends, and open work goes to another person."""

from collections.abc import Sequence
from dataclasses import dataclass

from django.db.models import F

from northing.access import operations
from northing.access.acts import Act
from northing.access.models import Person
from northing.access.permissions import grants_with, may, require_house
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, once
from northing.claims import operations as claims
from northing.claims.models import Claim
from northing.core.problems import Problem, Refused, refuse_if
from northing.masterdata.models import Company
from northing.orders import operations as orders
from northing.orders.models import Instalment, PurchaseOrder
from northing.shipping import operations as shipping
from northing.shipping.models import RequiredDocument


@dataclass(frozen=True)
class CloseRequest:
    """The person (id) whose account is closed, and the person (id) who gets the open work, where there is any."""

    person: int
    successor: int | None = None


@dataclass(frozen=True)
class OpenWork:
    """The open work of a person: orders, cases and papers due that are theirs."""

    orders: Sequence[PurchaseOrder]
    cases: Sequence[Claim]
    papers: Sequence[RequiredDocument]

    @property
    def is_any(self) -> bool:
        """Whether there is something to hand over."""
        return bool(self.orders or self.cases or self.papers)

    @property
    def companies(self) -> set[int]:
        """The companies (ids) whose orders and cases they are."""
        return {one.company_id for one in (*self.orders, *self.cases)}


def open_work(person: Person) -> OpenWork:
    """Return what is a person's own and still open: drafts and orders with open lines, cases, papers due."""
    open_orders = PurchaseOrder.objects.filter(buyer=person).exclude(
        pk__in=PurchaseOrder.objects.filter(sent_at__isnull=False).exclude(lines__summary__is_open=True).values("pk")
    )
    return OpenWork(
        list(open_orders.order_by("pk")),
        list(Claim.objects.filter(looked_after_by=person, withdrawn_at=None, ended__lt=F("quantity")).order_by("pk")),
        list(RequiredDocument.objects.filter(owner=person, done_on=None).order_by("pk")),
    )


@once
def close_account(act: Act, request: CloseRequest) -> int:
    """Close an account: sessions, tokens, calendars, passkeys and roles end; open work is handed over.

    It takes the right to keep people in every company where the person has a role, and of one without a role, or who
    keeps the house, the right of the house.
    """
    person = Person.objects.select_for_update(of=("self",)).filter(pk=request.person, supplier_person=None).first()
    if person is None or not person.is_active:
        raise Refused(Problem("This account is closed already.", "person"))
    companies = sorted(set(person.grants.values_list("company", flat=True)))
    if person.keeps_house or not companies:
        require_house(act.person)
    act.require("keep_people", *companies)
    if person.pk == act.person.pk:
        raise Refused(Problem("Another person closes your account.", "person"))
    work = open_work(person)
    successor = Person.objects.filter(pk=request.successor, is_active=True, supplier_person=None).first()
    refuse_if(_handing_problems(person, successor, work))
    person.is_active = False
    operations.close_person(person, act.at)
    ended = shipping.end_calendars_of(person, act.at)
    refuse_if(_left_problems(companies))
    if successor is not None:
        _hand_over(act, work, successor)
    to = f"; {_counted(work)} went to {successor}" if work.is_any else ""
    calendars = f", {ended} calendars of arrivals ended" if ended else ""
    words = f"Closed the account of {person}: sessions, tokens, passkeys and roles ended{calendars}{to}"
    add_history(act, "close_account", words, [("person", person.pk, company) for company in companies or [None]])
    return person.pk


def _handing_problems(person: Person, successor: Person | None, work: OpenWork) -> list[Problem]:
    if not work.is_any:
        return []
    if successor is None or successor.pk == person.pk:
        return [Problem(f"{_counted(work)} are {person}'s.", "successor", "Choose the person who gets them.")]
    return [
        Problem(f"{successor} may not write orders for {company}.", "successor", "Choose another person.")
        for company in Company.objects.filter(pk__in={order.company_id for order in work.orders})
        if not may(successor, "write_order", company.pk)
    ]


def _left_problems(companies: Sequence[int]) -> list[Problem]:
    # Locked, so that two who close each other's accounts at once do not both succeed.
    found = []
    for company in Company.objects.select_for_update().filter(pk__in=companies).order_by("pk"):
        if not grants_with("keep_people", [company.pk]).filter(person__is_active=True).exists():
            found.append(Problem(f"No one would be left who keeps people in {company}.", "person"))
    if not Person.objects.filter(keeps_house=True, is_active=True).exists():
        found.append(Problem("No one would be left who keeps the house.", "person", "Give it to another first."))
    return found


def _hand_over(act: Act, work: OpenWork, successor: Person) -> None:
    for order in work.orders:
        orders.mark_change(order, buyer=successor)
        words = f"{order.number} is {successor}'s now"
        add_history(act, "assign_buyer", words, [("order", order.pk, order.company_id)])
    for case in work.cases:
        claims.look_after(case, successor)
    shipping.own_papers([paper.pk for paper in work.papers], successor)
    parts = Instalment.objects.filter(line__order__in=work.orders).values_list("pk", flat=True)
    shipments = {paper.shipment_id for paper in work.papers}
    bring_along(
        orders=[order.pk for order in work.orders],
        instalments=list(parts),
        cases=[case.pk for case in work.cases],
        shipments=list(shipments),
    )


def _counted(work: OpenWork) -> str:
    parts = ((work.orders, "order", "orders"), (work.cases, "case", "cases"), (work.papers, "paper due", "papers due"))
    return " and ".join(f"{len(some)} {word if len(some) == 1 else words}" for some, word, words in parts if some)
