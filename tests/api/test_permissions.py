"""Every call of the API as every role, as a person of the other company and as no one, against a written table.

`gates.txt`: a call a line, who a column. `o` taken (or only its content was wrong), `x` not allowed, `-` not there for
you, `?` no token. NORTHING_WRITE_GATES=1 -n0 writes it anew: read what changed before you keep it.
"""

import os
from datetime import timedelta
from decimal import Decimal as D
from pathlib import Path

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.test import Client

from northing.actions.activity import remarks
from northing.actions.confirmations import answers
from northing.actions.inventory.move import MoveRequest, move_goods
from northing.actions.inventory.transfer import SendRequest, send_goods
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.billing.models import Bill
from northing.confirmations.models import Answer
from northing.inventory.models import BinMove
from northing.masterdata.models import Bin, Company, Site
from northing.orders.models import Instalment
from northing.receiving.models import ShortQuestion
from tests.api.conftest import Program
from tests.api.test_calls import BODIES, calls
from tests.inventory.goods import at_dock, bin_of
from tests.stages import staged
from tests.worlds import ROLES, TODAY

TABLE = Path(__file__).parent / "permissions.txt"
WHO = ["nobody", *ROLES, "stranger"]
LETTERS = {401: "?", 403: "x", 404: "-"}


def read():
    """The written table: call -> who -> letter."""
    head, *rows = [line.split() for line in TABLE.read_text().splitlines()]
    return {f"{method} {path}": dict(zip(head, cells, strict=True)) for method, path, *cells in rows}


def meet(client, program, method, url, body):
    """Call; whatever that did is undone."""
    with transaction.atomic():
        if program is None:
            answer = getattr(client, method)(f"/api/v1{url}")
        elif url.endswith("/documents") and method == "post":
            answer = program.client.post(f"/api/v1{url}", {"file": SimpleUploadedFile("a.csv", b"a,b")})
        else:
            answer = program.get(url) if method == "get" else program.send(method, url, body)
        transaction.set_rollback(True)
    assert answer.status_code < 500, (method, url)
    return LETTERS.get(answer.status_code, "o")


def short_receipt(world):
    """The ids of a receipt that is shorter than the dock may close, and of the question about it."""
    Company.objects.update(under_tolerance=D(3))
    part = world.sent_order({"C": D(10)}).lines.get().instalments.get()
    rows = (ReceiveRow(None, D(1), False, instalment=part.pk),)
    receipt = receive(world.act("dock"), ReceiveRequest(None, world.site.pk, "DN", TODAY, rows))
    return {"receipt_id": receipt, "question_id": ShortQuestion.objects.get().pk}


def moved(world):
    """The ids of a move at a site, and of goods that it sent to another one."""
    layer, there = at_dock(world, 2), {"company": world.nz, "code": "NTH", "name": "North"}
    store, dock = bin_of("STORE").pk, bin_of("DOCK").pk
    move_goods(world.act("dock"), MoveRequest(layer.pk, dock, "in_store", D(2), store))
    north = Site.objects.create(**there)
    Bin.objects.create(site=north, code="N-DOCK", purpose="dock")
    sent = SendRequest(north.pk, (MoveRequest(layer.pk, store, "in_store", D(1), 0),), TODAY)
    return {"move_id": BinMove.objects.get().pk, "transfer_id": send_goods(world.act("dock"), sent)}


def be_asked(world):
    """An order of the first company, packed, with an answer that waits and a document; on the world hang their ids."""
    order = world.sent_order({"A": D(240)}, agreed=False)
    part = Instalment.objects.get()
    row = answers.AnswerRow(part.pk, D(240), part.asked_on + timedelta(days=1), part.pack_price)
    answers.record_answers(world.act("expediter"), answers.AnswersRequest(order.pk, "R", TODAY, (row,)))
    paper = remarks.DocumentRequest(order.pk, "paper.pdf", b"%PDF-1.4 paper")
    ids = {"order_id": order.pk, "answer_id": Answer.objects.get().pk}
    ids["document_id"] = remarks.add_document(world.act("expediter", "d"), paper)
    shipment = world.shipment([order])
    ids["shipment_id"] = shipment.pk
    world.charge(shipment, "freight", "10.00", "NZD", "volume", bill_number="B-1")
    ids["bill_id"] = Bill.objects.get().pk
    world.ids = ids | short_receipt(world) | moved(world) | {"item_id": world.items["A"].pk, "code": "TRG"}


an_order_asked = staged("an_order_asked", be_asked)


def walk(world, who):
    """Call -> letter, for one of WHO."""
    order = world.ids["order_id"]
    program = Program(world, who) if who != "nobody" else None
    found = {}
    for method, path in calls():
        body = BODIES.get((method, path), {}) | ({"order": order} if path == "/confirmations" else {})
        body |= {"company": "KLN"} if path == "/orders" else {}
        found[f"{method} {path}"] = meet(Client(), program, method, path.format(**world.ids), body)
    return found


@pytest.mark.parametrize("who", WHO)
def test_every_call_is_as_open_as_the_written_table_says(an_order_asked, who):
    found = walk(an_order_asked, who)
    if os.environ.get("NORTHING_WRITE_GATES"):
        known = read() if TABLE.exists() and who != WHO[0] else {}
        rows = {call: known.get(call, {}) | {who: cell} for call, cell in found.items()}
        lines = [" " * 44 + "".join(f"{one:>14}" for one in WHO)]
        for call, cells in sorted(rows.items()):
            lines.append(f"{call:44}" + "".join(f"{cells.get(one, '?'):>14}" for one in WHO))
        TABLE.write_text("\n".join(lines) + "\n")
    assert found == {call: cells[who] for call, cells in read().items()}


def test_what_the_table_says_is_meant():
    """Read off the table: reading is for who sees the company, writing for who has the permission."""
    table = read()
    for call, cells in table.items():
        assert cells["nobody"] == "?", call
        if call == "get /events":  # of no company until they are tied: for who ties them, as on their page
            assert [role for role in ROLES if cells[role] == "o"] == ["shipping"]
        elif call.startswith("get"):
            assert all(cells[role] == "o" for role in ROLES), call
        elif not call.endswith("/documents"):
            assert cells["viewer"] == "x", call
        if "{" in call and "{item_id}" not in call:  # the items are all companies' own
            assert cells["stranger"] == "-", call
