"""The office's figures in the place of ours: to the cent over the lines, owed as they ask, and kept beside ours."""

import re
from dataclasses import replace

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from hypothesis import given
from hypothesis import strategies as some

from northing.actions.customs import entries
from northing.actions.customs.covers import Covers, covered
from northing.actions.reversal import ReverseRequest
from northing.core.costing.customs import Customs, Expression
from northing.core.costing.landed_cost import ImportTax, Line, cost_sheet
from northing.core.costing.their_figures import Theirs, groups_of, ours_by_group, with_theirs
from northing.core.problems import Refused
from northing.customs.models import CustomsEntry
from northing.ledger.models import Account
from northing.masterdata.models import Item, Territory
from northing.reports.book_proof import book_faults
from tests.across.test_worked_case import balance
from tests.worlds import TODAY, D

NONE = D(0)
PRICES = some.tuples(some.sampled_from(["69", "85", "44"]), some.decimals("0", "900", places=2))


def sheet_of(*prices, per="group", reclaimable=NONE):
    lines = [
        Line(f"L{place}", D(1), D(price), "NZD", D(1), D(1), hs=hs, duty=Expression(D("0.05")))
        for place, (hs, price) in enumerate(prices)
    ]
    tax = ImportTax(D("0.15"), ("customs_value", "duty"), reclaimable)
    return cost_sheet(lines, [], tax, "NZD", Customs(per=per))


def test_a_groups_duty_goes_over_its_lines_and_the_tax_over_all():
    sheet = sheet_of(("69", "100.00"), ("85", "50.00"), ("69", "200.00"))
    assert ours_by_group(sheet) == [D("15.00"), D("2.50")]
    found = with_theirs(sheet, Theirs({0: D("10.00")}, D("60.00")), [D(1)] * 3, D(0), "NZD")
    assert [line.duty for line in found.lines] == [D("3.33"), D("2.50"), D("6.67")]
    assert (found.duty, found.tax, found.landed) == (D("12.50"), D("60.00"), D("422.50"))
    assert sum(line.import_tax for line in found.lines) == D("60.00")
    # What is not said is as we reckoned.
    same = with_theirs(sheet, Theirs(), [D(1)] * 3, D(0), "NZD")
    assert (same.lines, same.duty, same.tax, same.landed) == (sheet.lines, sheet.duty, sheet.tax, sheet.landed)


@given(
    some.lists(PRICES, min_size=1, max_size=7),
    some.lists(some.none() | some.decimals("0", "5000", places=2), min_size=3, max_size=3),
    some.none() | some.decimals("0", "5000", places=2),
    some.sampled_from(["line", "group"]),
    some.sampled_from([D(0), D("0.4"), D(1)]),
)  # fmt: skip
def test_whatever_they_ask_the_lines_sum_to_it(prices, duty, tax, per, reclaimable):
    sheet = sheet_of(*prices, per=per, reclaimable=reclaimable)
    groups = groups_of(sheet)
    asked = {place: amount for place, amount in enumerate(duty[: len(groups)]) if amount is not None}
    found = with_theirs(sheet, Theirs(asked, tax), [D(1)] * len(prices), reclaimable, "NZD")
    for place, lines in enumerate(groups):
        wanted = asked.get(place, ours_by_group(sheet)[place])
        assert sum(found.lines[line].duty for line in lines) == wanted
    assert sum(line.duty for line in found.lines) == found.duty
    assert found.tax == (sheet.tax if tax is None else tax)
    assert sum(line.import_tax for line in found.lines) == found.tax - found.reclaimed
    assert all(line.landed == line.goods + line.duty + line.import_tax for line in found.lines)


@pytest.fixture
def sailed(world):
    """Two headings of the first supplier sailed; duty is reckoned by group."""
    Territory.objects.create(code="NZ", per="group")
    Item.objects.filter(code="A").update(hs_code="851610", duty_rate=D("0.05"))
    Item.objects.filter(code="C").update(hs_code="691110", duty_rate=D("0.1"))
    world.order = world.sent_order({"A": D(10), "C": D(20)})
    world.sailed = world.shipment([world.order])
    world.say(world.sailed, "departure")
    head = (Covers((world.sailed.pk,)), world.order.company_id, world.parties["customs"].pk, "E-1", TODAY)
    world.asked = entries.EntryRequest(*head)
    world.ours = entries.declare(covered(world.asked.covers, world.order.company), world.order.company, TODAY).sheet
    return world


def book(world, **change):
    entries.book_customs_entry(world.act("costs"), replace(world.asked, **change))
    return CustomsEntry.objects.latest("pk")


def test_what_they_ask_is_owed_and_ours_stays_beside_it(sailed):
    ours = ours_by_group(sailed.ours)
    made = book(sailed, their_duty=(None, ours[1] + D("7.77")), their_tax=sailed.ours.tax + 1, reason="another rate")
    assert made.duty == sailed.ours.duty + D("7.77") and (made.our_duty, made.our_tax) == (
        sailed.ours.duty,
        sailed.ours.tax,
    )
    assert balance(Account.CUSTOMS_PAYABLE) == -(made.duty + made.tax) and made.reason == "another rate"
    assert sum(line.duty for line in made.lines.all()) == made.duty and book_faults() == []
    again = book(sailed, number="E-2", corrects=made.pk)
    assert (again.duty, again.our_duty, again.reason) == (sailed.ours.duty, None, "") and book_faults() == []
    entries.reverse_customs_entry(sailed.act("costs"), ReverseRequest(again.pk, "withdrawn"))
    assert balance(Account.CUSTOMS_PAYABLE) == 0 and book_faults() == []


def test_figures_that_are_ours_need_no_reason_and_are_none_of_theirs(sailed):
    made = book(sailed, their_duty=tuple(ours_by_group(sailed.ours)), their_tax=sailed.ours.tax)
    assert (made.duty, made.reason) == (sailed.ours.duty, "")


@pytest.mark.parametrize(
    ("change", "where"),
    [
        ({"their_tax": D("1.00")}, "reason"), ({"their_duty": (D("1.00"),), "reason": " "}, "reason"),
        ({"their_duty": (D("-1"),), "reason": "x"}, "their-0"),
        ({"their_duty": (D("0.001"),), "reason": "x"}, "their-0"),
        ({"their_duty": (None, None, D(1)), "reason": "x"}, "their-2"),
        ({"their_tax": D(10) ** 13, "reason": "x"}, "their_tax"),
        ({"their_tax": D(1), "reason": "x" * 121}, "reason"),
    ],
)  # fmt: skip
def test_figures_that_cannot_be(sailed, change, where):
    with pytest.raises(Refused) as refused:
        book(sailed, **change)
    assert [problem.where for problem in refused.value.problems] == [where]
    assert not CustomsEntry.objects.exists()


def test_the_page_takes_their_figures_beside_ours(sailed, signed_in):
    desk, address = signed_in("costs"), reverse("customs", args=[sailed.sailed.pk, sailed.order.company_id])
    page = desk.get(address).content.decode()
    assert 'name="their-1"' in page and 'name="their-2"' not in page and 'name="their_tax"' in page
    asked = {"key": "k", "office": sailed.parties["customs"].pk, "number": "E-7", "day": str(TODAY)}
    asked |= {"their-0": "", "their-1": "1,000.00", "their_tax": "", "reason": ""}
    wrong = desk.post(address, asked)
    assert wrong.status_code == 422 and "Say why it is not what we reckon" in wrong.content.decode()
    assert desk.post(address, asked | {"reason": "their rate is higher"}).status_code == 302
    page = desk.get(address).content.decode()
    assert "their rate is higher" in page and CustomsEntry.objects.get().our_duty == sailed.ours.duty


def table(*rows, head="hs,origin,duty,import_tax"):
    return SimpleUploadedFile("theirs.csv", "\n".join([head, *rows]).encode(), "text/csv")


def test_their_table_fills_the_figures_and_books_nothing(sailed, signed_in):
    desk, address = signed_in("costs"), reverse("customs", args=[sailed.sailed.pk, sailed.order.company_id])
    asked = {"key": "k", "act": "file", "number": "E-7", "reason": "their rate"}
    # A longer code, two rows of one group, a shorter code without an origin.
    file = table("8516.10.00,CN,10.00,20.5", "85161000,CN,2.50,", "6911,,7.77,1")
    page = desk.post(address, asked | {"their_file": file}).content.decode()
    for name, value in {"their-0": "12.5", "their-1": "7.77", "their_tax": "21.5", "number": "E-7"}.items():
        assert re.search(rf'name="{name}" value="{value}"|value="{value}"[^>]*name="{name}"', page), name
    assert not CustomsEntry.objects.exists()


@pytest.mark.parametrize(
    ("rows", "words"),
    [
        (["9999,CN,1,"], "Row 2: 9999 CN fits none"),
        (["8516,JP,1,"], "Row 2: 8516 JP fits none"),
        ([",,1,"], "Row 2: no code fits several"),
        (["8516,CN,x,"], "is no plain number"),
        (["8516,CN,-1,"], "no amount an office asks"),
        (["8516,CN,,"], "says no figures"),
    ],
)
def test_a_table_that_does_not_fit_says_where(sailed, signed_in, rows, words):
    desk, address = signed_in("costs"), reverse("customs", args=[sailed.sailed.pk, sailed.order.company_id])
    found = desk.post(address, {"key": "k", "act": "file", "their_file": table(*rows)})
    assert found.status_code == 422 and words in found.content.decode()
    found = desk.post(address, {"key": "k", "act": "file"})
    assert found.status_code == 422 and "Choose the table first" in found.content.decode()
