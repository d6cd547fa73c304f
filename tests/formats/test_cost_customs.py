"""Customs in a cost case: values by territory, expressions of duty, groups of the entry, and what is refused."""

import json
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as some

from northing.formats.cost_case import compute
from northing.formats.json_fields import BadCase


def case(**change):
    """Two lines in the base currency, and a freight and an insurance over them."""
    lines = [
        {"id": "A", "quantity": "10", "unit_price": "100.00", "currency": "NZD", "weight_kg": "60"},
        {"id": "B", "quantity": "5", "unit_price": "100.00", "currency": "NZD", "weight_kg": "40", "incoterm": "CIF"},
    ]
    charges = [
        {"id": "f", "kind": "freight", "amount": "100.00", "currency": "NZD", "basis": "weight"},
        {"id": "i", "kind": "insurance", "amount": "30.00", "currency": "NZD", "basis": "value"},
    ]
    facts = {"base_currency": "NZD", "lines": lines, "charges": charges}
    return {name: value for name, value in (facts | change).items() if value is not None}


def computed(said):
    return json.loads(compute(json.dumps(said).encode()))


def one(**facts):
    """A case of a single line without charges: 100 units at 10.00, 250 kg gross, 200 net."""
    usual = {"id": "A", "quantity": "100", "unit_price": "10.00", "currency": "NZD", "weight_kg": "250"}
    return case(lines=[usual | {"net_weight_kg": "200"} | facts], charges=None)


def values(found):
    return [line["customs_value"] for line in found["lines"]]


def test_the_worked_case_of_a_single_line():
    line = {"id": "A", "quantity": "36", "unit_price": "41.50", "currency": "USD", "duty": {"ad_valorem": "0.065"}}
    tax = {"rate": "0.15", "base": ["customs_value", "duty"]}
    rates = {"book": {"USD": "1.6"}, "customs": {"USD": "1.6385"}}
    found = computed(case(rates=rates, lines=[line], charges=None, import_tax=tax))
    assert (values(found), found["duty"]) == (["2447.92"], "159.11")
    assert found["import_tax"] == {"base": "2607.03", "amount": "391.05"}


def test_freight_and_insurance_belong_to_a_cif_value_unless_the_price_includes_them():
    tax = {"rate": "0.15", "base": ["customs_value", "duty", "freight", "insurance"]}
    lines = [line | {"duty_rate": "0.1"} for line in case()["lines"]]
    found = computed(case(lines=lines, customs={"basis": "cif"}, import_tax=tax))
    assert values(found) == ["1080.00", "500.00"]
    assert [line["duty"] for line in found["lines"]] == ["108.00", "50.00"]
    # A: 1080 + 108, its charges are in the value; B: 500 + 50 + the 40 and 10 that its price includes as well.
    assert found["import_tax"] == {"base": "1788.00", "amount": "268.20"}


@pytest.mark.parametrize(
    ("rule", "value"),
    [("EXW", "630.00"), ("FCA", "630.00"), ("CFR", "530.00"), ("CPT", "530.00"), ("CIP", "500.00"), ("DDP", "500.00")],
)
def test_each_rule_says_what_the_price_includes(rule, value):
    lines = [case()["lines"][1] | {"incoterm": rule}]
    assert values(computed(case(lines=lines, customs={"basis": "cif"}))) == [value]


def test_a_charge_says_for_itself_whether_it_belongs_to_the_value():
    freight, insurance = case()["charges"]
    haulage = freight | {"id": "h", "kind": "haulage", "in_customs_value": True}
    charges = [freight | {"in_customs_value": False}, insurance, haulage]
    # The haulage is of no kind that a price includes: B bears it, too.
    assert values(computed(case(charges=charges, customs={"basis": "cif"}))) == ["1080.00", "540.00"]
    assert values(computed(case(charges=charges, customs={"basis": "fob"}))) == ["1060.00", "540.00"]
    said = freight | {"in_customs_value": True}
    assert values(computed(case(charges=[said], customs={"basis": "cif"}))) == ["1060.00", "500.00"]


def test_a_fob_value_leaves_out_what_the_price_includes_and_the_tax_counts_it_by_its_kind():
    line = {"id": "A", "quantity": "1", "unit_price": "500.00", "currency": "USD", "incoterm": "CIF"}
    line |= {"included": {"freight": "40.05", "insurance": "9.00"}}
    tax = {"rate": "0.1", "base": ["customs_value", "freight"]}
    rates = {"book": {"USD": "2"}, "customs": {"USD": "1.5"}}
    found = computed(case(rates=rates, lines=[line], charges=None, customs={"basis": "fob"}, import_tax=tax))
    # 750.00 less 60.08 (60.075) and 13.50; the freight alone is named by the tax.
    assert (values(found), found["import_tax"]["base"]) == (["676.42"], "736.50")
    assert found["lines"][0]["goods"] == "1000.00"


@pytest.mark.parametrize(
    ("duty", "amount"),
    [
        ({}, "0.00"),
        ({"ad_valorem": "0.05"}, "50.00"),
        ({"specific": {"amount": "1.20", "currency": "NZD", "per": "kg"}}, "240.00"),
        ({"specific": {"amount": "1.20", "currency": "NZD", "per": "unit"}}, "120.00"),
        ({"specific": {"amount": "1.20", "currency": "USD", "per": "unit"}}, "180.00"),
        ({"ad_valorem": "0.05", "specific": {"amount": "1.20", "currency": "NZD", "per": "kg"}}, "290.00"),
        (
            {
                "ad_valorem": "0.05",
                "specific": [
                    {"amount": "1.20", "currency": "NZD", "per": "kg"},
                    {"amount": "0.01", "currency": "NZD", "per": "unit"},
                ],
                "combine": "higher",
            },
            "241.00",
        ),
        (
            {
                "ad_valorem": "0.05",
                "specific": [{"amount": "1.2", "currency": "NZD", "per": "kg"}],
                "combine": "lower",
            },
            "50.00",
        ),
    ],
)  # fmt: skip
def test_expressions_of_duty(duty, amount):
    assert computed(one(duty=duty) | {"rates": {"customs": {"USD": "1.5"}}})["duty"] == amount


def test_an_absent_net_weight_is_the_weight():
    duty = {"specific": {"amount": "1", "currency": "NZD", "per": "kg"}}
    said = one(duty=duty)
    del said["lines"][0]["net_weight_kg"]
    assert computed(said)["duty"] == "250.00"


def test_extra_duties_stand_beside_the_duty_and_the_tax_counts_them():
    extra = [
        {"id": "ad", "ad_valorem": "0.12"},
        {"id": "cv", "specific": {"amount": "0.5", "currency": "NZD", "per": "kg"}},
    ]
    tax = {"rate": "0.1", "base": ["customs_value", "duty"]}
    found = computed(one(duty_rate="0.05", extra=extra) | {"import_tax": tax})
    [line] = found["lines"]
    assert (line["duty"], line["duties"]) == ("270.00", {"duty": "50.00", "ad": "120.00", "cv": "100.00"})
    assert (found["duty"], found["import_tax"]["base"], found["landed"]) == ("270.00", "1270.00", "1270.00")
    assert "entry" not in found


@pytest.mark.parametrize(
    ("unit", "way", "amount"),
    [("0.01", "half up", "10.56"), ("0.01", "down", "10.55"), ("0.05", "up", "10.60"), ("1.00", "half up", "11.00"),
     ("1", "down", "10.00"), ("0.30", "half up", "10.50"), ("0.30", "up", "10.80")],
)  # fmt: skip
def test_duties_are_rounded_as_the_territory_says(unit, way, amount):
    found = computed(one(duty_rate="0.010555") | {"customs": {"unit": unit, "way": way}})
    assert found["duty"] == amount


def test_the_tax_has_a_rounding_of_its_own():
    tax = {"rate": "0.123456", "base": ["customs_value"], "unit": "1", "way": "up"}
    assert computed(one() | {"import_tax": tax, "customs": {"way": "down"}})["import_tax"]["amount"] == "124.00"
    del tax["unit"], tax["way"]
    assert computed(one() | {"import_tax": tax, "customs": {"way": "down"}})["import_tax"]["amount"] == "123.46"


def group_case(**change):
    """Three lines of one heading at 33.33, 33.33 and 33.34, and one of another."""
    usual = {"quantity": "1", "currency": "NZD", "hs": "851610", "origin": "CN", "duty_rate": "0.05"}
    prices = {"A": "33.33", "B": "10.00", "C": "33.33", "D": "33.34"}
    lines = [usual | {"id": name, "unit_price": price} for name, price in prices.items()]
    lines[1] |= {"hs": "732393"}
    lines[2] |= {"duty_rate": None, "duty": {"ad_valorem": "0.050"}}
    lines = [{name: value for name, value in line.items() if value is not None} for line in lines]
    return case(lines=lines, charges=None, customs={"per": "group"} | change)


def test_lines_of_one_heading_are_rounded_once_and_share_it():
    found = computed(group_case())
    kettles = {"hs": "851610", "lines": ["A", "C", "D"], "customs_value": "100.00", "duty": "5.00"}
    bowls = {"hs": "732393", "lines": ["B"], "customs_value": "10.00", "duty": "0.50"}
    assert found["entry"] == [one | {"origin": "CN", "extra": {}} for one in (kettles, bowls)]
    # 1.6665, 1.6665 and 1.667 of 5.00: the cents left go to the largest remainder, ties to the earlier.
    assert [line["duty"] for line in found["lines"]] == ["1.67", "0.50", "1.66", "1.67"]
    rough = computed(group_case(unit="1", way="up"))
    assert [line["duty"] for line in rough["lines"]] == ["1.67", "1.00", "1.66", "1.67"]


def test_what_makes_another_group():
    lines = group_case()["lines"]
    extra = [{"id": "ad", "ad_valorem": "0.10"}]
    again = [{"id": "ad", "ad_valorem": "0.1"}]
    lines[0] |= {"extra": extra}
    lines[2] |= {"extra": again}
    lines[3] |= {"origin": "VN"}
    found = computed(group_case() | {"lines": lines})
    assert [row["lines"] for row in found["entry"]] == [["A", "C"], ["B"], ["D"]]
    assert found["entry"][0]["extra"] == {"ad": "6.67"}
    assert [line.get("duties") for line in found["lines"]] == [
        {"duty": "1.67", "ad": "3.34"}, None, {"duty": "1.66", "ad": "3.33"}, None,
    ]  # fmt: skip


AMOUNTS = some.decimals("0", "5000", places=2)
EXPRESSION = some.fixed_dictionaries(
    {"ad_valorem": some.sampled_from(["0", "0.05", "0.137"])},
    optional={
        "specific": some.fixed_dictionaries(
            {"amount": AMOUNTS.map(str), "currency": some.just("NZD"), "per": some.sampled_from(["kg", "unit"])}
        )
    },
)


@given(
    some.lists(some.tuples(AMOUNTS, some.integers(0, 90), some.sampled_from(["1", "2"])), min_size=1, max_size=9),
    EXPRESSION,
    some.sampled_from(["sum", "higher", "lower"]),
    some.sampled_from(["0.01", "0.05", "1", "7.03"]),
    some.sampled_from(["half up", "down", "up"]),
)
def test_the_lines_of_a_group_sum_to_it_whatever_is_declared(rows, duty, combine, unit, way):
    duty = duty | {"combine": combine if "specific" in duty else "sum"}
    lines = [
        {"id": f"L{number}", "quantity": "3", "unit_price": str(price), "currency": "NZD", "weight_kg": str(kg)}
        | {"hs": hs, "duty": duty, "extra": [{"id": "ad", "ad_valorem": "0.033"}]}
        for number, (price, kg, hs) in enumerate(rows)
    ]
    rule = {"per": "group", "unit": unit, "way": way}
    found = computed(case(lines=lines, charges=None, customs=rule))
    duties = {line["id"]: {name: Decimal(amount) for name, amount in line["duties"].items()} for line in found["lines"]}
    for entry in found["entry"]:
        for name, amount in {"duty": entry["duty"], **entry["extra"]}.items():
            assert sum(duties[line][name] for line in entry["lines"]) == Decimal(amount)
            assert Decimal(amount) % Decimal(unit) == 0
    assert sum(Decimal(line["duty"]) for line in found["lines"]) == Decimal(found["duty"])
    assert all(amount >= 0 for of_line in duties.values() for amount in of_line.values())


KG = {"amount": "1", "currency": "NZD", "per": "kg"}


@pytest.mark.parametrize(
    ("field", "said"),
    [
        ("customs", case(customs=[])), ("customs.basis", case(customs={"basis": "ddp"})),
        ("customs.per", case(customs={"per": "entry"})), ("customs.way", case(customs={"way": "half even"})),
        ("customs.unit", case(customs={"unit": "0.005"})), ("customs.unit", case(customs={"unit": "0"})),
        ("customs.unit", case(customs={"unit": "-1"})), ('customs."rate"', case(customs={"rate": "1"})),
        ("lines[0].incoterm", one(incoterm="FOT")), ("lines[0].included.freight", one(included={"freight": "1.00"})),
        ("lines[0].included.insurance", one(incoterm="CFR", included={"insurance": "1.00"})),
        ("lines[0].included.freight", one(incoterm="CFR", included={"freight": "-1.00"})),
        ('lines[0].included."haulage"', one(incoterm="CIF", included={"haulage": "1.00"})),
        ("lines[0].included", one(incoterm="CIF", included={"freight": "1000.01"}) | {"customs": {"basis": "fob"}}),
        ("lines[0].duty", one(duty={"ad_valorem": "0.05"}, duty_rate="0.05")), ("lines[0].duty", one(duty="0.05")),
        ("lines[0].duty.ad_valorem", one(duty={"ad_valorem": "-0.05"})),
        ('lines[0].duty."rate"', one(duty={"rate": "0.05"})),
        ("lines[0].duty.combine", one(duty={"ad_valorem": "0.05", "combine": "higher"})),
        ("lines[0].duty.combine", one(duty={"specific": KG, "combine": "lower"})),
        ("lines[0].duty.combine", one(duty={"combine": "most"})),
        ("lines[0].duty.specific.per", one(duty={"specific": KG | {"per": "litre"}})),
        ("lines[0].duty.specific[0].amount", one(duty={"specific": [KG | {"amount": "-1"}]})),
        ("lines[0].duty.specific.customs_rate", one(duty={"specific": KG | {"currency": "USD"}})),
        ("lines[0].extra[0].id", one(extra=[{"id": "duty", "ad_valorem": "0.1"}])),
        ("lines[0].extra[1].id", one(extra=[{"id": "ad"}, {"id": "ad"}])),
        ("lines[0].net_weight_kg", one(net_weight_kg="-1")), ("lines[0].hs", one(hs=85)),
        ("charges[0].in_customs_value", case(charges=[case()["charges"][0] | {"in_customs_value": True}])),
        ("charges[0].in_customs_value", case(charges=[case()["charges"][0] | {"in_customs_value": "yes"}])),
        ("import_tax.unit", case(import_tax={"rate": "0.1", "unit": "0.001"})),
    ],
)  # fmt: skip
def test_what_is_wrong_is_refused_by_its_field(field, said):
    with pytest.raises(BadCase) as refused:
        computed(said)
    assert str(refused.value).startswith(f"{field}:"), str(refused.value)
