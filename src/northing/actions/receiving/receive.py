"""Receive goods: out of a container, unpacked against orders, or without any order.

Follow one receipt here: check, lock, ask the core, write facts, move positions, make layers, post, tell.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from django.db.models import QuerySet

from northing.access.acts import Act, future_problem
from northing.access.models import Person
from northing.access.permissions import may
from northing.actions.claims.damage import open_damaged
from northing.actions.claims.replaced import settle_by_goods
from northing.actions.costing.charges import respread_estimates
from northing.actions.inventory.shelves import Coming, refusals
from northing.actions.quality.skip_lot import draw_lots
from northing.actions.receiving import intake, short
from northing.actions.receiving.found import Found, found_by
from northing.actions.receiving.given import Given
from northing.actions.receiving.held_cases import open_held
from northing.actions.receiving.minded import lot_problems
from northing.actions.receiving.missing import miss, open_cases
from northing.actions.receiving.not_there import hand_back
from northing.actions.receiving.pallets import number_pallets, pallet_problems
from northing.actions.receiving.proof_of_arrival import arrive_by_receipt
from northing.actions.receiving.request import Papers, ReceiveRequest, ReceiveRow
from northing.actions.receiving.unordered import Unordered, excess_of, unordered_by
from northing.actions.receiving.words import links, note_words, words
from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.activity.operations import add_history, add_links, once
from northing.core.checks import answered, finding
from northing.core.inventory.bins import Goods
from northing.core.problems import Problem, Refused, Strength, refuse_if
from northing.customs.queries import is_declared, is_released
from northing.ledger.models import Entry
from northing.ledger.operations import Draft, open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.models import Bin, Company, Site
from northing.receiving import operations as receiving
from northing.receiving.models import Receipt
from northing.receiving.queries import same_note
from northing.shipping import operations as shipping
from northing.shipping.models import Container, Shipment, ShipmentLine
from northing.shipping.queries import visible_shipments

__all__ = ["Papers", "ReceiveRequest", "ReceiveRow", "note_words", "receive", "take_in"]


@dataclass(frozen=True)
class Reason:
    """Why goods are taken in, where it is not their arrival: the action's name and words, and what it does first."""

    action: str
    words: str
    # The receipt by which the goods came, and what takes them out of it (with the story and the entry).
    ties: Receipt | None = None
    release: Callable[[HistoryEntry, Entry], None] | None = None


@once
def receive(act: Act, request: ReceiveRequest) -> int:
    """Take goods in. Layers, positions, books and story follow in the same transaction. Returns the receipt's id."""
    site = Site.objects.select_related("company").get(pk=request.site)
    act.require_at("receive", site.company_id, site.pk)
    return take_in(act, request, site).pk


def take_in(act: Act, request: ReceiveRequest, site: Site, reason: Reason | None = None) -> Receipt:
    """Do the steps of every receipt; the caller has checked that the person may."""
    container = _locked_container(act, request)
    head = _head_problems(act, request)
    if any(problem.where == "occurred_on" for problem in head):
        refuse_if(head)  # without a day nothing can be said of the goods
    head += _early_problems(request, site, container)
    # Before the goods are read: with this they may be in another place, and ours.
    proves, dated = arrive_by_receipt(act, container, request.occurred_on) if container else ({}, [])
    found, unordered, bare = _checked(act, request, site, container, head, repeats=reason is not None)
    text = (reason.words if reason else words(container, request, found, unordered)) + posting_note(
        [site.company_id], request.occurred_on
    )
    text += "".join(f". {problem.what}" for problem in bare) + _approval(request)
    history = add_history(
        act,
        reason.action if reason else "receive",
        text,
        links(container, site, found, unordered),
        request.occurred_on,
    )
    entry = open_entry(act, history, text, request.occurred_on)
    if reason and reason.release:
        reason.release(history, entry)
    drafts = hand_back(entry, found)
    intake.account_for(container, found)
    intake.own_what_was_not(entry, request, found)
    receipt = Receipt(
        company=site.company,
        site=site,
        container=container,
        delivery_note=request.delivery_note.strip(),
        occurred_on=request.occurred_on,
        received_by=act.person,
        at=act.at,
        entry=entry,
        history=history,
        ties=reason.ties if reason else None,
        remark=_remark(request),
        supplier_bill=request.papers.supplier_bill.strip(),
        haulier=request.papers.haulier.strip(),
        vehicle=request.papers.vehicle.strip(),
        seal=request.papers.seal.strip(),
        **proves,
    )
    intake.write_receipt(receipt, request, found, unordered)
    add_links(history, [("receipt", receipt.pk, site.company_id)])
    intake.move_units(history, found)
    layers = intake.write_layers(history, request, site, found, unordered)
    # Own value first: what the layers absorb from afloat is reckoned beside it.
    drafts += intake.own_on_receipt(entry, found, layers)
    drafts += intake.absorb_costs(entry, found)
    cases = open_cases(request, site, found, layers)
    strange = open_held(receipt, unordered, layers)
    opened = [*cases.values(), *strange]
    add_links(history, [("case", case.pk, site.company_id) for case in opened])
    drafts += miss(entry, layers, cases)
    drafts += settle_by_goods(entry, {one.of_line.pk for one in found}, [layer.pk for layer in layers])
    _finish(act, receipt, container, found, unordered, entry, drafts)
    held = {one.line.pk for one in [*found, *unordered] if one.is_held and one.line}
    bring_along(
        instalments=[one.goods.instalment_id for one in found],
        dated=dated,
        shipments=[container.shipment_id] if container else [],
        layers=[layer.pk for layer in layers if layer.receipt_line_id in held],
        cases=[case.pk for case in opened],
        questions=short.ask(act, receipt, container, found),
        receipts=[] if container else [receipt.pk],
    )
    # All of it is rejected; a case says so.
    spoilt = {one.line.pk: one.row for one in found if one.line and one.row.condition == "damaged"}
    damaged = [layer for layer in layers if layer.kind == "stock" and layer.receipt_line_id in spoilt]
    open_damaged(act, damaged, {layer.pk: spoilt[layer.receipt_line_id].serials for layer in damaged})
    # By lot some are let through; not what is damaged, or was asked to be inspected.
    sound = {one.line.pk for one in found if one.inspected and one.line and not one.row.condition}
    draw_lots(act, [layer for layer in layers if layer.kind == "stock" and layer.receipt_line_id in sound])
    receipt.warnings = [problem.what for problem in bare]
    receiving.number_receipt(receipt)
    number_pallets(site, [(one.row, one.line) for one in [*found, *unordered]])
    return receipt


def _finish(
    act: Act,
    receipt: Receipt,
    container: Container | None,
    found: Sequence[Found],
    unordered: Sequence[Unordered],
    entry: Entry,
    drafts: list[Draft],
) -> None:
    """Post; and where goods turned out not to be in their container, spread its estimates anew."""
    post(entry, drafts)
    post(entry, intake.settle_own(entry, found))
    if container is not None and any(one.taking.back for one in found):
        respread_estimates(act, container.shipment)


def _locked_container(act: Act, request: ReceiveRequest) -> Container | None:
    if request.container is None:
        return None
    container = Container.objects.filter(pk=request.container, shipment__in=visible_shipments(act.person)).first()
    if container is None:
        raise Refused(Problem("There is no such container.", "container"))
    container.shipment = shipping.lock([container.shipment_id])[container.shipment_id]
    return container


def _head_problems(act: Act, request: ReceiveRequest) -> list[Problem]:
    problems = future_problem(request.occurred_on, act)
    if not request.delivery_note.strip():
        mend = "Enter it, or the driver's name and time."
        problems.append(Problem("The delivery note has a number.", "delivery_note", mend))
    if not request.rows:
        problems.append(Problem("Nothing was counted.", "rows", "Enter what was found, 0 included."))
    return problems


def _checked(
    act: Act, request: ReceiveRequest, site: Site, container: Container | None, head: list[Problem], *, repeats: bool
) -> tuple[list[Found], list[Unordered], list[Problem]]:
    """The rows that say something, and the warnings. Raises Refused with all that is wrong with the `head` and them."""
    given = Given(request.occurred_on, request.delivery_note)
    found, problems = found_by(request, site, given, may_decide=_may_decide(act, request, site))
    unordered, strange = unordered_by(request, site, given)
    if not repeats:
        strange += lot_problems(site, [*found, *unordered], accept=request.accept)
    excess, homeless = excess_of(found, list(Bin.objects.filter(site=site)))
    kept = [one for one in found if one.says_something]
    unordered += excess
    said = [*head, *problems, *strange, *homeless, *pallet_problems(request, site)]
    if not (kept or unordered) and all(problem.strength is Strength.WARN for problem in said):
        said.append(Problem("Nothing was received and nothing is missing.", "rows", "Enter what was found."))
    if not repeats:  # goods that are tied lie there already
        said += refusals(_coming([*found, *unordered]))
        said += _note_problems(request, site, found, unordered)
    said += _entry_problems(request, site, container, found)
    # All of it at once: a person at the dock mends a receipt in one round.
    return kept, unordered, refuse_if(said)


def _may_decide(act: Act, request: ReceiveRequest, site: Site) -> bool:
    """Whether the receiver, or the second person who approves on the spot, decides about what is over or short."""
    second = Person.objects.filter(pk=request.approved_by, is_active=True).first() if request.approved_by else None
    people = [act.person, *([second] if second else [])]
    return any(may(person, "decide_goods", site.company_id) for person in people)


def _coming(rows: Sequence[Found | Unordered]) -> list[Coming]:
    """The goods that come into each bin."""
    return [
        (one.bin, Goods(one.item.code, one.quantity, one.row.lot.strip()), f"bin-{one.row.key}")
        for one in rows
        if one.bin
    ]


def _entry_problems(
    request: ReceiveRequest, site: Site, container: Container | None, found: Sequence[Found]
) -> list[Problem]:
    """Goods from abroad are received behind customs."""
    company = site.company
    foreign = {one.goods.pk for one in found if one.of_line.order.supplier.country != company.country}
    if container is None or not foreign:
        return []
    coming = ShipmentLine.objects.filter(pk__in=foreign)
    if not coming.filter(~is_declared()).exists():
        return _release_problems(request, company, coming, container.shipment)
    what = f"{company.code} has no customs entry for {container.shipment}."
    problem = finding(company.receive_without_entry, what, "Book it first", "receive it anyway")
    return [answered(problem, request.accept)]


# Of a shorter passage the day it left says little.
LONG = 6


def _early_problems(request: ReceiveRequest, site: Site, container: Container | None) -> list[Problem]:
    """Goods that left a few days ago are not here: half of the passage as planned is the least it takes."""
    if container is None or container.shipment.arrived_on is not None:
        return []
    leg = container.shipment.legs.filter(main=True).first()
    if leg is None:
        return []
    planned = leg.planned_end - leg.planned_start
    began = container.shipment.departed_on or leg.expected_start
    if planned.days < LONG or request.occurred_on >= began + planned / 2:
        return []
    left = f"left on {began:%-d %b %Y}" if container.shipment.departed_on else f"leave on {began:%-d %b %Y}"
    what = f"The goods {left}, and their passage takes {planned.days} days by plan."
    return [answered(finding(site.company.receive_early, what, "Check the day", "receive it anyway"), request.accept)]


def _release_problems(
    request: ReceiveRequest, company: Company, coming: QuerySet[ShipmentLine], shipment: Shipment
) -> list[Problem]:
    """What customs has not released is received as the company says; where it only warns nobody records releases."""
    strength = company.receive_not_released
    if strength == Strength.WARN or not coming.filter(~is_released()).exists():
        return []
    what = f"Customs has not released {shipment} for {company.code}."
    return [answered(finding(strength, what, "Record the release first", "receive it anyway"), request.accept)]


def _note_problems(
    request: ReceiveRequest, site: Site, found: Sequence[Found], unordered: Sequence[Unordered]
) -> list[Problem]:
    """A note that was used before may be the same goods counted twice."""
    suppliers = {one.of_line.order.supplier_id for one in found} | {one.supplier.pk for one in unordered}
    before = same_note(site.company_id, suppliers, request.delivery_note, request.container)
    return [] if before is None else [Problem(note_words(before), "delivery_note", strength=Strength.WARN)]


def _approval(request: ReceiveRequest) -> str:
    if request.approved_by is None:
        return ""
    return f". Approved on the spot by {Person.objects.get(pk=request.approved_by)}"


def _remark(request: ReceiveRequest) -> str:
    """The remark of the dock, and why goods without an order were taken in."""
    return ". ".join(part for part in (request.reason.strip(), request.papers.remark.strip()) if part)[:400]
