"""Who may do what: rights by role, granted per company, or at one of its sites.

The roles that ship are below; a row of `Role` says otherwise of one, or makes another.
"""

from dataclasses import dataclass
from decimal import Decimal

from northing.core.problems import NotAllowed, Problem

WRITING = {"write_order", "check_order", "send_order", "record_answer", "decide_answer", "chase", "invite"}
ROLES: dict[str, set[str]] = {
    "expediter": WRITING | {"keep_supplier"},
    "buyer": {"write_order", "check_order", "send_order", "record_answer", "decide_answer", "keep_supplier"},
    "approver": {"approve_order", "decide_answer"},
    "shipping": {"pack", "say_dates"},
    "costs": {"estimate_charge", "book_bill", "book_customs_entry", "enter_rate"},
    "dock": {"receive", "reverse_receipt", "issue_stock"},
    "inspector": {"inspect", "return_goods"},
    "accounts": {"book_bill", "enter_rate", "return_goods"},
    "viewer": set(),
    # What comes through a supplier's link; the deed itself asks whether it is this supplier's own order.
    "supplier": {"record_answer"},
    # The administrator arranges the house and begins its books, but does no deed of the trade.
    "administrator": {"begin", "enter_rate", "keep_people", "keep_house"},
}
# Nobody is given it: it belongs to the links.
OF_LINKS = "supplier"
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
    "keep_house": "keep companies, sites and ports",
    "pack": "pack shipments",
    "say_dates": "record departures and arrivals",
    "estimate_charge": "estimate charges",
    "book_bill": "book bills",
    "book_customs_entry": "book customs entries",
    "enter_rate": "enter exchange rates",
    "receive": "receive goods",
    "reverse_receipt": "reverse receipts",
    "issue_stock": "issue stock",
    "inspect": "inspect goods",
    "return_goods": "return goods",
    "begin": "bring in opening balances",
    "keep_people": "keep people and roles",
}
ASK = "Ask an administrator for a role that includes it."
LOOKS = "You may only look."
# Rights that belong to a place: a grant at one site gives them there only.
OF_SITES = {"receive", "reverse_receipt", "issue_stock", "inspect", "return_goods"}


@dataclass(frozen=True)
class Held:
    """A role that a person holds: where, with which rights, up to which amount."""

    role: str
    company: int
    site: int | None
    rights: frozenset[str]
    limit: Decimal | None


def rights_of_roles() -> dict[str, set[str]]:
    """Every role with its rights, as they are now."""
    from northing.access.models import Role

    return ROLES | {role.code: set(role.rights) & set(WORDS) for role in Role.objects.all()}


def companies_of(person) -> set[int]:
    """Ids of the companies whose records the person may see."""
    return {held.company for held in held_by(person)}


def may(person, right: str, company: int, site: int | None = None) -> bool:
    """Whether a role of the person in that company includes the right; with a site, whether it does so there."""
    return any(
        held.company == company and right in held.rights and (site is None or held.site in (None, site))
        for held in held_by(person)
    )


def require(person, right: str, companies, site: int | None = None) -> None:
    """Raise NotAllowed unless the person has the right in every one of the companies (ids)."""
    for company in companies:
        if not may(person, right, company, site):
            where = "at this site" if site is not None and may(person, right, company) else "for this company"
            raise NotAllowed(
                Problem(
                    f"You may not {WORDS[right]} {where}.",
                    mend=ASK,
                )
            )


def require_somewhere(person, right: str) -> None:
    """Raise NotAllowed unless the person has the right in some company: for what the companies share."""
    if not may_somewhere(person, right):
        raise NotAllowed(
            Problem(f"You may not {WORDS[right]}.", mend="Ask an administrator for a role that includes it.")
        )


def rights_in(person, company: int | None) -> set[str]:
    """All rights that the person has in the company; without one, in any."""
    return {right for held in held_by(person) if company in (None, held.company) for right in held.rights}


def roles_of(person) -> set[str]:
    """The roles of a person, in whatever company."""
    return {held.role for held in held_by(person)}


def may_somewhere(person, right: str) -> bool:
    """Whether the person has the right in any company; for offering a button."""
    return any(right in held.rights for held in held_by(person))


def limit_of(person, right: str, company: int) -> Decimal | None:
    """Up to which amount, in the company's base currency, the person may; None: any amount."""
    limits = [held.limit for held in held_by(person) if held.company == company and right in held.rights]
    return None if None in limits else max(limits, default=Decimal(0))


def roles_with(right: str) -> list[str]:
    """The roles that include the right."""
    return [role for role, rights in rights_of_roles().items() if right in rights]


def held_by(person) -> list[Held]:
    """The roles of a person, read once for each object of the person."""
    if not hasattr(person, "_held"):
        from django.db.models import OuterRef, Subquery

        from northing.access.models import Role

        changed = Subquery(Role.objects.filter(code=OuterRef("role")).values("rights")[:1])
        grants = person.grants.annotate(changed=changed)
        columns = grants.values_list("role", "company_id", "site_id", "changed", "limit")
        person._held = [
            Held(role, company, site, frozenset(ROLES.get(role, ()) if rights is None else rights), limit)
            for role, company, site, rights, limit in columns
        ]
    return person._held
