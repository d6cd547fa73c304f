"""Whatever is posted to whatever address, by a person who may do everything: an answer, never a 500."""

import random

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from northing.access.models import Person
from tests.across.test_pages import addresses, everything, live_in

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


GARBAGE = [b"", b"a,b\n1,2", b"PK\x03\x04", b"%PDF-1", b"<x>" * 50]


def data_of(data):
    """Return what a query string can hold."""
    return {name: value for name, value in data.items() if name != "file"}
