"""Who may do what: deeds by role, granted per company."""

from northing.core.problems import NotAllowed, Problem

ROLES = {
    "expediter": {"write_order", "check_order", "send_order", "record_answer", "decide_answer"},
    "approver": {"approve_order", "decide_answer"},
    "shipping": {"pack", "say_dates"},
    "costs": {"estimate_charge", "book_bill", "book_customs_entry", "enter_rate"},
    "dock": {"receive", "reverse_receipt", "issue_stock"},
    "inspector": {"inspect", "return_goods"},
    "accounts": {"book_bill", "enter_rate", "return_goods"},
    "administrator": set[str](),
}
# The administrator arranges the house and begins its books, but does no deed of the trade.
ROLES["administrator"] = {"begin", "enter_rate"}
WORDS = {
    "write_order": "write orders",
    "check_order": "check orders",
    "approve_order": "approve orders",
    "send_order": "send orders",
    "record_answer": "record a supplier's answer",
    "decide_answer": "accept or refuse an answer",
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
}


def companies_of(person) -> set[int]:
    """Ids of the companies whose records the person may see."""
    return {company for _, company in _grants(person)}


def may(person, right: str, company: int) -> bool:
    """Whether a role of the person in that company includes the right."""
    return any(granted == company and right in ROLES[role] for role, granted in _grants(person))


def require(person, right: str, companies) -> None:
    """Raise NotAllowed unless the person has the right in every one of the companies (ids)."""
    for company in companies:
        if not may(person, right, company):
            raise NotAllowed(
                Problem(
                    f"You may not {WORDS[right]} for this company.",
                    mend="Ask an administrator for a role that includes it.",
                )
            )


def may_somewhere(person, right: str) -> bool:
    """Whether the person has the right in any company; for offering a button."""
    return any(right in ROLES[role] for role, _ in _grants(person))


def _grants(person) -> list[tuple[str, int]]:
    if not hasattr(person, "_grants_read"):
        person._grants_read = list(person.grants.values_list("role", "company_id"))
    return person._grants_read
