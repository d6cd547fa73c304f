"""Whatever is posted to whatever address, by a person who may do everything: an answer, never a 500."""

import random
import re
from html.parser import HTMLParser

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction

from northing.access.models import Person
from tests.across.test_pages import addresses, everything, live_in


@pytest.fixture
def lived_in(world):
    """A world in which something of everything exists."""
    return live_in(world)


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
def test_nothing_breaks_whatever_is_sent(world, client, seed):
    live_in(world)
    everything(world)
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
        elif tag == "option" and value and (self.list not in self.data or "selected" in one):
            self.data[self.list] = value
        elif tag == "input" and name and one.get("type") not in ("checkbox", "radio", "submit"):
            self.data[name] = value or ("3" if one.get("inputmode") == "decimal" else "x1")
        elif tag in ("textarea", "button") and name and value:
            self.data.setdefault(name, value)


@pytest.mark.parametrize("name", DEEP)
def test_a_form_filled_rightly_but_for_one_field_breaks_nothing(lived_in, client, name):
    everything(lived_in)
    client.force_login(Person.objects.get(username="administrator"))
    url = next(url for known, url, _ in addresses(lived_in) if known == name)
    right = filled(client.get(url).content.decode())
    assert len(right) > 2, "the page has a form"
    chance = random.Random(name)
    for field in chance.sample(sorted(right), min(len(right), 12)):
        for word in chance.sample(WORDS, 4):
            with transaction.atomic():
                answer = client.post(url, right | {field: word, "key": f"{field}{word}"[:60], "confirmed": "yes"})
                transaction.set_rollback(True)
            assert answer.status_code < 500, (field, word)


@pytest.mark.parametrize("name", ["receive", "inspect", "item", "customs", "rates", "reverse-inspection"])
def test_such_a_form_is_taken_as_its_page_fills_it(lived_in, client, name):
    everything(lived_in)
    client.force_login(Person.objects.get(username="administrator"))
    url = next(url for known, url, _ in addresses(lived_in) if known == name)
    right = filled(client.get(url).content.decode())
    right |= {one: "1" for one in right if one.startswith(("row-", "quantity"))}
    right |= {"currency": "GBP", "rate": "2.1", "purpose": "book", "passed": "3", "failed": "0"}
    right |= {one: "still" for one in right if one.startswith("short-")}
    answer = client.post(url, right)
    assert answer.status_code == 302, filled(answer.content.decode())


GARBAGE = [b"", b"a,b\n1,2", b"PK\x03\x04", b"%PDF-1", b"<x>" * 50]


def data_of(data):
    """Return what a query string can hold."""
    return {name: value for name, value in data.items() if name != "file"}
