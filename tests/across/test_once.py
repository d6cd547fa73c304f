"""An action happens once; two people at the same moment never take more than there is."""

import threading
from datetime import timedelta
from decimal import Decimal as D

import pytest
from django.db import Error, IntegrityError, OperationalError, connection, connections, transaction
from django.test.utils import CaptureQueriesContext
from psycopg.errors import DeadlockDetected

from northing.actions.customs import entries
from northing.actions.customs.covers import Covers
from northing.actions.inventory import issue
from northing.actions.orders import send
from northing.actions.receiving import reverse
from northing.actions.reversal import ReverseRequest
from northing.actions.shipping import pack
from northing.activity.operations import once
from northing.core.problems import KeyReused, NotAllowed, Refused
from northing.ledger.models import CostLayer, Entry, Posting
from northing.masterdata.models import Agreement, Item
from northing.orders.models import Instalment
from northing.positions.models import Position
from northing.receiving.models import Receipt
from northing.reports.book_proof import book_faults
from northing.reports.proofs import position_faults
from northing.shipping.models import Container, ShipmentLine
from northing.shipping.operations import LegPlan
from tests.worlds import CONTAINERS, TODAY, small_world


def at_once(*actions):
    """Run the actions on connections of their own, started together; return what each returned or raised."""
    gate, results = threading.Barrier(len(actions)), [None] * len(actions)

    def run(place, action):
        try:
            gate.wait(timeout=20)
            results[place] = action()
        except Refused as refused:
            results[place] = refused
        finally:
            connections.close_all()

    threads = [threading.Thread(target=run, args=one) for one in enumerate(actions)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(timeout=60)
    return results


def aboard(world, quantity=100):
    shipment = world.shipment([world.sent_order({"A": D(quantity)})])
    world.say(shipment, "departure")
    return shipment


@pytest.mark.parametrize("action", ["stow", "depart", "bill", "clear", "receive", "reverse", "answer"])
def test_the_statements_of_an_action_do_not_grow_with_its_lines(world, action):
    """An action on forty lines takes no more statements than one on two: fewer, where its rows are copied in."""
    counted = []
    for lines, number in ((2, CONTAINERS[0]), (40, CONTAINERS[1])):
        run = prepared(world, action, lines, number)
        with CaptureQueriesContext(connection) as statements:
            run()
        counted.append(len(statements))
    assert counted[0] >= counted[1] > counted[0] - 6, [one["sql"][:110] for one in statements.captured_queries]


def prepared(world, action, lines, number):
    """Everything done up to the action, on so many lines; what is returned does it."""
    codes = [f"N{lines}-{n}" for n in range(lines)]
    for code in codes:
        item = Item.objects.create(code=code, description=code, hs_code="1", origin="CN", weight_kg=1)
        since = TODAY - timedelta(days=9)
        Agreement.objects.create(supplier=world.parties["USD"], item=item, price=2, currency="USD", valid_from=since)
    order = world.sent_order({"C": D(5)} | {code: D(20) for code in codes}, agreed=action != "answer")
    if action == "answer":
        return lambda: world.agree(order)
    shipment = world.shipment([order], number) if action != "stow" else None
    if action == "stow":
        return lambda: world.shipment([order], number)
    if action == "depart":
        return lambda: world.say(shipment, "departure")
    world.say(shipment, "departure")
    if action == "bill":
        return lambda: world.charge(shipment, "freight", f"{lines}0.00", "USD", "weight")
    if action == "clear":
        office = world.parties["customs"].pk
        request = entries.EntryRequest(Covers((shipment.pk,)), world.nz.pk, office, f"E{lines}", TODAY)
        return lambda: entries.book_customs_entry(world.act("costs"), request)
    rows = {code: D(20) for code in codes}
    if action == "receive":
        return lambda: world.receive(shipment, rows)
    receipt = world.receive(shipment, rows)
    return lambda: reverse.reverse_receipt(world.act("dock"), ReverseRequest(receipt, "again"))


@once
def never(act, request):
    """An action that always meets a deadlock."""
    raise OperationalError("crossed") from DeadlockDetected()


def test_the_same_key_does_the_action_once(world):
    shipment = aboard(world)
    first = world.receive(shipment, {"A": D(40)}, key="k")
    assert world.receive(shipment, {"A": D(40)}, key="k") == first
    assert Receipt.objects.count() == 1
    with pytest.raises(KeyReused, match="other contents"):
        world.receive(shipment, {"A": D(41)}, key="k")


def test_a_refused_action_leaves_its_key_free(world):
    shipment = aboard(world)
    with pytest.raises(Refused):
        world.receive(shipment, {"A": D(500)}, key="k")
    assert world.receive(shipment, {"A": D(100)}, key="k")


@pytest.mark.django_db(transaction=True)
class TestAtTheSameMoment:
    """On real connections, committed for real."""

    @pytest.fixture(autouse=True)
    def proven(self):
        self.world = small_world()
        yield
        assert (position_faults(), book_faults()) == ([], [])

    def test_two_receivers_of_the_same_line(self):
        shipment = aboard(self.world)
        results = at_once(*[lambda: self.world.receive(shipment, {"A": D(70)})] * 2)
        assert sum(isinstance(one, int) for one in results) == 1
        assert Position.objects.get().in_store == 70

    def test_many_part_receipts_never_exceed_what_is_allowed(self):
        shipment = aboard(self.world)
        results = at_once(*[lambda: self.world.receive(shipment, {"A": D(30)})] * 5)
        assert sum(isinstance(one, int) for one in results) == 3
        assert ShipmentLine.objects.get().accounted == 90

    def test_the_same_form_sent_twice_at_once(self):
        shipment = aboard(self.world)
        results = at_once(*[lambda: self.world.receive(shipment, {"A": D(30)}, key="same")] * 3)
        assert len(set(results)) == 1 and Receipt.objects.count() == 1

    def test_two_containers_want_the_same_units(self):
        order = self.world.sent_order({"A": D(100)})
        part = Instalment.objects.get(line__order=order)
        shipping = self.world.act("shipping")
        boxes = []
        for number in CONTAINERS:
            shipment = pack.create_shipment(shipping, pack.ShipmentRequest())
            boxes.append(pack.add_container(shipping, pack.ContainerRequest(shipment, number, "22G1")))
        stowing = [lambda box=box: pack.stow(shipping, pack.StowRequest(box, ((part.pk, D(60)),))) for box in boxes]
        results = at_once(*stowing)
        assert sum(isinstance(one, Refused) for one in results) == 1
        assert Position.objects.get().packed == 60

    def test_departure_and_receipt_cross(self):
        order = self.world.sent_order({"A": D(100)})
        shipment = self.world.shipment([order])
        at_once(lambda: self.world.say(shipment, "departure"), lambda: self.world.receive(shipment, {"A": D(60)}))
        position = Position.objects.get()
        assert (position.in_store, position.landed, position.packed) == (60, 40, 0)

    def test_two_vessels_with_parts_of_the_same_lines_depart_at_once(self):
        order = self.world.sent_order({"A": D(100), "C": D(100)})
        parts = list(Instalment.objects.filter(line__order=order).order_by("pk"))
        shipping, shipments = self.world.act("shipping"), []
        for number in CONTAINERS:
            key = pack.create_shipment(shipping, pack.ShipmentRequest())
            box = pack.add_container(shipping, pack.ContainerRequest(key, number, "22G1"))
            leg = LegPlan("sea", "CNNGB", "NZTRG", TODAY, TODAY, True)
            pack.plan_passage(shipping, pack.PassageRequest(key, None, (leg,)))
            rows = tuple((part.pk, D(50)) for part in (parts if not shipments else reversed(parts)))
            pack.stow(shipping, pack.StowRequest(box, rows))
            shipments.append(Container.objects.get(pk=box).shipment)
        results = at_once(*[lambda one=one: self.world.say(one, "departure") for one in shipments])
        assert results == [None, None]
        assert [p.under_way for p in Position.objects.all()] == [100, 100]

    def test_an_action_that_met_a_deadlock_begins_again(self):
        tried = []

        @once
        def action(act, request):
            tried.append(request)
            if len(tried) < 3:
                raise OperationalError("crossed") from DeadlockDetected()
            return len(tried)

        assert action(self.world.act("dock", "k"), "x") == 3
        with pytest.raises(Refused, match="Send it again"):
            never(self.world.act("dock"), "x")

    def test_two_issues_of_the_last_units(self):
        shipment = aboard(self.world)
        self.world.receive(shipment, {"A": D(100)})
        item, site = self.world.items["A"].pk, self.world.site.pk
        request = issue.IssueRequest(site, item, D(60), "shops", TODAY)
        results = at_once(*[lambda: issue.issue_stock(self.world.act("dock"), request)] * 2)
        assert sum(isinstance(one, Refused) for one in results) == 1
        assert CostLayer.objects.get().gone == 60

    def test_order_numbers_have_no_gaps(self):
        orders = at_once(*[lambda: self.world.sent_order({"A": D(1)}).number] * 4)
        assert sorted(orders) == [f"KLN-{n:05d}" for n in range(1, 5)]


def test_rights_are_asked_inside_the_action(world):
    shipment = aboard(world)
    with pytest.raises(NotAllowed, match="may not receive goods"):
        world.receive(shipment, {"A": D(1)}, who="expediter")
    with pytest.raises(NotAllowed):
        world.receive(shipment, {"A": D(1)}, who="stranger")
    order = world.sent_order({"A": D(1)})
    with pytest.raises(NotAllowed):
        send.approve_order(world.act("stranger"), send.OrderAct(order.pk))


@pytest.mark.parametrize(
    "table",
    [
        "ledger_posting",
        "ledger_entry",
        "ledger_layercost",
        "positions_movement",
        "activity_historyentry",
        "shipping_datestatement",
        "orders_revision",
    ],
)
@pytest.mark.parametrize("verb", ["update {} set id = id", "delete from {}"])
def test_facts_are_append_only_in_the_database_itself(world, table, verb):
    aboard(world)
    world.receive(aboard_again(world), {"A": D(1)})
    with pytest.raises(Error, match="append-only"), transaction.atomic(), connection.cursor() as cursor:
        cursor.execute(verb.format(table))


def aboard_again(world):
    return Container.objects.get().shipment


def test_the_database_refuses_an_entry_that_does_not_balance(world):
    aboard(world)
    entry = Entry.objects.first()
    with pytest.raises(Error, match="is off by 1"), transaction.atomic():
        Posting.objects.create(entry=entry, company=world.nz, account="stock", posted_on=TODAY, amount=1)


def test_the_database_refuses_a_broken_position(world):
    aboard(world)
    for change in ({"held": 5}, {"under_way": -1}):
        with pytest.raises(IntegrityError), transaction.atomic():
            Position.objects.update(**change)


@pytest.mark.parametrize(
    ("table", "changes"),
    [
        ("ledger_posting", "entry_id = -1"),
        ("ledger_posting", "company_id = -1"),
        ("ledger_posting", "order_line_id = -1"),
        ("ledger_posting", "charge_id = -1"),
        ("ledger_posting", "layer_id = -1"),
        ("positions_movement", "instalment_id = -1"),
        ("positions_movement", "history_id = -1"),
    ],
)
def test_facts_point_at_records_that_are_there(world, table, changes):
    """A statement of rows like those that are there, but for one column, is refused as a whole."""
    aboard(world)
    column, value = changes.split(" = ")
    with connection.cursor() as cursor:
        cursor.execute(f"select * from {table} limit 0")
        names = [one.name for one in cursor.description if one.name != "id"]
        cells = ", ".join(value if name == column else name for name in names)
        copy = f"insert into {table} ({', '.join(names)}) select {cells} from {table}"
        with pytest.raises(IntegrityError, match=f"{column} -1 of {table} is not in"), transaction.atomic():
            cursor.execute(copy)


@pytest.mark.parametrize("table", ["orders_instalment", "orders_orderline", "masterdata_company"])
def test_what_facts_point_at_stays(world, table):
    aboard(world)
    with pytest.raises(IntegrityError, match="stays: "), transaction.atomic(), connection.cursor() as cursor:
        cursor.execute(f"delete from {table}")
