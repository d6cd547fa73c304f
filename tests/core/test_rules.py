"""Tables of the smaller rules: places, docking, agreeing, ordering, moves, ownership, periods, money."""

from datetime import date, timedelta
from decimal import Decimal as D

import pytest
from hypothesis import given
from hypothesis import strategies as some

from northing.core.confirmations.answers import Terms, answer_problems, differences
from northing.core.costing.charges import Bearer, CompanyRate, between_companies, weights_of, within_companies
from northing.core.costing.ownership import INCOTERMS, MOMENTS, is_ours_after, proposed_moment
from northing.core.money.money import MixedCurrencies, Money, UnknownCurrency, minor_units, to_minor
from northing.core.money.periods import posting_day
from northing.core.money.spread import NothingToSpreadOver
from northing.core.orders.orders import LineDraft, line_problems, net_amount, net_share, order_sums, sums_problems
from northing.core.positions.places import COLUMNS, PLACES, broken, drawn_from, replayed
from northing.core.problems import Problem, Refused, Strength, refuse_if
from northing.core.receiving.counts import Counted, Expected, counting_problems, taking
from northing.core.worklist import moves

DAY = date(2026, 11, 24)


@given(
    some.lists(some.tuples(some.sampled_from(["ordered", *PLACES]), some.sampled_from(PLACES), some.integers(1, 50)))
)
def test_the_identity_holds_whatever_moves(movements):
    position = replayed((source, target, D(quantity)) for source, target, quantity in movements if source != target)
    assert sum(position[name] for name in PLACES) == position["ordered"] + position["excess"]
    assert all("ordered and excess" not in what for what in broken(position))


def test_a_place_below_zero_is_named():
    assert broken(dict.fromkeys(COLUMNS, D(0)) | {"packed": D(-1), "held": D(1)}) == ["packed is -1"]


@pytest.mark.parametrize(
    ("wanted", "available", "expected"),
    [
        (5, [("landed", 9)], [("landed", 5)]),
        (5, [("landed", 2), ("with_supplier", 9)], [("landed", 2), ("with_supplier", 3)]),
        (5, [("landed", 0)], [("excess", 5)]),
        (0, [("landed", 3)], []),
    ],
)
def test_units_come_from_the_shipment_line_then_the_supplier_then_excess(wanted, available, expected):
    assert drawn_from(D(wanted), [(place, D(there)) for place, there in available]) == expected


def expected(accounted=0, tolerance="2", supplier=0):
    return Expected("under_way", D(100), D(accounted), D(supplier), D(tolerance))


@pytest.mark.parametrize(
    ("accounted", "found", "still", "missing", "excess"),
    [
        (0, 100, True, 0, 0),
        (0, 90, True, 0, 0),
        (0, 90, False, 10, 0),
        (60, 30, False, 10, 0),
        (0, 102, False, 0, 2),
        (0, 0, False, 100, 0),
    ],
)
def test_short_and_over(accounted, found, still, missing, excess):
    result = taking(expected(accounted), Counted(D(found), still))
    assert (result.missing, result.of("excess")) == (missing, excess)


@pytest.mark.parametrize(
    ("accounted", "found", "passes"), [(0, 102, True), (0, 103, False), (40, 62, True), (40, 63, False), (0, -1, False)]
)
def test_over_passes_within_the_tolerance_on_the_whole(accounted, found, passes):
    assert (counting_problems(expected(accounted), Counted(D(found), True), "row", "rest") == []) is passes


@pytest.mark.parametrize(
    ("answered", "names"),
    [
        ((10, 0, "2"), []),
        ((9, 0, "2"), ["quantity"]),
        ((10, 3, "2"), ["date"]),
        ((9, 1, "3"), ["quantity", "date", "price"]),
    ],
)
def test_what_an_answer_changes(answered, names):
    quantity, later, price = answered
    found = differences(Terms(D(10), DAY, D(2)), Terms(D(quantity), DAY + timedelta(days=later), D(price)))
    assert found == names


@pytest.mark.parametrize(
    ("quantity", "price", "problems"), [(10, 2, 0), (0, 2, 1), (11, 2, 1), (10, -1, 1), (-3, -1, 2)]
)
def test_answers_that_cannot_be(quantity, price, problems):
    assert len(answer_problems(Terms(D(10), DAY, D(2)), Terms(D(quantity), DAY, D(price)), "row")) == problems


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({}, ""),
        ({"quantity": D(0)}, "above 0"),
        ({"quantity": D(-4)}, "above 0"),
        ({"quantity": D("1000000000000")}, "more than Northing takes"),
        ({"quantity": D("2.5")}, "more decimals"),
        ({"pack_price": D(-1)}, "price must not be negative"),
        ({"discount": D(1)}, "below 100"),
        ({"need_by": DAY - timedelta(days=1)}, "has passed"),
    ],
)
def test_what_is_wrong_with_a_line(change, words):
    line = dict(where="line 1", quantity=D(5), decimals=0, unit="pc", pack_price=D(1), discount=D(0), need_by=DAY)
    found = " ".join(problem.what for problem in line_problems(LineDraft(**line | change), DAY))
    assert words in found if words else found == ""


@pytest.mark.parametrize(
    ("quantity", "factor", "price", "discount", "currency", "amount"),
    [
        ("7", "3", "10", "0", "USD", "23.33"),
        ("7", "1", "0.335", "0", "USD", "2.35"),
        ("10", "1", "642", "0.05", "JPY", "6099"),
    ],
)
def test_line_amounts_are_rounded_once(quantity, factor, price, discount, currency, amount):
    assert net_amount(D(quantity), D(factor), D(price), net_share(D(discount)), currency) == D(amount)


# 3 lines worked by hand: goods 7.50 + 4416.00 + 33.33; each line rounded by itself at every step.
THREE = [(D(5), D(6), D(10), D("0.1")), (D(240), D(1), D("18.40"), D(0)), (D(10), D(3), D(10), D(0))]


@pytest.mark.parametrize(
    ("discount", "surcharge", "tax_rate", "sums"),
    [
        ("0", "0", "0", "4456.83 0.00 0.00 4456.83 0.00 4456.83"),
        ("0.02", "0", "0", "4456.83 89.13 0.00 4367.70 0.00 4367.70"),
        ("0.02", "0.05", "0.15", "4456.83 89.13 218.38 4586.08 687.91 5273.99"),
        ("0", "0.0333", "0", "4456.83 0.00 148.41 4605.24 0.00 4605.24"),
    ],
)
def test_what_an_order_comes_to(discount, surcharge, tax_rate, sums):
    found = order_sums(THREE, D(discount), D(surcharge), D(tax_rate), "USD")
    assert " ".join(map(str, found)) == sums
    assert found.goods - found.discount + found.surcharge == found.total


def test_yen_have_no_cents_in_any_sum():
    found = order_sums([(D(7), D(3), D(100), D(0))], D("0.1"), D("0.05"), D("0.1"), "JPY")
    assert " ".join(map(str, found)) == "233 23 11 221 22 243"


@pytest.mark.parametrize(
    ("values", "where"),
    [
        (("0", "0", "0"), ""),
        (("0.9999", "1", "1"), ""),
        (("1", "0", "0"), "discount"),
        (("-0.01", "0", "0"), "discount"),
        (("0", "1.01", "0"), "surcharge"),
        (("0", "0", "-1"), "tax_rate"),
        (("0.02555", "0", "0"), "discount"),
    ],
)
def test_percentages_of_an_order(values, where):
    assert [problem.where for problem in sums_problems(*map(D, values))] == ([where] if where else [])


@pytest.mark.parametrize(
    ("checked", "approved", "sent", "reason"),
    [
        (None, None, None, "draft"),
        (DAY, None, None, "approved by a second"),
        (DAY, DAY, None, "to be sent"),
        (DAY, DAY, DAY, None),
    ],
)
def test_whose_move_an_order_is(checked, approved, sent, reason):
    found = moves.order_move(moves.OrderFacts(DAY, checked, approved, sent, DAY))
    assert (found is None) if reason is None else (found.party == moves.US and reason in found.reason)


@pytest.mark.parametrize(
    ("there", "agreed", "answered", "party"),
    [
        (10, 0, None, "supplier"),
        (10, 10, None, "supplier"),
        (10, 0, DAY, "us"),
        (0, 10, None, None),
        (0, 10, DAY, "us"),
    ],
)
def test_whose_move_an_instalment_is(there, agreed, answered, party):
    facts = moves.InstalmentFacts(D(there), D(agreed), D(10), DAY, DAY, None, DAY, answered, "date")
    found = moves.instalment_move(facts)
    assert (found and found.party) == party


@pytest.mark.parametrize(
    ("facts", "party"),
    [
        ({"packed_something": False}, "us"),
        ({"departure": None}, "us"),
        ({}, "carrier"),
        ({"departed_on": DAY}, "carrier"),
        ({"departed_on": DAY, "arrived_on": DAY}, "customs"),
        ({"departed_on": DAY, "arrived_on": DAY, "entry_on": DAY}, "dock"),
        ({"open_quantity": D(0)}, None),
    ],
)
def test_whose_move_a_shipment_is(facts, party):
    base = dict(created_on=DAY, packed_something=True, open_quantity=D(5), departure=DAY, arrival=DAY, dock=DAY)
    base |= dict(departed_on=None, arrived_on=None, entry_on=None)
    found = moves.shipment_move(moves.ShipmentFacts(**base | facts))
    assert (found and found.party) == party


def test_ownership_moments_come_in_order():
    for moment in MOMENTS:
        assert [is_ours_after(moment, event) for event in MOMENTS] == [MOMENTS.index(moment) <= n for n in range(4)]
    assert {proposed_moment(rule) for rule in INCOTERMS} <= set(MOMENTS)


@pytest.mark.parametrize(("offset", "expected"), [(-30, 1), (0, 1), (1, 1), (9, 9)])
def test_facts_of_closed_periods_post_in_the_first_open_one(offset, expected):
    assert posting_day(DAY + timedelta(days=offset), DAY) == DAY + timedelta(days=expected)
    assert posting_day(DAY, None) == DAY


def test_money_does_not_mix():
    assert Money(D(3), "NZD") - Money(D(1), "NZD") == Money(D(2), "NZD")
    with pytest.raises(MixedCurrencies):
        Money(D(1), "NZD") + Money(D(1), "USD")
    with pytest.raises(UnknownCurrency):
        minor_units("XXQ")
    with pytest.raises(ValueError, match="more decimals"):
        to_minor(D("1.001"), "NZD")


def test_warnings_pass_and_blocks_do_not():
    warning = Problem("mind", strength=Strength.WARN)
    assert refuse_if([warning]) == [warning]
    with pytest.raises(Refused, match="stop mend"):
        refuse_if([warning, Problem("stop", mend="mend")])
    assert Refused("plain").problems[0].what == "plain"


def bearer(company, goods="10", volume="1"):
    return Bearer(company, D(goods), D(0), D(volume), D(1))


@given(
    some.lists(some.tuples(some.integers(1, 3), some.integers(1, 10**6)), min_size=1, max_size=12),
    some.integers(-(10**7), 10**7),
)
def test_a_charge_is_whole_in_each_company_and_in_all(goods, units):
    amount = D(units).scaleb(-2)
    bearers = [bearer(company, volume=str(volume)) for company, volume in goods]
    rates = {company: CompanyRate("NZD", D("1.6420")) for company, _ in goods}
    weights = weights_of(bearers, "volume", rates)
    parts = between_companies(amount, "USD", bearers, weights, rates)
    assert sum(part for part, _ in parts.values()) == amount
    shares = within_companies({company: base for company, (_, base) in parts.items()}, bearers, weights, rates)
    for company, (_, base) in parts.items():
        assert sum(share for place, share in shares.items() if bearers[place].company == company) == base


def test_value_compares_goods_of_two_base_currencies():
    rates = {1: CompanyRate("NZD", D("1.6")), 2: CompanyRate("AUD", D("1.5"))}
    bearers = [bearer(1, "160"), bearer(2, "450")]
    parts = between_companies(D("100.00"), "USD", bearers, weights_of(bearers, "value", rates), rates)
    assert parts == {1: (D("25.00"), D("40.00")), 2: (D("75.00"), D("112.50"))}
    with pytest.raises(NothingToSpreadOver):
        weights_of([bearer(1)], "weight", rates)
