"""One's own record with another company's in one request: neither is shown, nothing is written."""

import json
from datetime import timedelta
from decimal import Decimal as D

import pytest
from django.test import Client
from django.urls import get_resolver, reverse

from northing.access.models import SCOPES, Grant, Person
from northing.actions.access.tokens import TokenRequest, make_token
from northing.actions.quality import inspect
from northing.actions.receiving import receive
from northing.activity.models import HistoryEntry
from northing.billing.models import Bill
from northing.claims.models import Claim
from northing.confirmations.models import Answer
from northing.core.problems import Refused
from northing.ledger.models import CostLayer
from northing.masterdata.models import Company, Item
from northing.orders.models import Instalment
from northing.receiving.models import Receipt
from northing.shipping.models import Container, ShipmentLine
from tests.lived_in import all_patterns
from tests.worlds import CONTAINERS, ROLES, TODAY

# The ids of an address that name a record of a company; the others are words, or what companies share.
RECORDS = {
    "company_id": lambda one: one["company"],
    "order_id": lambda one: one["order"],
    "shipment_id": lambda one: one["shipment"],
    "container_id": lambda one: one["container"],
    "site_id": lambda one: one["site"],
    "case_id": lambda one: one["case"],
    "bill_id": lambda one: one["bill"],
    "charge_id": lambda one: one["charge"],
    "record": lambda one: one["order"],
}


def of_company(world, company, number):
    """Ids of a record of each kind of a company."""
    site = company.sites.get()
    order = world.sent_order({"A": D(5)}, company=company)
    shipment = world.shipment([order], number)
    charge = world.charge(
        shipment, "freight", "10.00", "NZD", "volume", company=company, bill_number=f"B-{company.code}"
    )
    part = Instalment.objects.get(line__order=order)
    Item.objects.filter(code="C").update(inspected=True)
    unpacked = world.sent_order({"C": D(8)}, company=company)
    rows = (receive.ReceiveRow(None, D(8), instalment=unpacked.lines.get().instalments.get().pk),)
    asked = receive.ReceiveRequest(None, site.pk, f"DN-{company.code}", TODAY, rows, accept=True)
    receipt = receive.receive(world.act("dock"), asked)
    layer = CostLayer.objects.get(receipt_line__receipt=receipt)
    inspect.inspect(world.act("inspector"), inspect.InspectRequest(layer.pk, D(7), D(1), "bent", TODAY))
    return {
        "company": company.pk,
        "company_code": company.code,
        "site": site.pk,
        "site_code": site.code,
        "order": order.pk,
        "order_number": order.number,
        "line": part.line_id,
        "instalment": part.pk,
        "shipment": shipment.pk,
        "container": Container.objects.get(shipment=shipment).pk,
        "shipment_line": ShipmentLine.objects.get(container__shipment=shipment).pk,
        "charge": charge,
        "bill": Bill.objects.get(company=company).pk,
        "case": Claim.objects.get(company=company).pk,
        "receipt": receipt,
        "layer": layer.pk,
        "bin": layer.on_hand.first().bin.code,
    }


@pytest.fixture
def two(world):
    """Records of both companies, and a person who may do everything in AU only."""
    theirs, own = of_company(world, world.nz, CONTAINERS[0]), of_company(world, world.au, CONTAINERS[1])
    person = Person.objects.get(username="stranger")
    for role in ROLES:
        Grant.objects.get_or_create(person=person, company=world.au, role=role)
    world.people["stranger"] = Person.objects.get(username="stranger")
    return world, own, theirs


def secrets_of(theirs):
    return [theirs["order_number"], CONTAINERS[0], f"DN-{theirs['company_code']}", f"B-{theirs['company_code']}"]


def test_every_address_with_two_ids(two, client):
    world, own, theirs = two
    client.force_login(world.people["stranger"])
    told, walked = HistoryEntry.objects.count(), set()
    addresses = {
        pattern.name: pattern.pattern.converters for pattern in all_patterns(get_resolver("northing.web.urls"))
    }
    for name, wanted in addresses.items():
        records = [word for word in wanted if word in RECORDS]
        if len(wanted) < 2 or not records or "token" in wanted:
            continue
        for foreign in records:
            ids = {word: RECORDS[word](theirs if word == foreign else own) for word in records}
            for words in said(world, wanted):
                url = reverse(name, kwargs=ids | words)
                assert client.get(url).status_code in (403, 404, 405), url
                # A refusal may lead back to one's own record.
                sent = client.post(url, {"key": f"{name}{foreign}"})
                assert sent.status_code in (302, 403, 404, 405), f"{url}: {sent.status_code}"
                walked.add(name)
    assert len(walked) >= 12, walked
    assert HistoryEntry.objects.count() == told


# What an address names beside records of companies.
OTHER = {"supplier_id": lambda world: world.parties["USD"].pk, "account": lambda _: "stock", "number": lambda _: 1}
OTHER |= {"kind": lambda _: "order", "document_id": lambda _: 1, "page": lambda _: 1}


def said(world, wanted):
    """The words of an address that name no record of a company: every word where it is one of some."""
    ways = [word for word in wanted if word not in RECORDS and word not in OTHER]
    rest = {word: OTHER[word](world) for word in wanted if word in OTHER}
    if not ways:
        return [rest]
    [way] = ways
    return [rest | {way: one} for one in wanted[way].regex.split("|")]


def test_a_supplier_or_a_shared_word_shows_nothing_of_a_foreign_record(two, client):
    world, own, theirs = two
    client.force_login(world.people["stranger"])
    supplier = world.parties["USD"].pk
    pages = [
        reverse("receive-supplier", args=[supplier, own["site"]]),
        f"{reverse('dock')}?site={theirs['site']}",
        f"{reverse('loading-list')}?shipment={theirs['shipment']}",
        f"{reverse('open-bills')}?company={theirs['company']}",
        f"{reverse('find')}?q={theirs['order_number']}",
    ]
    for page in pages:
        shown = client.get(page, follow=True)
        text = shown.content.decode()
        found = [word for word in secrets_of(theirs) if word in text.replace(f"q={theirs['order_number']}", "")]
        assert shown.status_code in (200, 404) and not [word for word in found if word != theirs["order_number"]], page


def bodies(own, theirs):
    """(method, path, body): in each one id is another company's."""
    day = TODAY.isoformat()
    row = {"quantity": "1"}
    head = {"delivery_note": "X", "received_on": day}
    count = {"item": "C", "counted": "1", "reason": "r", "occurred_on": day}
    bill = {"number": "X-1", "day": day, "currency": "USD", "supplier": "SUSD"}
    line = {"quantity": "1", "price": "1.00"}
    pay = {"party": "SUSD", "day": day, "currency": "USD"}
    own_at, their_at = own["site_code"], theirs["site_code"]
    answer = {"instalment": theirs["instalment"], "quantity": "5", "ready_on": day, "price": "18.40"}
    boxes = [{"number": CONTAINERS[1], "rows": [{"instalment": theirs["instalment"], **row}]}]
    yield "post", "/confirmations", {"order": own["order"], "answered_on": day, "rows": [answer]}
    yield "post", "/confirmations", {"order": theirs["order"], "answered_on": day, "rows": [answer]}
    yield "put", f"/shipments/{own['shipment']}/load", {"containers": boxes}
    yield "put", f"/shipments/{theirs['shipment']}/load", {"containers": boxes}
    yield "put", f"/shipments/{own['shipment']}/load", {"containers": [{"id": theirs["container"], **boxes[0]}]}
    yield "post", "/shipments", {"containers": boxes}
    for at, box, part in (
        (own_at, theirs["container"], theirs["shipment_line"]),
        (own_at, own["container"], theirs["shipment_line"]),
        (their_at, own["container"], own["shipment_line"]),
        (their_at, theirs["container"], theirs["shipment_line"]),
    ):
        yield "post", "/receipts", {"site": at, "container": box, "rows": [{"shipment_line": part, **row}], **head}
    yield (
        "post",
        "/receipts",
        {"site": own_at, "order": theirs["order"], "rows": [{"instalment": theirs["instalment"], **row}], **head},
    )
    yield (
        "post",
        "/receipts",
        {"site": own_at, "order": own["order"], "rows": [{"instalment": theirs["instalment"], **row}], **head},
    )
    yield (
        "post",
        "/receipts",
        {
            "site": own_at,
            "container": own["container"],
            "rows": [{"item": "A", "stands_for": theirs["line"], **row}],
            **head,
        },
    )
    yield "post", f"/receipts/{own['receipt']}/tie", {"order_line": theirs["line"], "occurred_on": day}
    yield "post", f"/receipts/{theirs['receipt']}/tie", {"order_line": own["line"], "occurred_on": day}
    yield "post", "/stock/counts", {"site": their_at, "bin": theirs["bin"], **count}
    for at, layer in ((own_at, theirs["layer"]), (their_at, own["layer"]), (their_at, theirs["layer"])):
        moved = {"layer": layer, "bin": own["bin"], "to": "STORE", "status": "held", **row}
        yield "post", "/stock/moves", {"site": at, "rows": [moved]}
        yield "post", "/stock/putaway", {"site": at, "rows": [moved]}
    sent = {"layer": theirs["layer"], "bin": theirs["bin"], "status": "held", **row}
    yield "post", "/stock/transfers", {"site": own_at, "to": own_at, "sent_on": day, "rows": [sent]}
    yield "post", "/stock/transfers", {"site": their_at, "to": own_at, "sent_on": day, "rows": [sent]}
    for company in (own["company_code"], theirs["company_code"]):
        yield (
            "post",
            "/bills",
            {"company": company, "lines": [{"order": theirs["order_number"], "line": "1", **line}], **bill},
        )
        yield "post", "/payments", {"company": company, "parts": [{"bill": theirs["bill"], "amount": "1"}], **pay}
        yield "post", "/payments", {"company": company, "parts": [{"order": theirs["order"], "amount": "1"}], **pay}
    credit = {"kind": "credit", "lines": [{"case": theirs["case"], "amount": "1"}], **bill}
    yield "post", "/bills", {"company": own["company_code"], **credit}


def test_every_call_that_names_two_records(two):
    world, own, theirs = two
    Company.objects.update(under_tolerance=D(3))
    token = make_token(world.act("stranger"), TokenRequest("t", SCOPES, 9))
    client, told = Client(headers={"authorization": f"Bearer {token}"}), HistoryEntry.objects.count()
    for number, (method, path, body) in enumerate(bodies(own, theirs)):
        answer = client.generic(method.upper(), f"/api/v1{path}", json.dumps(body), "application/json")
        said = answer.content.decode()
        assert answer.status_code in (403, 404, 422), f"{number} {path} {body}: {answer.status_code} {said}"
        assert "not the shape" not in said, f"{path} {said}"
        assert not [word for word in secrets_of(theirs) if word in said and word not in json.dumps(body)], (
            f"{path} {said}"
        )
    assert HistoryEntry.objects.count() == told
    assert not Receipt.objects.filter(delivery_note="X").exists() and not Answer.objects.filter(outcome="open").exists()


def test_a_foreign_container_is_received_at_no_site_of_ones_own(two):
    world, own, theirs = two
    rows = (receive.ReceiveRow(theirs["shipment_line"], D(1)),)
    asked = receive.ReceiveRequest(theirs["container"], own["site"], "X", TODAY - timedelta(days=1), rows)
    with pytest.raises(Refused, match="There is no such container"):
        receive.receive(world.act("stranger"), asked)
