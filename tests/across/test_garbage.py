"""Whatever is posted to whatever address, by a person who may do everything: an answer, never a 500."""

import random
import re
from datetime import timedelta
from decimal import Decimal as D
from html.parser import HTMLParser

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.urls import reverse

from northing.access.models import Person
from northing.actions.quality import inspect
from northing.claims.models import Claim
from northing.ledger.models import CostLayer
from northing.masterdata.models import Site
from northing.orders.models import PurchaseOrder
from northing.quality.models import Inspection
from northing.shipping.models import Container, Shipment
from tests.database import worker_gave_sign
from tests.lived_in import addresses, everything
from tests.stages import staged
from tests.worlds import NOW, TODAY


def be_busy(world):
    """Goods half received, held, in store, unpacked, inspected; on the world hang the forms that wait for something."""
    everything(world)
    world.items["C"].inspected = True
    world.items["C"].save()
    shipment = world.shipment([world.sent_order({"A": D(100), "C": D(50)})])
    world.say(shipment, "departure")
    world.charge(shipment, "freight", "100.00", "USD", "volume")
    world.receive(shipment, {"A": D(60), "C": D(50)})
    layer = CostLayer.objects.get(item__code="C")
    inspect.inspect(world.act("inspector"), inspect.InspectRequest(layer.pk, D(10), D(4), "dents", TODAY))
    world.sent_order({"A": D(10)})


busy = staged("busy", be_busy)


@pytest.fixture
def forms(busy, client):
    """Addresses of forms that wait for something, by name."""
    client.force_login(Person.objects.get(username="administrator"))
    layer = CostLayer.objects.get(item__code="C", kind="stock")
    records = {
        "receive": [Container.objects.get().pk, busy.site.pk],
        "receive-order": [PurchaseOrder.objects.order_by("pk").last().pk],
        "inspect": [layer.pk],
        "case": [Claim.objects.get().pk],
        "item": [busy.items["A"].pk],
        "customs": [Shipment.objects.get().pk, busy.nz.pk],
        "move-goods": [layer.pk],
        "reverse-inspection": [Inspection.objects.get().pk],
    }
    return {name: reverse(name, args=records.get(name, [])) for name in DEEP}


WORDS = [
    "",
    "\x00",
    "0",
    "-1",
    "9" * 40,
    "1e9",
    "NaN",
    "x" * 5_000,
    "2026-02-30",
    "0001-01-01",
    "'; drop table--",
    "<b>",
]
WORDS += ["\N{GRINNING FACE}", "on", "../../etc/passwd", "{{7*7}}", "%s%n", "null", "true", "1", "2", "KLN-00001", "[]"]
NAMES = [
    "key",
    "version",
    "lines",
    "pick",
    "all",
    "query",
    "seen",
    "where",
    "sort",
    "group",
    "cols",
    "after",
    "open",
    "supplier",
    "company",
    "site",
    "item",
    "packs",
    "price",
    "quantity",
    "need_by",
    "answer_by",
    "incoterm",
    "mode",
    "remark",
    "words",
    "shared",
    "file",
    "code",
    "permissions",
    "person",
    "role",
    "limit",
    "username",
    "password",
    "decision",
    "accept",
    "refuse",
    "counter",
    "counter_on",
    "back",
    "how",
    "kind",
    "days",
    "quiet_days",
    "paused",
    "lines-TOTAL_FORMS",
    "lines-INITIAL_FORMS",
    "lines-0-item",
    "lines-0-packs",
    "lines-0-pack_price",
    "scopes",
    "name",
    "token",
    "said",
    "state",
    "page",
    "q",
    "party",
    "who",
    "new",
    "copy",
]


@pytest.mark.parametrize("seed", range(3))
def test_nothing_breaks_whatever_is_sent(lived_in, client, seed):
    world = lived_in
    everything(world)
    worker_gave_sign(NOW + timedelta(days=1))
    client.raise_request_exception = True
    client.force_login(Person.objects.get(username="administrator"))
    chance, sent = random.Random(seed), 0
    urls = [(name, url) for name, url, _ in addresses(world) if name != "sign-out"]
    for name, url in urls:
        for _ in range(3):
            data = {word: chance.choice(WORDS) for word in chance.sample(NAMES, chance.randrange(4, 30))}
            if chance.random() < 0.3:
                data["file"] = SimpleUploadedFile(
                    chance.choice(["a.csv", "b.xlsx", "c.pdf", "../d"]), GARBAGE[sent % 5]
                )
            answer = client.post(url, data) if chance.random() < 0.7 else client.get(url, data_of(data))
            assert answer.status_code < 500, (name, data)
            sent += 1
    assert sent > 200


# Pages whose own form is filled rightly, so that what is spoiled reaches the action behind it.
DEEP = [
    "receive",
    "receive-order",
    "inspect",
    "case",
    "item",
    "new-bill",
    "new-charge",
    "customs",
    "rates",
    "new-order",
]
DEEP += ["move-goods", "reverse-inspection"]


def filled(page):
    """Return what a browser would send of a page's largest form: the values of fields, the first choice of lists."""
    forms = [_Form(form) for form in re.findall(r"<form[^>]*method=.post.*?</form>", page, re.S)]
    return max(forms, key=lambda form: len(form.data), default=_Form("")).data


class _Form(HTMLParser):
    """Reads the fields of a form."""

    def __init__(self, text):
        super().__init__()
        self.data, self.list = {}, None
        self.feed(text)

    def handle_starttag(self, tag, attrs):
        one = dict(attrs)
        name, value = one.get("name"), one.get("value", "")
        if tag == "select":
            self.list = name
        elif tag == "option" and value and self.list and (self.list not in self.data or "selected" in one):
            self.data[self.list] = value
        elif tag == "input" and name and one.get("type") not in ("checkbox", "radio", "submit"):
            typed = "3" if one.get("inputmode") == "decimal" else "x1"
            self.data[name] = value or ("" if one.get("type") == "hidden" else typed)
        elif tag == "textarea" and name and value:
            self.data.setdefault(name, value)

    def handle_endtag(self, tag):
        if tag == "select":
            self.list = None


@pytest.mark.parametrize("name", DEEP)
def test_a_form_filled_rightly_but_for_one_field_breaks_nothing(forms, client, name):
    right = filled(client.get(forms[name]).content.decode())
    assert len(right) > 2, "the page has a form"
    chance = random.Random(name)
    for field in chance.sample(sorted(right), min(len(right), 12)):
        for word in chance.sample(WORDS, 4):
            with transaction.atomic():
                sent = right | {field: word, "key": f"{field}{word}"[:60], "confirmed": "yes"}
                answer = client.post(forms[name], sent)
                transaction.set_rollback(True)
            assert answer.status_code < 500, (field, word)


@pytest.mark.parametrize(
    "name", ["receive", "receive-order", "inspect", "case", "item", "customs", "reverse-inspection"]
)
def test_such_a_form_is_taken_as_its_page_fills_it(forms, client, name):
    right = filled(client.get(forms[name]).content.decode())
    right |= {one: "1" for one in right if one.startswith(("row-", "quantity"))} | {"passed": "3", "failed": "0"}
    right |= {one: "still" for one in right if one.startswith("short-")}
    right |= {one: "" for one in right if one.startswith(("condition-", "defect-"))}
    right |= {"site": Site.objects.get(code="TRG").pk}
    assert client.post(forms[name], right).status_code == 302, right


GARBAGE = [b"", b"a,b\n1,2", b"PK\x03\x04", b"%PDF-1", b"<x>" * 50]


def data_of(data):
    """Return what a query string can hold."""
    return {name: value for name, value in data.items() if name != "file"}
