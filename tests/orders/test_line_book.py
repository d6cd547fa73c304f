"""The line book: what a sentence finds, groups, files, acts on many lines, views under a name."""

import csv
import io
import re
from datetime import timedelta
from decimal import Decimal as D
from urllib.parse import parse_qsl

import openpyxl
import pytest
from bench.bulk import fill_lines
from django.urls import reverse

from northing.access.models import Person
from northing.actions.confirmations import answers
from northing.actions.orders.cancel import StopRequest, cancel
from northing.actions.worklist import proof, refresh
from northing.activity.models import HistoryEntry
from northing.confirmations.models import Answer
from northing.jobs import jobs
from northing.jobs.models import Job
from northing.masterdata.models import Item, Party
from northing.messaging.models import Message
from northing.orders.models import Instalment, OrderLine, PurchaseOrder
from northing.reports.line_book.asked import asked_from
from northing.reports.line_book.rows import book_page, totals
from northing.reports.line_book.where import where
from northing.worklist.models import LineSummary, Matter, SavedView
from tests.stages import staged
from tests.worlds import TODAY


def lay_book(world):
    """Lines in every state: packed and departed, held, not agreed, answered differently, of the other company."""
    world.items["B"].__class__.objects.filter(code="B").update(inspected=True)
    landed = world.shipment([world.sent_order({"B": D(100)})])
    world.say(landed, "departure")
    world.receive(landed, {"B": D(60)}, still_coming=True)
    world.sent_order({"C": D(10)}, agreed=False)
    different = world.sent_order({"A": D(50)}, agreed=False)
    answer(world, different, D(40), later=9)
    world.sent_order({"A": D(7)}, company=world.au)


def lay_long_book(world):
    """The same, and twenty more."""
    lay_book(world)
    fill_lines(world, 20)


book = staged("book", lay_book)
long_book = staged("long_book", lay_long_book)


def answer(world, order, quantity, later=0):
    """The supplier answers every instalment with another quantity and day."""
    rows = tuple(
        answers.AnswerRow(part.pk, quantity, part.asked_on + timedelta(days=later), part.pack_price)
        for part in Instalment.objects.filter(line__order=order)
    )
    answers.record_answers(world.act("expediter"), answers.AnswersRequest(order.pk, "R", TODAY, rows))


def codes(world, sentence, companies=None):
    """Item codes that a sentence finds."""
    page = book_page(asked_from(Query({"where": sentence}), TODAY), companies or {world.nz.pk, world.au.pk}, TODAY)
    return sorted(row["code"] for row in page.rows)


class Query(dict):
    """A query string as views get it."""

    def getlist(self, name):
        return [self[name]] if name in self else []


SENTENCES = [
    ("open", "AABC"),
    ("", "AABC"),
    ("finished", ""),
    ("all", "AABC"),
    ("from Supplier USD", "AAC"),
    ("from seur", "B"),
    ("from Supplier USD or Supplier EUR", "AABC"),
    ("of A", "AA"),
    ("of kettles or cups", "AAB"),
    ("of test", "AABC"),
    ("hs 8516", "AABC"),
    ("hs 99", ""),
    ("to TRG", "ABC"),
    ("to MEL", "A"),
    ("our move", "A"),
    ("carrier's move", ""),
    ("customs' move", "B"),
    ("supplier's move", "AC"),
    ("units held", "B"),
    ("units landed", "B"),
    ("units under way", ""),
    ("units rejected", ""),
    ("not agreed", "AC"),
    ("agreed", "AB"),
    ("partly agreed", ""),
    ("answer waits", "A"),
    ("received", "B"),
    ("not received", "AAC"),
    ("not packed", "AAC"),
    ("billed", ""),
    ("not billed", "B"),
    ("late", ""),
    ("late against promise", ""),
    ("expected next 200 days", "AABC"),
    ("expected overdue", ""),
    ("need-by next 200 days", "AABC"),
    ("need-by overdue", ""),
    ("promised never", "AC"),
    ("promised next 200 days", "AB"),
    ("buyer expediter", "AABC"),
    ("buyer no one", ""),
    ("infus", "C"),
    ("Supplier EUR", "B"),
    ("our move, of B", ""),
    ("not agreed, of infusers", "C"),
    ("not agreed and of infusers", "C"),
]


@pytest.mark.parametrize(("sentence", "found"), SENTENCES)
def test_a_sentence_finds(book, sentence, found):
    assert codes(book, sentence) == sorted(found)


def test_what_we_and_they_call_an_order_finds_it(book, signed_in):
    PurchaseOrder.objects.filter(lines__item__code="B").update(reference="JOB 7/26", supplier_reference="SO-4711")
    assert [codes(book, words) for words in ("job 7", "order SO-4711", "order JOB 7/26")] == [["B"]] * 3
    page = signed_in("expediter").get(reverse("find"), {"q": "job 7"}).content.decode()
    assert "Supplier EUR · JOB 7/26 · SO-4711" in page


def test_what_is_not_understood_is_said_with_what_it_may_have_meant(book, signed_in):
    page = signed_in("expediter").get(reverse("lines"), {"where": "not pakced, from Atlantis"}).content.decode()
    assert "No order, item or supplier is called “not pakced”. Did you mean" in page and ">not packed</a>" in page
    assert "No supplier or port is called Atlantis. Check the spelling" in page
    assert page.count('class="unknown"') == 2


def test_a_line_that_is_finished_is_said_and_linked(book, signed_in):
    world = book
    order = world.sent_order({"C": D(3)})
    cancel(world.act("expediter"), StopRequest(order.pk))
    page = signed_in("expediter").get(reverse("lines"), {"where": order.number}).content.decode()
    assert "No open line fits." in page and "1 finished line</a> does" in page
    address = re.search(r'href="([^"]*)">1 finished line', page)[1].replace("&amp;", "&")
    assert f"{order.number}/1" in signed_in("expediter").get(address).content.decode()


def test_only_the_lines_of_ones_companies(book):
    assert codes(book, "all", {book.au.pk}) == ["A"] and codes(book, "all", {book.nz.pk}) == ["A", "B", "C"]
    number = OrderLine.objects.filter(order__company=book.nz).first().order.number
    assert codes(book, f"order {number}", {book.au.pk}) == []


@pytest.mark.parametrize("group", ["supplier", "item", "order", "site", "port", "week", "move"])
def test_groups_hold_every_line_once_and_their_subtotals_add_up(book, group):
    asked = asked_from(Query({"where": "all", "group": group, "sort": "-value"}), TODAY)
    companies = {book.nz.pk, book.au.pk}
    page = book_page(asked, companies, TODAY)
    assert len({row["id"] for row in page.rows}) == len(page.rows) == page.counted == 4
    found = {total["currency"]: total["value"] for total in totals(where(asked.clauses, companies, TODAY))}
    added = {}
    for one in page.groups:
        for currency, value in one.values.items():
            added[currency] = added.get(currency, 0) + value
    assert added == found and sum(one.lines for one in page.groups) == 4
    for one in page.groups:
        if one.phrase:
            narrowed = asked_from(Query({"where": f"all, {one.phrase}"}), TODAY)
            assert len(book_page(narrowed, companies, TODAY).rows) == one.lines, one.phrase


SORTS = [
    "line",
    "item",
    "supplier",
    "ordered",
    "value",
    "need_by",
    "promise",
    "slip",
    "slack",
    "since",
    "move",
    "buyer",
]


@pytest.mark.parametrize("sort", [*SORTS, *(f"-{sort}" for sort in SORTS)])
@pytest.mark.parametrize("group", ["", "supplier"])
def test_pages_follow_each_other_in_every_order(long_book, monkeypatch, sort, group):
    monkeypatch.setattr("northing.reports.line_book.rows.PAGE", 3)
    seen, after = [], ""
    while True:
        asked = asked_from(Query({"where": "all", "sort": sort, "group": group, "after": after}), TODAY)
        page = book_page(asked, {long_book.nz.pk, long_book.au.pk}, TODAY)
        seen += [row["id"] for row in page.rows]
        if not page.next:
            break
        after = Query(parse(page.next))["after"]
    assert len(seen) == len(set(seen)) == LineSummary.objects.count() == 24


def parse(address):
    return dict(parse_qsl(address.lstrip("?")))


def test_the_figures_of_a_line(book):
    line = LineSummary.objects.get(item__code="B")
    assert (line.ordered, line.held, line.landed, line.received, line.outstanding) == (100, 60, 40, 60, 40)
    assert (line.billed, line.unbilled, line.agreed) == (0, 100, 100)
    assert line.value == D("86.0000") and line.value_base == D("153.2090")
    assert line.party == "customs" and line.reason == "landed without a customs entry"


def test_moves_are_proved_and_mended(book):
    assert proof.move_faults() == []
    LineSummary.objects.filter(item__code="B").update(held=1)
    LineSummary.objects.filter(item__code="C").delete()
    Matter.objects.filter(kind="instalment").first().delete()
    Matter.objects.filter(kind="shipment").update(party="dock")
    faults = proof.move_faults()
    assert len(faults) == 6 and sum("stands otherwise" in fault for fault in faults) == 2
    assert len(proof.move_faults(mend=True)) == 6 and proof.move_faults() == []


def test_what_is_seen_comes_as_csv(book, client):
    Item.objects.filter(code="C").update(description="=cmd|' /C calc'!A0")
    client.force_login(Person.objects.get(username="expediter"))
    query = {"query": "?where=all&cols=line,item,strip,ordered,value,need_by,move,slip"}
    answer = client.post("/orders/lines/csv/", query)
    text = b"".join(answer.streaming_content).decode("utf-8-sig")
    rows = list(csv.DictReader(io.StringIO(text)))
    cups = next(row for row in rows if row["Item"] == "B")
    assert (cups["held"], cups["Ordered"], cups["Value out"], cups["Move"]) == ("60", "100", "86.00", "customs' move")
    assert cups["Need by"] == (TODAY + timedelta(days=90)).isoformat()
    assert next(row for row in rows if row["Item"] == "C")["Description"].startswith("'=")
    assert [row["Line"] for row in rows[-2:]] == ["Total AUD", "Total NZD"] and len(rows) == 6


def test_what_is_seen_comes_as_a_workbook(book, client):
    Item.objects.filter(code="C").update(description="=1+1")
    client.force_login(Person.objects.get(username="expediter"))
    query = {"query": "?where=all&cols=line,item,ordered,value,need_by"}
    answer = client.post("/orders/lines/xlsx/", query, follow=True)
    sheet = openpyxl.load_workbook(io.BytesIO(b"".join(answer.streaming_content))).active
    rows = [[cell.value for cell in row] for row in sheet.iter_rows()]
    cups = next(row for row in rows if row[1] == "B")
    assert cups[3] == 100 and cups[5] == 86 and cups[7].date() == TODAY + timedelta(days=90)
    assert next(row for row in rows if row[1] == "C")[2] == "=1+1"
    assert sheet["C4"].data_type == "s" and rows[-1][0] == "Total NZD"


def test_only_what_was_picked_goes_into_the_file(book, client):
    client.force_login(Person.objects.get(username="stranger"))
    every = list(OrderLine.objects.values_list("pk", flat=True))
    answer = client.post("/orders/lines/csv/", {"query": "?where=all", "pick": every})
    rows = list(csv.DictReader(io.StringIO(b"".join(answer.streaming_content).decode("utf-8-sig"))))
    assert [row["Item"] for row in rows[:-1]] == ["A"] and rows[-1]["Line"] == "Total AUD"


def test_views_are_kept_shared_and_forgotten(book, client):
    client.force_login(Person.objects.get(username="expediter"))
    kept = {"name": "Mine", "query": "?where=late&sort=-value&cols=line,item"}
    assert client.post("/orders/lines/views/", kept).status_code == 302
    client.post("/orders/lines/views/", kept | {"name": "Ours", "shared": "on"})
    client.post("/orders/lines/views/", kept | {"name": "Ours", "shared": "on", "query": "?where=our move"})
    assert client.post("/orders/lines/views/", {"name": " "}, follow=True).content.count(b"Give the view a name") == 1
    page = client.get("/orders/lines/?where=open").content.decode()
    assert ">Mine" in page and ">Ours" in page
    client.force_login(Person.objects.get(username="dock"))
    page = client.get("/orders/lines/?where=open").content.decode()
    assert ">Mine" not in page and ">Ours" in page
    shared = SavedView.objects.get(name="Ours")
    assert client.post(reverse("forget-view", args=[shared.pk])).status_code == 404
    client.force_login(shared.owner)
    assert client.post(reverse("forget-view", args=[shared.pk])).status_code == 302
    assert SavedView.objects.count() == 1


def do_many(client, name, entered, picks=None, query="?where=all"):
    """The act's effect, then the act: as a browser sends both."""
    chosen = {"query": query, **({"pick": picks} if picks is not None else {"all": "1"})}
    effect = client.post(f"/orders/lines/many/{name}/", chosen)
    context = effect.context
    sent = client.post(
        f"/orders/lines/many/{name}/", chosen | {"key": name, "seen": context["seen"]} | entered, follow=True
    )
    return context["effect"], sent


def test_many_answers_are_accepted_and_what_is_refused_is_said(book, client):
    client.force_login(Person.objects.get(username="expediter"))
    effect, done = do_many(client, "accept", {})
    assert len(effect.keys) == 1 and "by up to 9 days" in " ".join(effect.says)
    assert Answer.objects.get(outcome="accepted", quantity=40)
    job = Job.objects.get()
    assert job.state == "done" and job.done == 1 and job.refused == []
    # The same form again is the same job; what is decided is not decided twice.
    again = jobs.begin(book.act("expediter", "z"), "accept_answers", "again", {"keys": effect.keys}, 1, "", False)
    jobs.run(again.pk)
    again.refresh_from_db()
    assert again.state == "done" and "accepted already" in again.refused[0]["why"] and "KLN" in again.refused[0]["name"]


def test_need_by_and_buyer_of_many(book, client):
    client.force_login(Person.objects.get(username="expediter"))
    day = TODAY + timedelta(days=200)
    _, done = do_many(client, "need-by", {"need_by": day.isoformat()})
    assert set(OrderLine.objects.values_list("need_by", flat=True)) == {day}
    assert set(LineSummary.objects.values_list("need_by", flat=True)) == {day}
    picks = list(OrderLine.objects.filter(item__code="B").values_list("pk", flat=True))
    stranger = Person.objects.get(username="stranger")
    _, done = do_many(client, "buyer", {"person": stranger.pk}, picks)
    assert b"may not write orders for this company" in done.content
    assert HistoryEntry.objects.filter(action="assign_buyer").count() == 0
    told = HistoryEntry.objects.filter(action="set_need_by").first()
    assert told.channel == "job" and told.changes[0]["new"] == f"{day:%-d %b %Y}"


def test_the_suppliers_of_many_lines_are_chased_in_one_letter_each(book, client):
    Party.objects.filter(kind="supplier").update(email="orders@works.example")
    client.force_login(Person.objects.get(username="expediter"))
    book.sent_order({"A": D(17)}, agreed=False)
    book.sent_order({"A": D(8)}, agreed=False)
    picked = OrderLine.objects.filter(quantity=17).get()
    effect, done = do_many(client, "chase", {}, [picked.pk])
    assert effect.keys == [picked.order.supplier_id] and "Suppliers reminded: 1" in effect.says[0]
    letter = Message.objects.get(kind="chaser")
    assert picked.order.number in letter.body and letter.body.count(" of A") == 1, "only the lines that were picked"
    _, done = do_many(client, "chase", {"key": "again"}, [picked.pk])
    assert b"within the quiet time" in done.content and Message.objects.filter(kind="chaser").count() == 1


def test_nothing_is_done_to_lines_that_changed_since_they_were_looked_at(book, client):
    client.force_login(Person.objects.get(username="expediter"))
    chosen = {"query": "?where=all", "all": "1"}
    seen = client.post("/orders/lines/many/need-by/", chosen).context["seen"]
    book.sent_order({"C": D(3)})
    sent = client.post(
        "/orders/lines/many/need-by/",
        chosen | {"key": "k", "seen": seen, "need_by": (TODAY + timedelta(days=5)).isoformat()},
    )
    assert b"have changed since you looked" in sent.content and Job.objects.count() == 0


def test_the_stranger_acts_on_nothing_of_the_other_company(book, client):
    client.force_login(Person.objects.get(username="stranger"))
    picks = list(OrderLine.objects.filter(order__company=book.nz).values_list("pk", flat=True))
    assert client.post("/orders/lines/many/need-by/", {"query": "", "pick": picks}).context["lines"] == []
    effect = client.post("/orders/lines/many/accept/", {"query": "?where=all", "all": "1"}).context["effect"]
    assert effect.keys == []


def test_an_job_that_was_cut_off_goes_on_where_it_was(book, monkeypatch):
    keys = sorted(OrderLine.objects.filter(order__company=book.nz).values_list("pk", flat=True))
    request = {"keys": keys, "need_by": (TODAY + timedelta(days=99)).isoformat()}
    job = jobs.begin(book.act("expediter", "cut"), "set_need_by", "t", request, len(keys), "", False)
    whole = jobs.Run.count

    def cut(run, done):
        if done == 2:
            raise SystemExit  # the worker is killed after the action, before it is counted
        whole(run, done)

    monkeypatch.setattr(jobs.Run, "count", cut)
    with pytest.raises(SystemExit):
        jobs.run(job.pk)
    monkeypatch.setattr(jobs.Run, "count", whole)
    jobs.run(job.pk)
    job.refresh_from_db()
    assert (job.state, job.done, job.refused) == ("done", len(keys), [])
    assert HistoryEntry.objects.filter(action="set_need_by").count() == len(keys)


def test_a_line_is_never_refreshed_by_halves(book):
    """Compare the rows that actions kept with a refresh of everything."""
    before = list(LineSummary.objects.order_by("pk").values())
    refresh.refresh_every_line()
    assert list(LineSummary.objects.order_by("pk").values()) == before
