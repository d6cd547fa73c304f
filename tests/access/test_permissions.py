"""Every address as every role, as a person of the other company, by a supplier's link and by another's, as no one.

`permissions.txt` is the written table: a page a line, who a column; the first letter is what opening it gives, the
second what sending it gives. `o` open, `x` not allowed, `s` to the sign-in, `-` not there for you, `.` not made for
that.
NORTHING_WRITE_GATES=1 -n0 writes it anew: read what changed before you keep it.
"""

import os
from pathlib import Path

import pytest
from django.db import transaction
from django.test import Client
from django.urls import resolve
from django.utils import timezone

from northing.access.models import Person
from northing.actions.confirmations import supplier_links
from northing.core.problems import NotAllowed
from northing.web.common.permissions import check_permission
from tests.database import worker_gave_sign
from tests.lived_in import addresses
from tests.worlds import ROLES

TABLE = Path(__file__).parent / "permissions.txt"
# The order that supplier pages are asked for is the euro supplier's.
LINKS = {"own-link": "EUR", "other-link": "USD"}
WHO = ["nobody", *ROLES, "stranger", *LINKS]
# What a person sends that changes nothing but what is theirs.
ENTRANCE = {"account_login", "account_logout", "account_inactive", "mfa_authenticate", "mfa_login_webauthn"}
ACCOUNT = """account_change_password account_reauthenticate mfa_reauthenticate mfa_reauthenticate_webauthn
mfa_activate_totp mfa_deactivate_totp mfa_view_recovery_codes mfa_generate_recovery_codes mfa_add_webauthn
mfa_remove_webauthn mfa_index end-session new-token end-token"""
FILES = ("lines-csv", "lines-xlsx", "dock-sheet", "receipts-workbook")
OWN = {*ENTRANCE, *ACCOUNT.split(), *FILES, "save-view", "forget-view"}


def read():
    """The written table: page -> who -> its two letters."""
    head, *rows = [line.split() for line in TABLE.read_text().splitlines()]
    return {page: dict(zip(head, cells, strict=True)) for page, *cells in rows}


def letter(answer):
    """Return what an answer means."""
    if answer.status_code == 302:
        return "s" if "/access/sign-in/" in answer.url else "o"
    return {200: "o", 409: "o", 422: "o", 403: "x", 404: "-", 405: "."}.get(answer.status_code, "?")


def met(client, method, url):
    """Open or send a page; whatever that did is undone."""
    with transaction.atomic():
        answer = client.get(url) if method == "get" else client.post(url, {"key": "walk"})
        transaction.set_rollback(True)
    return letter(answer)


def walk(world, who):
    """Page -> the two letters, for one of WHO."""
    client, link = Client(), ""
    if who in LINKS:
        asked = supplier_links.InviteRequest(world.parties[LINKS[who]].pk)
        link = supplier_links.invite(world.act("expediter"), asked).rstrip("/").rpartition("/")[2]
    elif who != "nobody":
        client.force_login(Person.objects.get(username=who))
    found = {}
    for name, url, wanted in addresses(world):
        if "token" in wanted:
            if link:
                url = url.replace(url.split("/")[3], link)
        elif link:
            found[name] = "ss"  # a link is no session
            continue
        found[name] = met(client, "get", url) + ("." if name == "account_logout" else met(client, "post", url))
    return found


# Whom the pages are really asked as; of the others the table is held against what each page states.
ASKED = ["nobody", "viewer", "dock", "administrator", "stranger", *LINKS]
STATED = [who for who in WHO if who not in ASKED]


@pytest.mark.parametrize("who", WHO if os.environ.get("NORTHING_WRITE_GATES") else ASKED)
def test_every_page_is_as_open_as_the_written_table_says(lived_in, settings, tmp_path, who):
    settings.FILES = tmp_path
    worker_gave_sign(timezone.now())
    found = walk(lived_in, who)
    if os.environ.get("NORTHING_WRITE_GATES"):
        _write(who, found)
    written = read()
    assert set(found) == set(written), "pages that are not in the table, or are no more"
    assert found == {page: cells[who] for page, cells in written.items()}


def test_what_pages_state_is_what_the_table_says(lived_in):
    written, wrong = read(), []
    people = {who: Person.objects.get(username=who) for who in STATED}
    for name, url, _ in addresses(lived_in):
        view, _, words = resolve(url)
        for who, person in people.items():
            for method, cell in zip(("GET", "POST"), written[name][who], strict=True):
                if not stated(person, view, method, words) and cell not in "x.":
                    wrong.append(f"{name}: {who} may not {method}, and the table says {cell}")
    assert wrong == []


def stated(person, view, method, words):
    """Whether a page states that a person may open or send it."""
    try:
        return check_permission(person, view, method, words)
    except NotAllowed:
        return False


def _write(who, found):
    known = read() if TABLE.exists() and who != WHO[0] else {}
    rows = {page: known.get(page, {}) | {who: cell} for page, cell in found.items()}
    lines = [" " * 28 + "".join(f"{one:>14}" for one in WHO)]
    lines += [
        f"{page:28}" + "".join(f"{cells.get(one, '?'):>14}" for one in WHO) for page, cells in sorted(rows.items())
    ]
    TABLE.write_text("\n".join(lines) + "\n")


def test_what_the_table_says_is_meant():
    """Read off the table, not off the application: the sentences it has to fulfil."""
    table = read()
    by_link = {page for page in table if page.startswith(("supplier", "provider"))}
    by_link = by_link - {"supplier-record", "supplier-facts", "provider-links"} | {"arrivals"}
    pages = set(table) - by_link
    for page in pages - ENTRANCE - {"healthz"}:
        assert table[page]["nobody"] == "ss", f"{page} is open to no one"
    for page in pages - OWN:
        assert table[page]["viewer"][1] in "x.-", f"a viewer acts on {page}"
    for page in pages - ENTRANCE - {"healthz"}:
        assert {table[page][link] for link in LINKS} == {"ss"}, f"a link opens {page}"
    for page in ("supplier-pdf", "supplier-xml"):
        assert (table[page]["own-link"], table[page]["other-link"]) == ("o.", "-."), page
    for page in ("order", "line", "shipment", "receipt", "layer", "entry", "document", "record", "order-pdf"):
        assert table[page]["stranger"][0] == "-", f"the other company sees {page}"
