"""Permissions by role, granted per company, or at one of its sites; and the right to keep the house.

The roles that ship are below; a row of `Role` says otherwise of one, or makes another, in the house or in one company.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal

from northing.core.problems import NotAllowed, Problem

WRITING = {"write_order", "check_order", "send_order", "record_answer", "decide_answer", "chase", "invite"}
ROLES: dict[str, set[str]] = {
    "expediter": WRITING | {"keep_supplier", "decide_goods", "handle_cases"},
    "buyer": {
        "write_order",
        "check_order",
        "send_order",
        "record_answer",
        "decide_answer",
        "keep_supplier",
        "decide_goods",
        "handle_cases",
    },
    "approver": {"approve_order", "send_order", "decide_answer", "decide_goods", "approve_bill"},
    "shipping": {"pack", "say_dates"},
    "costs": {"estimate_charge", "book_bill", "book_customs_entry", "enter_rate"},
    "dock": {"receive", "reverse_receipt", "issue_stock", "adjust_stock"},
    "inspector": {"inspect", "return_goods", "handle_cases"},
    "accounts": {"book_bill", "approve_bill", "pay", "close_period", "enter_rate", "return_goods", "handle_cases"},
    "viewer": set(),
    # What comes through a supplier's link; the action itself asks whether it is this supplier's own order.
    "supplier": {"record_answer", "handle_cases"},
    # The same of a forwarder, a carrier, a broker: what it carries, and its own estimates.
    "provider": {"say_dates", "estimate_charge"},
    # The administrator arranges the house and begins its books, but does no action of the trade.
    "administrator": {"begin", "enter_rate", "keep_people", "keep_house"},
}
# No one is given it: it belongs to the links.
OF_LINKS = ("supplier", "provider")
WORDS = {
    "write_order": "write orders",
    "check_order": "check orders",
    "approve_order": "approve orders",
    "send_order": "send orders",
    "record_answer": "record a supplier's answer",
    "decide_answer": "accept or refuse an answer",
    "chase": "chase suppliers",
    "invite": "give suppliers a link",
    "keep_supplier": "keep suppliers, items and prices",
    "keep_house": "keep companies, sites and their records",
    "pack": "pack shipments",
    "say_dates": "record departures and arrivals",
    "estimate_charge": "estimate charges",
    "book_bill": "book bills",
    "approve_bill": "approve bills for payment",
    "pay": "pay bills and advances",
    "close_period": "close and reopen periods",
    "book_customs_entry": "book customs entries",
    "enter_rate": "enter exchange rates",
    "receive": "receive goods",
    "reverse_receipt": "reverse receipts",
    "decide_goods": "decide about goods without an order and about what is short or over",
    "issue_stock": "issue stock",
    "adjust_stock": "adjust stock after a count",
    "inspect": "inspect goods",
    "return_goods": "return goods",
    "handle_cases": "look after cases and their claims",
    "begin": "bring in opening balances",
    "keep_people": "keep people and roles",
}
# The right to change what all companies share. It belongs to no company and to no role; a person has it or not.
HOUSE = "house"
ASK_HOUSE = "Ask a person who keeps the house."
ASK = "Ask an administrator for a role that includes it."
LOOKS = "You may only look."
# Rights that belong to a place: a grant at one site gives them there only.
OF_SITES = {"receive", "reverse_receipt", "issue_stock", "adjust_stock", "inspect", "return_goods"}


@dataclass(frozen=True)
class Held:
    """A role that a person holds: where, with which permissions, up to which amount."""

    role: str
    company: int
    site: int | None
    permissions: frozenset[str]
    limit: Decimal | None
    second_factor: bool = False


def permissions_of_roles(company: int | None = None) -> dict[str, set[str]]:
    """Return every role with its permissions, as they are now: in a company (id), or those of the house."""
    from northing.access.models import Role

    rows = Role.objects.filter(company=None)
    own = Role.objects.filter(company=company) if company else ()
    return ROLES | {role.code: set(role.permissions) & set(WORDS) for role in (*rows, *own)}


def companies_of(person) -> set[int]:
    """Ids of the companies whose records the person may see."""
    return {held.company for held in held_by(person)}


def may(person, permission: str, company: int, site: int | None = None) -> bool:
    """Whether a role of the person in that company includes the permission; with a site, whether it does so there."""
    return any(
        held.company == company and permission in held.permissions and (site is None or held.site in (None, site))
        for held in held_by(person)
    )


def require(person, permission: str, companies, site: int | None = None) -> None:
    """Raise NotAllowed unless the person has the permission in every one of the companies (ids)."""
    for company in companies:
        if not may(person, permission, company, site):
            where = "at this site" if site is not None and may(person, permission, company) else "for this company"
            raise NotAllowed(
                Problem(
                    f"You may not {WORDS[permission]} {where}.",
                    mend=ASK,
                )
            )


def require_somewhere(person, permission: str) -> None:
    """Raise NotAllowed unless the person has the permission in some company: for what belongs to no company yet."""
    if not may_somewhere(person, permission):
        raise NotAllowed(Problem(f"You may not {words_of(permission)}.", mend=ASK))


def require_house(person) -> None:
    """Raise NotAllowed unless the person keeps the house: for what belongs to no company, and every company uses."""
    if not may_somewhere(person, HOUSE):
        raise NotAllowed(Problem(f"You may not {words_of(HOUSE)}.", mend=ASK_HOUSE))


def require_of_all(person, permissions: Sequence[str], companies: Iterable[int], what: str) -> None:
    """Raise NotAllowed unless the person has one of the permissions in some company, and in each of `companies` (ids).

    For `what` companies share, such as a supplier: one company's people do not change it for another. Who keeps the
    house needs the permission in one company only.
    """
    if not any(may_somewhere(person, permission) for permission in permissions):
        raise NotAllowed(Problem(f"You may not {words_of(permissions[-1])}.", mend=ASK))
    if may_somewhere(person, HOUSE):
        return
    if any(not any(may(person, permission, company) for permission in permissions) for company in companies):
        what = f"You may not {words_of(permissions[-1])} for every company that uses {what}."
        raise NotAllowed(Problem(what, mend=f"{ASK_HOUSE[:-1]}, or a person with this right in all of them."))


def words_of(permission: str) -> str:
    """Return what a permission allows, in words."""
    return "keep the house" if permission == HOUSE else WORDS[permission]


def permissions_in(person, company: int | None) -> set[str]:
    """All permissions that the person has in the company; without one, in any."""
    return {
        permission for held in held_by(person) if company in (None, held.company) for permission in held.permissions
    }


def roles_of(person) -> set[str]:
    """The roles of a person, in whatever company."""
    return {held.role for held in held_by(person)}


def may_somewhere(person, permission: str) -> bool:
    """Whether the person has the permission in any company, or the right of the house; for offering a button."""
    if permission == HOUSE:
        return bool(person.is_active and person.keeps_house)
    return any(permission in held.permissions for held in held_by(person))


def limit_of(person, permission: str, company: int) -> Decimal | None:
    """Up to which amount, in the company's base currency, the person may; None: any amount."""
    limits = [held.limit for held in held_by(person) if held.company == company and permission in held.permissions]
    return None if None in limits else max(limits, default=Decimal(0))


def needs_factor(person) -> bool:
    """Whether a company in which the person has a role asks for a second factor."""
    return any(held.second_factor for held in held_by(person))


def grants_with(permission: str, companies: Iterable[int]):
    """Return the grants in the companies (ids) whose role includes the permission there."""
    from django.db.models import Q

    from northing.access.models import Grant

    found = Q(pk__in=[])
    for company in companies:
        roles = [role for role, permissions in permissions_of_roles(company).items() if permission in permissions]
        found |= Q(company=company, role__in=roles)
    return Grant.objects.filter(found)


def held_by(person) -> list[Held]:
    """The roles of a person, read once for each object of the person."""
    if not hasattr(person, "_held"):
        from django.db.models import F, OuterRef, Q, Subquery

        from northing.access.models import Role

        # Of a company's own role and the house's the company's counts.
        of_role = Role.objects.filter(Q(company=OuterRef("company")) | Q(company=None), code=OuterRef("role"))
        changed = Subquery(of_role.order_by(F("company").asc(nulls_last=True)).values("permissions")[:1])
        grants = person.grants.annotate(changed=changed)
        columns = grants.values_list("role", "company_id", "site_id", "changed", "limit", "company__asks_second_factor")
        person._held = [
            Held(role, company, site, frozenset(ROLES.get(role, ()) if permissions is None else permissions), *rest)
            for role, company, site, permissions, *rest in columns
        ]
    return person._held
