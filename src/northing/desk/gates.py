"""Which right each page asks for, before its view runs: to be opened, and to be sent.

The deed asks again, for the very company and site. A page that stands in no table is shut: whoever adds one says here
whom it is for. The written table of every page and role (tests/desk/gates.txt) is held against this.
"""

from collections.abc import Mapping
from dataclasses import dataclass

from northing.core.problems import NotAllowed, Problem
from northing.directory.rights import ASK, LOOKS, WORDS, may_somewhere

Rights = tuple[str, ...]
# Whoever is signed in; the view looks whose record it is.
ANYBODY: Rights = ()


@dataclass(frozen=True)
class Gate:
    """Any one of the rights will do; None: nothing is sent to this page."""

    opened: Rights = ANYBODY
    sent: Rights | None = None


READ = Gate()
# What concerns nobody but who sends it, or whose right the view asks for by the record.
OWN = Gate(sent=ANYBODY)
# Whoever does anything at all here, and does not only look.
EVERY = tuple(WORDS)
SAFE = ("GET", "HEAD", "OPTIONS")
HOUSE = ("keep_house", "keep_supplier", "estimate_charge", "pack")
CHARGES = ("estimate_charge", "book_bill")


def _form(*rights: str) -> Gate:
    """A page that is nothing but a form: only who may send it opens it."""
    return Gate(rights, rights)


def _acts(*rights: str) -> Gate:
    """A page that everybody reads and some act on."""
    return Gate(sent=rights)


READ_PAGES = """healthz account house records records-csv people watch find lines line answers chasers errand
errand-file orders wrong-rows order-file-example order-file quote items usual incoterm order order-pdf order-xml
document passage board chart loading-list voyage shipment packing-pdf packing-csv packing-xlsx
advice costs layer dock quality bills look-back stock ledger entry trial-balance
arrivals supplier supplier-template supplier-pdf supplier-xml supplier-file"""
OWN_PAGES = """sign-in sign-out end-session set-password set-factor new-token end-token lines-csv lines-xlsx save-view
forget-view supplier-confirm supplier-despatch supplier-upload supplier-remark supplier-answer supplier-document
moved"""
GATES: Mapping[str, Gate] = {
    **dict.fromkeys(READ_PAGES.split(), READ),
    **dict.fromkeys(OWN_PAGES.split(), OWN),
    "remark": _acts(*EVERY),
    "attach": _acts(*EVERY),
    "make-feed": _acts(*EVERY),
    "end-feeds": _acts(*EVERY),
    "hooks": _form("keep_house"),
    "end-hook": _acts("keep_house"),
    "new-record": _form(*HOUSE),
    "records-file": _form(*HOUSE),
    "record": _acts(*HOUSE),
    **dict.fromkeys(("grant", "end-grant", "add-person", "set-role"), _acts("keep_people")),
    "line-parts": _acts("write_order"),
    "many-accept": _acts("decide_answer"),
    "many-need-by": _acts("write_order"),
    "many-buyer": _acts("write_order"),
    "many-chase": _acts("chase"),
    "decide-many": _acts("decide_answer"),
    "save-rule": _acts("chase"),
    "send-again": _acts("chase"),
    "chase": _acts("chase"),
    "supplier-record": _acts("keep_supplier"),
    "agree": _acts("keep_supplier"),
    "invite": _acts("invite"),
    "revoke": _acts("invite"),
    "new-order": _form("write_order"),
    "order-files": _form("write_order"),
    "take-order-file": _acts("write_order"),
    "check": _acts("check_order"),
    "approve": _acts("approve_order"),
    "send": _acts("send_order"),
    "change-order": _form("write_order"),
    "cancel-order": _form("write_order"),
    "reopen-order": _form("write_order"),
    "take-back-order": _form("write_order"),
    "answer": _form("record_answer"),
    "decide": _acts("decide_answer"),
    "load-new": _form("pack"),
    "load": _form("pack"),
    "propose-loading": _acts("pack"),
    "new-voyage": _form("pack"),
    "plan": _form("pack"),
    "voyage-happens": _form("pack", "say_dates"),
    "shipment-happens": _form("pack"),
    "ask-paper": _acts("pack"),
    "usual-papers": _acts("pack"),
    "settle-paper": _acts("pack"),
    "notices": _acts("pack"),
    "notice": _acts("pack"),
    "drop-notice": _acts("pack"),
    "say-date": _acts("say_dates"),
    "say-boxes": _acts("say_dates"),
    "take-back": _form("say_dates"),
    "events": _form("say_dates"),
    "event-again": _acts("say_dates"),
    "set-feed": _acts("say_dates"),
    "tie-event": _form("say_dates"),
    "drop-event": _acts("say_dates"),
    "new-charge": _form(*CHARGES),
    "rates": _acts("enter_rate"),
    "charge": _acts(*CHARGES),
    "customs": _form("book_customs_entry"),
    "receive": _form("receive"),
    "receipt": _acts("reverse_receipt"),
    "inspect": _form("inspect"),
    "case": _acts("return_goods"),
    "item": _acts("issue_stock"),
    "delay-cost": _acts("keep_supplier"),
}


def pass_gate(person, name: str, method: str) -> bool:
    """Whether the page of that name takes this method. Raises NotAllowed unless the person may open or send it."""
    gate = GATES.get(name)
    if gate is None:
        raise NotAllowed(Problem("This page is not open to anybody yet.", mend="Tell whoever keeps Northing."))
    rights = gate.opened if method in SAFE else gate.sent
    if rights is None:
        return False
    if rights and not any(may_somewhere(person, right) for right in rights):
        raise NotAllowed(Problem(LOOKS if rights == EVERY else f"You may not {WORDS[rights[0]]}.", mend=ASK))
    return True
