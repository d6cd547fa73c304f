"""Chasers: one letter with all lines and a link, never twice within the quiet time, closed by the answer."""

import re
from datetime import timedelta
from decimal import Decimal as D

import pytest
from django.conf import settings
from django.urls import reverse
from django.utils import timezone

from northing.access.acts import Act
from northing.access.models import Grant, Person
from northing.actions import tasks
from northing.actions.confirmations import chasers, supplier_links
from northing.activity.models import HistoryEntry
from northing.confirmations.models import Chaser, ChaserLine, ChaserRule, SupplierLink
from northing.core.problems import NotAllowed, Refused
from northing.integrations.mail.standin import attachments_of, body_of
from northing.masterdata.models import Party
from northing.messaging import mail as mailing
from northing.messaging.models import Message
from tests.integrations.test_mail import inbox  # noqa: F401
from tests.worlds import NOW, TODAY

LATER = NOW + timedelta(days=6)


@pytest.fixture
def asked(world):
    """Two orders to one supplier, both unanswered for six days; a rule that reminds after five."""
    Party.objects.filter(kind="supplier").update(email="orders@qinlaro.example")
    Person.objects.filter(username="expediter").update(email="me@here.example")
    ChaserRule.objects.create(kind="unanswered", days=5, quiet_days=4)
    world.orders = [
        world.sent_order({"A": D(10), "C": D(20)}, agreed=False),
        world.sent_order({"A": D(5)}, agreed=False),
    ]
    return world


def chase(world, at=LATER, who="expediter", **how):
    return chasers.chase(world.act(who, at=at), chasers.ChaseRequest(world.parties["USD"].pk, **how))


def test_one_letter_with_all_lines_a_link_and_the_orders(asked, inbox):  # noqa: F811
    message = Message.objects.get(pk=chase(asked))
    assert "{supplier link}" in message.body and "/link/" not in message.body, "no secret is kept in the letter"
    mailing.send(message.pk)
    (mail,) = inbox.mails
    text = body_of(mail)
    assert [order.number in text for order in asked.orders] == [True, True] and text.count(" of ") >= 3
    token = re.search(rf"{settings.PUBLIC_URL}/confirmations/link/([\w-]+)/", text)[1]
    assert supplier_links.opened(token, timezone.now(), "") and len(token) >= 32
    kept = SupplierLink.objects.get()
    assert kept.token_hash == supplier_links.hashed(token) and token not in str(vars(kept))
    assert sorted(name.rpartition(".")[2] for name, _ in attachments_of(mail)) == ["pdf", "pdf", "xml", "xml"]
    told = HistoryEntry.objects.filter(action="chase").get()
    assert told.shared and "3 instalments" in told.text


def test_never_twice_within_the_quiet_time(asked):
    chase(asked)
    with pytest.raises(Refused, match="nothing to remind .* 3 were chased within the quiet time"):
        chase(asked, at=LATER + timedelta(days=3))
    chase(asked, at=LATER + timedelta(days=4))
    assert Chaser.objects.count() == 2


def test_a_trial_copy_goes_to_oneself_and_counts_for_nothing(asked, inbox):  # noqa: F811
    mailing.send(chase(asked, trial=True))
    (mail,) = inbox.mails
    assert mail["To"] == "me@here.example" and "Trial copy" in mail["Subject"] and "/link/" not in body_of(mail)
    assert Chaser.objects.count() == 0 and SupplierLink.objects.count() == 0
    chase(asked)


def test_the_answer_closes_the_chaser(asked):
    chase(asked)
    asked.agree(asked.orders[0])
    assert ChaserLine.objects.filter(closed_at=None).count() == 1
    planned = chasers.plan([asked.nz.pk], TODAY + timedelta(days=20))
    assert [line.row["order_number"] for one in planned for line in one.lines] == [asked.orders[1].number]


def test_by_hand_all_the_unanswered_before_the_rule_says_so(asked):
    with pytest.raises(Refused, match="nothing to remind"):
        chase(asked, at=NOW)
    chase(asked, at=NOW, all_unanswered=True)
    assert ChaserLine.objects.count() == 3


def test_by_hand_never_twice_within_the_quiet_time(asked):
    chase(asked, at=NOW, all_unanswered=True)
    with pytest.raises(Refused, match="within the quiet time"):
        chase(asked, at=NOW + timedelta(days=3), all_unanswered=True)
    chase(asked, at=NOW + timedelta(days=4), all_unanswered=True)


def test_of_some_lines_only_and_of_what_is_due_besides(asked):
    line = asked.orders[1].lines.get()
    message = Message.objects.get(pk=chase(asked, at=NOW, lines=(line.pk,)))
    assert asked.orders[1].number in message.body and asked.orders[0].number not in message.body
    assert ChaserLine.objects.get().instalment.line == line


def test_from_an_order_or_a_line_goods_that_are_not_ready_too(asked, client):
    asked.agree(asked.orders[0])
    order, line = asked.orders[0], asked.orders[0].lines.first()
    client.force_login(Person.objects.get(username="expediter"))
    url, page = reverse("chase", args=[order.supplier_id]), reverse("line", args=[line.pk])
    assert b"Chase" in client.get(page).content and b"Chase" in client.get(reverse("order", args=[order.pk])).content
    assert client.post(url, {"line": line.pk, "key": "a", "how": "due", "back": page}).url == page
    letter = Message.objects.get(kind="chaser")
    assert letter.subject == f"Reminder: {order.number}" and letter.body.count("not despatched yet") == 1
    for words in ("asked for 13 Jan 2027", "needed by 22 Feb 2027", "Please answer by 25 Nov 2026"):
        assert words in letter.body, words
    client.post(url, {"order": order.pk, "key": "b", "how": "due"})
    assert ChaserLine.objects.count() == 2, "the other line only: the first was chased a moment ago"
    assert client.post(url, {"line": "0", "key": "c", "how": "due"}).status_code == 404


def test_an_order_says_how_long_before_its_reminder_goes(asked):
    type(asked.orders[0]).objects.filter(pk=asked.orders[0].pk).update(remind_days=60, answer_by=LATER.date())
    asked.agree(asked.orders[0])
    ChaserRule.objects.all().delete()
    (planned,) = chasers.plan([asked.nz.pk], TODAY)
    assert {line.due.kind for line in planned.lines} == {"ready"} and len(planned.lines) == 2
    assert planned.first and planned.answer_by == LATER.date()


def test_the_page_reads_one_letter_and_goes_on_with_more_suppliers(asked, client, monkeypatch):
    monkeypatch.setattr("northing.web.confirmations.views.chasers.LETTERS", 1)
    ChaserRule.objects.update(days=0)
    asked.sent_order({"B": D(5)}, agreed=False)
    client.force_login(Person.objects.get(username="expediter"))
    page = client.get(reverse("chasers"), {"letter": asked.parties["EUR"].pk})
    assert [one.supplier.name for one in page.context["planned"]] == ["Supplier EUR"]
    assert b"Dear Supplier EUR" in page.content and b"the first letter to them" in page.content
    further = client.get(reverse("chasers"), {"from": page.context["further"]})
    assert [one.supplier.name for one in further.context["planned"]] == ["Supplier USD"]
    assert b"Dear" not in further.content and not further.context["further"]


def test_paused_rules_and_suppliers_without_an_address(asked):
    ChaserRule.objects.create(kind="unanswered", supplier=asked.parties["USD"], days=0, paused=True)
    with pytest.raises(Refused, match="nothing to remind"):
        chase(asked)
    ChaserRule.objects.filter(paused=True).delete()
    Party.objects.update(email="")
    with pytest.raises(Refused, match="has no mail address"):
        chase(asked)
    assert Message.objects.filter(kind="chaser").count() == 0


def test_rules_chase_each_supplier_once_a_day(asked):
    assert tasks.chase_all(LATER) == [] == tasks.chase_all(LATER)
    chaser = Chaser.objects.get()
    assert chaser.made_by is None and HistoryEntry.objects.get(action="chase").actor is None
    Party.objects.update(email="")
    said = tasks.chase_all(LATER + timedelta(days=9))
    assert len(said) == 1 and "no mail address" in said[0]


def test_only_lines_of_companies_where_one_may_chase(asked):
    asked.sent_order({"A": D(3)}, company=asked.au, agreed=False)
    person = Person.objects.create_user("half")
    Grant.objects.create(person=person, company=asked.nz, role="expediter")
    Grant.objects.create(person=person, company=asked.au, role="dock")
    chasers.chase(Act(person, LATER), chasers.ChaseRequest(asked.parties["USD"].pk))
    assert {line.instalment.line.order.company for line in ChaserLine.objects.all()} == {asked.nz}
    with pytest.raises(NotAllowed):
        chase(asked, who="dock")
