"""More than allowed is received at once where a second person, who may, approves it on the spot."""

import pytest
from django.urls import reverse

from northing.activity.models import HistoryEntry
from northing.demo.people import PASSWORD
from northing.masterdata.models import Party
from northing.receiving.models import Receipt
from northing.worklist.models import LineSummary
from tests.worlds import TODAY, D

pytestmark = pytest.mark.django_db


@pytest.fixture
def over(world, signed_in):
    """A page on which 130 of 100 are entered by a receiver, who may not decide about them."""
    Party.objects.update(over_tolerance=D(5))
    for person in world.people.values():
        person.set_password(PASSWORD)
        person.save()
    part = world.sent_order({"A": D(100)}).lines.get().instalments.get()
    world.address = reverse("receive-order", args=[part.line.order_id])
    world.asked = {"key": "k", "delivery_note": "DN-1", "occurred_on": TODAY.isoformat(), f"row-i{part.pk}": "130"}
    world.dock = signed_in("dock")
    return world


def sent(over, **more):
    return over.dock.post(over.address, over.asked | more, follow=True)


def test_the_page_asks_for_a_second_person_and_takes_their_word(over):
    refused = sent(over)
    assert refused.status_code == 422 and b"a second person, who may decide, approves it here" in refused.content
    done = sent(over, key="l", approve="", approver="buyer", approver_password=PASSWORD)
    assert done.status_code == 200 and LineSummary.objects.get().in_store == 130
    told = HistoryEntry.objects.get(action="receive")
    assert told.text.endswith("Approved on the spot by buyer") and told.actor == over.people["dock"]
    assert PASSWORD not in str(list(HistoryEntry.objects.values()))


@pytest.mark.parametrize(
    ("said", "words"),
    [
        ({}, "Name and password do not fit"),
        ({"approver": "buyer", "approver_password": "wrong"}, "Name and password do not fit"),
        ({"approver": "nobody", "approver_password": PASSWORD}, "Name and password do not fit"),
        ({"approver": "b\x00", "approver_password": PASSWORD}, "Null characters"),
        ({"approver": "dock", "approver_password": PASSWORD}, "A second person approves"),
        ({"approver": "viewer", "approver_password": PASSWORD}, "viewer may not decide"),
        ({"approver": "stranger", "approver_password": PASSWORD}, "stranger may not decide"),
    ],
)
def test_who_may_not_approves_nothing(over, said, words):
    answer = sent(over, approve="", **said)
    assert answer.status_code == 422 and words in answer.content.decode()
    assert b"approves it here" in answer.content and PASSWORD.encode() not in answer.content
    assert not Receipt.objects.exists()


def test_wrong_tries_lock_the_name(over, settings):
    settings.AXES_ENABLED = True
    for number in range(5):
        sent(over, key=f"k{number}", approve="", approver="buyer", approver_password="wrong")
    answer = sent(over, key="z", approve="", approver="buyer", approver_password=PASSWORD)
    assert b"Too many wrong tries" in answer.content and not Receipt.objects.exists()


def test_an_approver_who_left_counts_no_more(over):
    over.people["buyer"].is_active = False
    over.people["buyer"].save()
    answer = sent(over, approve="", approver="buyer", approver_password=PASSWORD)
    assert answer.status_code == 422 and not Receipt.objects.exists()
