"""Records of the house: kept one by one and by file, what stays fixed, who may, and a house from nothing."""

from datetime import timedelta
from decimal import Decimal as D
from io import StringIO

import pytest
from django.core.management import CommandError, call_command
from django.utils import timezone

from northing.access.acts import Act
from northing.access.models import Grant, Person
from northing.access.permissions import may
from northing.actions.access.roles import PersonRequest
from northing.actions.masterdata import records
from northing.actions.orders import write
from northing.actions.worklist import proof
from northing.activity.models import HistoryEntry
from northing.core.problems import NotAllowed, Refused
from northing.masterdata.kinds import KINDS
from northing.masterdata.models import Agreement, Bin, Company, Item, Pack, Party, Port, Site
from northing.worklist.models import LineSummary

ITEM = {"code": "new-1", "description": "Tray", "hs_code": "4419.90", "origin": "vn"}


def keep(world, kind, facts, record=None, who="administrator"):
    return records.keep_record(world.act(who), records.RecordRequest(kind, record, tuple(facts.items())))


def rows(kind, *facts):
    return records.RowsRequest(kind, tuple((number, tuple(one.items())) for number, one in enumerate(facts, 2)))


def test_a_new_item_has_what_is_usual_and_is_told(world):
    key = keep(world, "item", ITEM | {"duty_rate": "5", "inspected": "yes"})
    item = Item.objects.get(pk=key)
    assert (item.code, item.unit, item.hs_code, item.origin) == ("NEW-1", "pc", "441990", "VN")
    assert (item.duty_rate, item.inspected, item.keeps_lot) == (D("0.05"), True, False)
    entry = HistoryEntry.objects.get(action="keep_record")
    assert entry.text == "Made the item NEW-1" and entry.links.get().record == key


def test_what_changes_is_told_with_what_it_was(world):
    item = world.items["A"]
    keep(world, "item", {"description": "Kettle, blue", "duty_rate": "7.5"}, item.pk)
    changes = HistoryEntry.objects.get(action="keep_record").changes
    assert [(one["field"], one["new"]) for one in changes] == [("Description", "Kettle, blue"), ("Duty %", "7.5")]
    keep(world, "item", {"description": "Kettle, blue"}, item.pk)
    assert HistoryEntry.objects.filter(action="keep_record").count() == 1, "nothing changed, nothing is told"


@pytest.mark.parametrize(
    ("kind", "facts", "where", "words"),
    [
        ("item", {"code": ""}, "code", "is needed"),
        ("item", {"code": "A"}, "code", "This code is taken"),
        ("item", {"hs_code": "1"}, "hs_code", "6 to 10 digits"),
        ("item", {"decimals": "9"}, "decimals", "from 0 to 6"),
        ("item", {"colour": "red"}, "colour", "has no colour"),
    ],
)
def test_what_is_wrong_is_said_at_its_fact(world, kind, facts, where, words):
    with pytest.raises(Refused, match=words) as refused:
        keep(world, kind, ITEM | facts)
    assert where is None or refused.value.problems[0].where == where
    assert not Item.objects.filter(code="NEW-1").exists()


@pytest.mark.parametrize(
    ("kind", "facts", "words"),
    [
        ("item", {"unit": "kg"}, "stays so: it was ordered"),
        ("item", {"code": "Z"}, "Code is A and stays so"),
        ("supplier", {"currency": "EUR"}, "stays so: there are orders"),
        ("company", {"currency": "AUD"}, "stays so: there are orders or postings"),
    ],
)
def test_what_others_stand_upon_stays(world, kind, facts, words):
    world.sent_order({"A": D(10)})
    record = {"item": world.items["A"], "supplier": world.parties["USD"], "company": world.nz}[kind]
    with pytest.raises(Refused, match=words):
        keep(world, kind, facts, record.pk)


def test_a_new_site_can_receive_and_a_new_company_has_an_administrator(world):
    company = keep(world, "company", {"code": "klx", "name": "X", "country": "FJ", "currency": "FJD"})
    admin = Person.objects.get(username="administrator")
    assert may(admin, "keep_people", company)
    site = keep(world, "site", {"code": "SUV", "name": "Suva", "company": "KLX"})
    assert sorted(Bin.objects.filter(site=site).values_list("purpose", flat=True)) == ["dock", "quarantine", "store"]


def test_other_days_on_the_way_move_what_is_expected(world):
    order = world.sent_order({"A": D(10)})
    before = LineSummary.objects.get(line__order=order).expected_on
    days = world.parties["USD"].passage_days
    keep(world, "supplier", {"passage_days": str(days + 5)}, world.parties["USD"].pk, who="expediter")
    assert (LineSummary.objects.get(line__order=order).expected_on - before).days == 5
    assert proof.move_faults() == []


def test_a_file_is_taken_whole_or_not_at_all(world):
    good, bad = ITEM | {"code": "N1"}, ITEM | {"code": "N2", "origin": "nowhere"}
    with pytest.raises(Refused, match="Row 3: Origin: 'nowhere' is not a country"):
        records.keep_rows(world.act("administrator"), rows("item", good, bad))
    assert not Item.objects.filter(code__startswith="N").exists()
    assert records.keep_rows(world.act("administrator"), rows("item", good, bad | {"origin": "NZ"})) == 2
    assert records.keep_rows(world.act("administrator"), rows("item", good, {"code": "n2", "group": "trays"})) == 1
    assert Item.objects.get(code="N2").group == "trays" and Item.objects.get(code="N2").origin == "NZ"


def test_a_row_twice_is_refused(world):
    with pytest.raises(Refused, match="Row 3: This item stands in row 2 already"):
        records.keep_rows(world.act("administrator"), rows("item", ITEM, ITEM))


def test_packs_and_prices_by_file(world):
    who = world.act("expediter")
    records.keep_rows(who, rows("pack", {"item": "A", "name": "pallet", "factor": "480"}))
    assert Pack.objects.get(item__code="A", name="pallet").factor == 480
    step = {"supplier": "SUSD", "item": "A", "valid_from": "2026-01-01", "price": "17", "from_quantity": "500"}
    records.keep_rows(who, rows("price", step))
    records.keep_rows(who, rows("price", step | {"price": "16.5"}))
    found = Agreement.objects.get(item__code="A", from_quantity=500)
    assert (found.price, found.currency) == (D("16.5"), "USD")
    with pytest.raises(Refused, match="more decimals than A"):
        records.keep_rows(who, rows("price", step | {"minimum": "1.5"}))
    with pytest.raises(Refused, match="'NOPE' is not the code of a supplier"):
        records.keep_rows(who, rows("price", step | {"supplier": "NOPE"}))


def test_many_rows_take_few_statements(world, django_assert_max_num_queries):
    many = [ITEM | {"code": f"M{n}"} for n in range(3_000)]
    with django_assert_max_num_queries(25):
        records.keep_rows(world.act("administrator"), rows("item", *many))
    with django_assert_max_num_queries(40):
        assert records.keep_rows(world.act("administrator"), rows("item", *many)) == 0


@pytest.mark.parametrize(("kind", "who"), [("site", "expediter"), ("company", "expediter"), ("item", "dock")])
def test_who_may_not(world, kind, who):
    with pytest.raises(NotAllowed):
        records.keep_rows(world.act(who), rows(kind, {}))


def test_a_site_of_another_company_is_not_kept(world):
    Grant.objects.filter(person__username="administrator", company=world.au).delete()
    site = Site.objects.get(company=world.au)
    with pytest.raises(NotAllowed):
        keep(world, "site", {"name": "Mine"}, site.pk)
    with pytest.raises(Refused, match="Row 2: You may not keep companies"):
        records.keep_rows(world.act("administrator"), rows("bin", {"site": site.code, "code": "Z", "purpose": "store"}))


@pytest.mark.parametrize("name", KINDS)
def test_what_is_said_of_a_record_is_read_back_as_it_is(world, name):
    """A table that was taken out and is brought in again changes nothing."""
    kind = KINDS[name]
    found = [kind.texts(record) for record in kind.rows()]
    assert found, f"the small world has no {kind.many}"
    judged = records.judge_rows(world.act("administrator"), rows(name, *found))
    assert {(one.state, one.says) for one in judged} == {("same", "")}


def test_a_house_from_nothing(nothing_yet, monkeypatch):
    """From an empty database to a sent order, as its first administrator would."""
    monkeypatch.setattr("sys.stdin", StringIO("long and dull enough\n"))
    words = ["--code", "NEW", "--name", "New House Ltd", "--country", "NZ", "--currency", "NZD"]
    words += ["--username", "ana", "--first-name", "Ana", "--last-name", "Vey", "--email", "ana@new.example"]
    call_command("found", *words, stdout=StringIO())
    with pytest.raises(CommandError, match="no terminal to ask"):
        call_command("found", *words, stdout=StringIO())
    monkeypatch.setattr("sys.stdin", StringIO("long and dull enough\n"))
    with pytest.raises(CommandError, match="a house already"):
        call_command("found", *words, stdout=StringIO())
    ana = Person.objects.get(username="ana")
    assert ana.check_password("long and dull enough")

    act = Act(ana, timezone.now())

    def add(kind, **facts):
        records.keep_record(act, records.RecordRequest(kind, None, tuple(facts.items())))

    add("port", code="CNNGB", name="Ningbo", country="CN")
    add("site", code="S", name="Shed", company="NEW")
    add("supplier", code="SUP", name="Sup", currency="USD", country="CN", port="CNNGB")
    add("item", **ITEM)
    add("price", supplier="SUP", item="NEW-1", valid_from="2026-01-01", price="2")
    company = Company.objects.get()
    for role in ("expediter", "approver"):
        Grant.objects.create(person=ana, company=company, role=role)
    line = write.LineRequest("NEW-1", "", D(5))
    site, supplier = Site.objects.get(), Party.objects.get(code="SUP")
    act = Act(Person.objects.get(username="ana"), timezone.now())
    request = write.OrderRequest(
        company.pk, supplier.pk, site.pk, "FOB", "on_board", act.today + timedelta(days=90), (line,)
    )
    assert write.write_order(act, request)
    assert Port.objects.count() == 1


def test_a_weak_password_founds_nothing(nothing_yet):
    facts = (("code", "X"), ("name", "X"), ("country", "NZ"), ("currency", "NZD"))
    with pytest.raises(Refused, match="too short"):
        records.found_house(
            Act(Person(), timezone.now()), records.FoundRequest(facts, PersonRequest("a", "A", "B", "", "x"))
        )
    assert not Company.objects.exists() and not Person.objects.exists()


@pytest.mark.parametrize("name", list(KINDS))
def test_what_is_there_already_is_said_at_a_fact_of_its_own(world, name):
    """Making a second of anything names the fact to choose anew, not a constraint."""
    first = KINDS[name].rows().first()
    with pytest.raises(Refused) as refused:
        keep(world, name, KINDS[name].texts(first))
    problem = refused.value.problems[0]
    assert problem.where in {fact.name for fact in KINDS[name].facts} and "database" not in problem.what


def test_a_gtin_is_on_one_pack_only(world):
    keep(world, "pack", {"item": "A", "name": "carton", "factor": "6", "gtin": "09521000000124"})
    with pytest.raises(Refused, match="on another pack"):
        keep(world, "pack", {"item": "B", "name": "carton", "factor": "6", "gtin": "9521000000124"})
