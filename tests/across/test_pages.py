"""Every page: who may see it, how many queries it takes, what bad input does to it."""

from datetime import timedelta
from decimal import Decimal as D

import pytest
from bench.bulk import fill
from django.core.management import CommandError, call_command
from django.db import connection, transaction
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from northing.access.models import Person
from northing.actions.confirmations import answers
from northing.actions.costing import charges
from northing.actions.worklist import refresh
from northing.confirmations.models import Answer
from northing.costing.models import Charge
from northing.customs.models import CustomsEntry
from northing.masterdata.models import Agreement, Company, ExchangeRate
from northing.orders.models import Instalment, OrderLine, PurchaseOrder
from northing.receiving.models import Receipt
from northing.shipping.models import (
    Container,
    Shipment,
    ShipmentLine,
)
from tests.lived_in import addresses, everything
from tests.stages import staged
from tests.worlds import CONTAINERS, ROLES, TODAY, small_world

LISTS = [
    "watch",
    "lines",
    "answers",
    "chasers",
    "orders",
    "passage",
    "loading-list",
    "costs",
    "dock",
    "quality",
    "bills",
    "stock",
    "ledger",
    "trial-balance",
]


# What belongs to no company, each with why. What a link opens is walked in tests/access/test_permissions.py.
SHARED = {
    "item": "companies share items; its stock and orders are those one sees",
    "delay-cost": "of an item; the action asks for the right in every company that uses it",
    "item-labels": "an item's GTIN and name",
    "item-costs": "landed costs of the companies one sees",
    "adjust-stock": "of an item, at the sites one sees",
    "supplier-record": "companies share suppliers; the page shows orders one sees",
    "supplier-facts": "the action asks for the right in every company that deals with it",
    "agree": "as above",
    "chase": "takes up the lines of one's own companies only",
    "provider-links": "which links a provider has, without their tokens",
    "invite": "the action asks for the right in every company that deals with the party",
    "revoke": "as above",
    "tariff-change": "the rules of the tariff are common; its lines are those one sees",
    "voyage": "companies share voyages; it shows the shipments one sees",
    "voyage-happens": "the action asks for the right in every company aboard",
    "mfa_remove_webauthn": "one's own passkey, by allauth",
    "records": "kinds of records; those of a company are of the companies one sees",
    "new-record": "as above",
    "records-file": "as above; the action judges each row",
    "records-csv": "as above",
    "leave": "who signs in is known to everybody; the action asks for the right in each of the person's companies",
    "lift-lock": "as above",
    "end-hook": "webhooks are ended by who keeps the house",
    "end-any-token": "tokens of the house are ended by who keeps it",
    "keep-house": "who signs in is known to everybody; only who keeps the house sends it",
}


def test_records_of_another_company_are_not_there(lived_in, client):
    stranger = Person.objects.get(username="stranger")
    for role in ROLES:
        stranger.grants.get_or_create(company=lived_in.au, role=role)
    client.force_login(stranger)
    for name, url, wanted in addresses(lived_in):
        if wanted and name not in SHARED and "token" not in wanted:
            assert client.get(url).status_code in (404, 405), url
            assert client.post(url, {"key": "k"}).status_code in (404, 405), url
    assert b"KLN-" not in client.get("/orders/lines/?where=all").content
    assert b"KLN-" not in client.get("/reports/find/?q=KLN").content
    assert b"Nothing is called that" in client.get(f"/reports/find/?q={CONTAINERS[0]}").content


def test_queries_of_lists_do_not_grow(db, client):
    """Each list takes as many queries with 10 rows as with 1,000."""
    world = small_world()
    client.force_login(Person.objects.get(username="accounts"))
    counted = []
    for rows in (10, 1_000):
        fill(world, rows)
        counted.append({name: queries_of(client, reverse(name)) for name in LISTS})
    assert counted[0] == counted[1] and max(counted[0].values()) <= 16, counted


def queries_of(client, url):
    """How many queries a page takes, once it is warm."""
    client.get(url)
    with CaptureQueriesContext(connection) as queries:
        assert client.get(url).status_code == 200, url
    return len(queries)


def test_queries_of_records_do_not_grow_with_their_lines(lived_in, client):
    """A record of two lines and one of forty take the same queries."""
    counted = []
    everything(lived_in)
    client.force_login(Person.objects.get(username="administrator"))
    for lines, number in ((2, CONTAINERS[0]), (40, CONTAINERS[1])):
        items = [lived_in.items["C"]] + [make_item(lived_in, f"{lines}-{n}") for n in range(lines - 1)]
        order = lived_in.sent_order({item.code: D(20) for item in items})
        shipment = lived_in.shipment([order], number)
        lived_in.say(shipment, "departure")
        charge = lived_in.charge(shipment, "freight", f"{lines}0.00", "USD", "quantity")
        receipt = lived_in.receive(shipment, {item.code: D(5) for item in items})
        box = Container.objects.get(shipment=shipment)
        pages = {name: [order.pk] for name in ("order", "change-order", "cancel-order", "answer")}
        pages |= {"shipment": [shipment.pk], "receive": [box.pk, lived_in.site.pk], "receipt": [receipt]}
        pages |= {"charge": [charge], "new-charge": [], "line": [order.lines.first().pk]}
        counted.append({name: queries_of(client, reverse(name, args=args)) for name, args in pages.items()})
    # One less for many lines: a story names no lines where it is about the whole.
    few, many = counted
    assert all(0 <= few[name] - many[name] <= 1 for name in few) and max(few.values()) <= 38, counted


def make_item(world, code):
    """One more item of the dollar supplier."""
    item = world.items["C"].__class__.objects.create(code=f"X{code}", description="more", hs_code="1", origin="CN")
    Agreement.objects.create(
        supplier=world.parties["USD"], item=item, price=1, currency="USD", valid_from=TODAY - timedelta(days=9)
    )
    return item


def lay_long_lists(world):
    """Thirty rows of whatever lists show."""
    for _ in range(3):
        fill(world, 10)


long_lists = staged("long_lists", lay_long_lists)


@pytest.mark.parametrize("name", ["watch", "lines", "orders", "passage", "costs", "bills", "stock", "ledger"])
def test_every_row_of_a_long_list_can_be_reached(long_lists, client, monkeypatch, name):
    monkeypatch.setattr("northing.reports.line_book.rows.PAGE", 2)
    for finder in ("page_of", "page_of_keys", "page_of_rows"):
        monkeypatch.setattr(f"northing.web.common.paging.{finder}.__defaults__", (2,))
    client.force_login(Person.objects.get(username="accounts"))
    url, seen, pages = reverse(name) + "?where=all", set(), 0
    while url and pages < 200:
        page = client.get(url).context["page"]
        assert len(page.rows) <= 2
        rows = {str(row["id"] if isinstance(row, dict) and "id" in row else row) for row in page.rows}
        assert not rows & seen, "a row stands on two pages"
        seen, pages = seen | rows, pages + 1
        url = page.next and reverse(name) + page.next
    assert pages > 1 or name == "stock"


BAD = ["", "0", "-1", "1e12", "NaN", "9" * 40, "abc", "1.123456", "١٢", "\x00", "<b>", "1,2,3"]


@pytest.mark.parametrize("value", BAD)
def test_bad_figures_get_a_sentence_and_keep_what_was_typed(lived_in, client, value):
    person = Person.objects.get(username="dock")
    client.force_login(person)
    lived_in.shipment([lived_in.sent_order({"A": D(20)})], CONTAINERS[1])
    part = ShipmentLine.objects.order_by("pk").last()
    url = reverse("receive", args=[part.container_id, lived_in.site.pk])
    before = Receipt.objects.count()
    answer = client.post(
        url, {"key": "k", "delivery_note": "DN-keep", "occurred_on": "2026-11-24", f"row-{part.pk}": value}
    )
    assert answer.status_code == 422 and b'role="alert"' in answer.content
    assert b"DN-keep" in answer.content and Receipt.objects.count() == before


@pytest.mark.parametrize(
    "query",
    [
        "after=0~~",
        "after=99999999999999999999~x",
        "after=1~x&sort=expected_on",
        "after=1~2026-13-40&sort=-need_by",
        "after=1~NaN&sort=value",
        "after=1~&sort=slip",
        "after=1~9e99&sort=-slack",
        "after=x~y~z&group=supplier",
        "after=1~999999~2026-01-01&group=week",
        "where=expected+never&group=move&sort=supplier",
        "sort=drop&group=drop&cols=drop,,line:99999",
        "where=%00",
        "where=%25_%5C",
        "where=all,late,units+held",
        "where=from+nobody,of+nothing,hs+1,order+x,to+y,buyer+z",
        "open=999999999999999999999",
        "cols=line,reason,company,buyer,group,hs,port,site&sort=-group",
    ],
)
def test_bad_filters_do_no_harm(lived_in, client, query):
    client.force_login(Person.objects.get(username="expediter"))
    assert client.get(f"/orders/lines/?{query}").status_code == 200


def test_forms_show_each_problem_beside_its_field(lived_in, client):
    client.force_login(Person.objects.get(username="expediter"))
    shipment = {"lines-TOTAL_FORMS": "1", "lines-INITIAL_FORMS": "0", "lines-0-item": "NOPE", "lines-0-packs": "5"}
    head = {
        "key": "k",
        "supplier": lived_in.parties["USD"].pk,
        "company": lived_in.nz.pk,
        "site": lived_in.site.pk,
        "incoterm": "FOB",
        "ours_from": "on_board",
        "need_by": "2099-01-01",
        "mode": "sea",
    }
    answer = client.post("/orders/new/", head | shipment).content.decode()
    assert answer.count("There is no item with the code or GTIN") == 2 and 'value="NOPE"' in answer
    broken = client.post("/orders/new/", {"key": "k", "lines-TOTAL_FORMS": "x"})
    assert broken.status_code == 422
    none = client.post("/orders/new/", head | shipment | {"lines-0-item": "", "lines-0-packs": ""})
    assert b"The order has no line" in none.content


def test_wrong_container_number_says_the_right_digit(lived_in, client):
    client.force_login(Person.objects.get(username="shipping"))
    wrong = CONTAINERS[1][:-1] + str((int(CONTAINERS[1][-1]) + 3) % 10)
    box = {"box-0-id": "", "box-0-number": wrong, "box-0-type": "22G1", "box-0-seal": ""}
    answer = client.post(reverse("load-new"), {"key": "k2", **box})
    assert answer.status_code == 422
    assert f"it would be {CONTAINERS[1][-1]}" in answer.content.decode() and not Container.objects.filter(number=wrong)


def test_the_wrong_role_is_told_so(lived_in, client):
    client.force_login(Person.objects.get(username="dock"))
    draft = PurchaseOrder.objects.order_by("pk").first()
    answer = client.post(reverse("approve", args=[draft.pk]), {"key": "k"}, follow=True)
    assert "You may not approve orders" in answer.content.decode()


def test_headers_keep_the_page_to_itself(client, db):
    answer = client.get("/access/sign-in/")
    policy = answer.headers["Content-Security-Policy"]
    assert "default-src 'none'" in policy and "unsafe" not in policy
    assert answer.headers["X-Frame-Options"] == "DENY"
    assert b'style="' not in answer.content


def test_a_customs_entry_is_shown_and_booked(lived_in, client):
    client.force_login(Person.objects.get(username="costs"))
    url = reverse("customs", args=[Shipment.objects.get().pk, lived_in.nz.pk])
    shown = client.get(url).content.decode()
    # 100 cups at EUR 2.15, customs rate 1.7790, duty 5 %
    assert "382.49" in shown and "19.12" in shown
    entry = {"key": "k", "office": lived_in.parties["customs"].pk, "number": "E-9", "day": "2026-11-24"}
    assert client.post(url, entry | {"number": ""}).status_code == 422
    assert client.post(url, entry).status_code == 302
    assert CustomsEntry.objects.get().duty == D("19.12")
    again = client.post(url, entry | {"key": "l", "number": "E-10"})
    assert again.status_code == 422 and b"has a customs entry for this shipment already" in again.content
    first = CustomsEntry.objects.get()
    assert f'value="{first.pk}"' in client.get(url).content.decode()
    corrected = entry | {"key": "m", "number": "E-10", "corrects": first.pk}
    assert client.post(url, corrected).status_code == 302
    second = CustomsEntry.objects.get(reversed_by=None)
    assert (second.number, second.corrects) == ("E-10", first)
    assert b"does not stand any more" in client.post(url, corrected | {"key": "n", "number": "E-11"}).content
    undo = client.post(reverse("reverse-customs-entry", args=[second.pk]), {"key": "o", "reason": "withdrawn"})
    assert undo.status_code == 302 and not CustomsEntry.objects.filter(reversed_by=None).exists()


def test_a_rate_is_entered_and_corrected(lived_in, client):
    client.force_login(Person.objects.get(username="accounts"))
    rate = {"key": "k", "company": lived_in.nz.pk, "currency": "gbp", "purpose": "book", "day": "2026-11-24"}
    for value in ("2.11", "2.12"):
        assert client.post(reverse("rates"), rate | {"rate": value, "key": value}).status_code == 302
    assert ExchangeRate.objects.get(currency="GBP").rate == D("2.12")
    assert client.post(reverse("rates"), rate | {"currency": "GBQ", "rate": "1", "key": "q"}).status_code == 422


def test_a_bill_that_replaces_its_estimate_shows_old_and_new(lived_in, client):
    client.force_login(Person.objects.get(username="costs"))
    shipment = Shipment.objects.get()
    estimate = charges.enter_estimate(
        lived_in.act("costs"),
        charges.ChargeRequest(
            lived_in.nz.pk, lived_in.parties["provider"].pk, "haulage", "weight", "NZD", D(90), TODAY, (shipment.pk,)
        ),
    )
    url = f"{reverse('new-charge')}?charge={estimate}"
    form = client.get(url).context["form"]
    said = {field.html_name: field.value() for field in form if field.value()}
    assert (said["amount"], said["over"], said["basis"]) == ("90", str(shipment), "weight")
    bill = said | {"key": "k", "charge": estimate, "amount": "99.00", "bill_number": "H-1"}
    effect = client.post(url, bill | {"act": "show"})
    assert b"What booking does" in effect.content and Charge.objects.get(pk=estimate).billed is None
    assert client.post(url, bill).status_code == 302
    assert Charge.objects.get(pk=estimate).billed == 99
    assert client.post(url, bill | {"key": "l"}).status_code == 422


def test_a_charge_is_entered_by_names_and_what_follows_is_not_asked(lived_in, client):
    client.force_login(Person.objects.get(username="costs"))
    order = lived_in.sent_order({"A": D(20)})
    url = f"{reverse('new-charge')}?over={order.number}&back=/orders/{order.pk}/"
    form = client.get(url).context["form"]
    assert (form["over"].value(), form["company"].value(), form["basis"].value()) == (
        order.number,
        lived_in.nz.pk,
        None,
    )
    supplier = lived_in.parties["USD"]
    said = {"over": order.number, "payee": supplier.pk, "amount": "12", "kind": "handling", "basis": "value"}
    said |= {
        "day": TODAY.isoformat(),
        "company": lived_in.nz.pk,
        "back": f"/orders/{order.pk}/",
        "remark": "crates",
        "key": "k",
    }
    assert b"There is no shipment, container, order or line KLN-9" in client.post(url, said | {"over": "KLN-9"}).content
    answer = client.post(url, said)
    assert answer.url == f"/orders/{order.pk}/"
    charge = Charge.objects.latest("pk")
    assert (charge.currency, charge.payee, charge.billed, charge.remark) == ("USD", supplier, None, "crates")
    assert f"{order.number}" in client.get(reverse("costs")).content.decode()
    assert client.get(url).context["form"]["payee"].value() == supplier.pk, "the last payee stands there"
    assert client.get(reverse("new-charge"), {"over": "PO\x00 ,, 1/"}).status_code == 200
    many = " ".join(f"PO-{number}" for number in range(41))
    assert b"At most 40 names" in client.post(url, said | {"over": many}).content


def test_closed_periods_are_said_on_the_page(lived_in, client):
    Company.objects.update(closed_through=TODAY)
    client.force_login(Person.objects.get(username="dock"))
    lived_in.shipment([lived_in.sent_order({"A": D(20)})], CONTAINERS[1])
    part = ShipmentLine.objects.order_by("pk").last()
    url = reverse("receive", args=[part.container_id, lived_in.site.pk])
    form = {"key": "k", "delivery_note": "DN-1", "occurred_on": "2026-11-24", f"row-{part.pk}": "20"}
    said = client.post(url, form, follow=True).content.decode()
    assert "posted in the first open one, on 25 Nov 2026" in said


@pytest.mark.parametrize(
    ("command", "table", "rows", "words"),
    [
        ("check_positions", "positions_movement", "target = 'held'", "movements say 0"),
        ("check_books", "ledger_posting", "account = 'accrued_charges' and amount > 0", "accrued_charges.* explained"),
        *(
            ("check_books", "ledger_posting", f"account = '{account}'", f"{account} of company .* explained")
            for account in ("stock", "owned_not_billed", "provider_payable")
        ),
        ("check_books", "ledger_openitem", "account = 'provider_payable'", "open item .*None, posted"),
        ("check_books", "ledger_layercost", "true", "components 0"),
        ("check_stock", "inventory_stockmovement", "target_status <> ''", "movements say"),
    ],
)
def test_the_proofs_are_commands_that_can_fail(lived_in, capsys, command, table, rows, words):
    call_command(command)
    assert "everything holds" in capsys.readouterr().out
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute("set constraints all immediate")
            cursor.execute(f"alter table {table} disable trigger user")
            cursor.execute(f"delete from {table} where {rows}")
        with pytest.raises(CommandError, match=words):
            call_command(command)
        transaction.set_rollback(True)


def test_begin_is_a_command(world, tmp_path, capsys):
    file = tmp_path / "stock.csv"
    file.write_text("company,site,item,quantity,value,received_on\nKLN,TRG,A,64,2560.00,2026-06-01\n")
    call_command("begin", "stock", str(file), "--as", "administrator")
    assert "1 rows of stock.csv are in" in capsys.readouterr().out
    for what, who, words in ((file, "nobody", "no person 'nobody'"), (tmp_path / "no.csv", "administrator", "No such")):
        with pytest.raises(CommandError, match=words):
            call_command("begin", "stock", str(what), "--as", who)
    with pytest.raises(CommandError, match="lacks the columns"):
        call_command("begin", "orders", str(file), "--as", "administrator")


def test_a_decision_without_a_word_decides_nothing(lived_in, client):
    order = lived_in.sent_order({"A": D(10)}, agreed=False)
    part = Instalment.objects.get(line__order=order)
    row = answers.AnswerRow(part.pk, D(6), part.asked_on, D(20))
    answers.record_answers(lived_in.act("expediter"), answers.AnswersRequest(order.pk, "X", TODAY, (row,)))
    answer = Answer.objects.get(outcome="open")
    client.force_login(Person.objects.get(username="expediter"))
    for decision, outcome in (({}, "open"), ({"decision": "refuse", "back": "line"}, "refused")):
        client.post(reverse("decide", args=[answer.pk]), decision)
        answer.refresh_from_db()
        assert answer.outcome == outcome


def test_what_did_not_happen_is_not_expected_before_today(lived_in, client):
    OrderLine.objects.filter(item__code="C").update(need_by=TODAY)
    Instalment.objects.filter(line__item__code="C").update(expected_on=TODAY - timedelta(days=30))
    client.force_login(Person.objects.get(username="expediter"))
    refresh.refresh_every_line()
    row = next(row for row in client.get("/orders/lines/?where=open").context["page"].rows if row["code"] == "C")
    assert row["col_slack"] == 0 and "24 Nov" in client.get("/orders/lines/?where=open").content.decode()
    OrderLine.objects.filter(item__code="C").update(need_by=TODAY - timedelta(days=1))
    refresh.refresh_every_line()
    late = client.get("/orders/lines/?where=late").context["page"].rows
    assert [(row["code"], row["col_slack"]) for row in late] == [("C", -1)]
