"""Webhooks for decisions beside orders: rates, and the rules by which suppliers are reminded."""

from decimal import Decimal as D

import pytest
from django.urls import reverse

from northing.access.models import Person
from northing.actions.confirmations import chaser_rules
from northing.actions.masterdata import rates
from northing.activity.models import HistoryEntry
from northing.confirmations.models import ChaserRule
from northing.core.problems import Refused
from northing.masterdata.models import ExchangeRate
from tests.worlds import TODAY


def rate(world, value, day=TODAY, currency="GBP"):
    return rates.enter_rate(world.act("costs"), rates.RateRequest(world.nz.pk, currency, "book", day, D(value)))


def test_a_rate_is_told_with_what_it_was(world):
    rate(world, "2.1")
    rate(world, "2.2")
    rate(world, "2.2")
    told = [entry.changes[0] for entry in HistoryEntry.objects.filter(action="enter_rate").order_by("pk")]
    assert [(one["old"], one["new"]) for one in told] == [("", "2.1000"), ("2.1000", "2.2000")]
    assert ExchangeRate.objects.get(currency="GBP").rate == D("2.2")


def test_a_wrong_rate_tells_nothing(world):
    for value, currency in (("0", "GBP"), ("1", "NZD"), ("1", "XXX")):
        with pytest.raises(Refused):
            rate(world, value, currency=currency)
    assert not HistoryEntry.objects.filter(action="enter_rate").exists()


def test_a_rule_is_told_and_replaces_the_one_of_its_kind(world, client):
    asked = chaser_rules.RuleRequest("unanswered", world.parties["USD"].pk, "sea", 5, 4)
    chaser_rules.keep_rule(world.act("expediter"), asked)
    chaser_rules.keep_rule(world.act("expediter"), asked)
    client.force_login(Person.objects.get(username="expediter"))
    entered = {"key": "r", "kind": "unanswered", "supplier": world.parties["USD"].pk, "mode": "sea", "days": "7"}
    client.post(reverse("save-rule"), entered | {"quiet_days": "4", "paused": "on"})
    assert ChaserRule.objects.get().days == 7
    first, second = HistoryEntry.objects.filter(action="keep_rule").order_by("pk")
    assert [one["field"] for one in second.changes] == ["days", "paused"]
    assert "Not answered, Supplier USD, sea" in client.get(reverse("chasers")).content.decode()


def test_a_rule_that_is_none(world):
    for asked in (
        chaser_rules.RuleRequest("weather", None, "", 5, 4),
        chaser_rules.RuleRequest("unanswered", world.parties["provider"].pk, "", 5, 4),
    ):
        with pytest.raises(Refused):
            chaser_rules.keep_rule(world.act("expediter"), asked)
    assert not ChaserRule.objects.exists()
