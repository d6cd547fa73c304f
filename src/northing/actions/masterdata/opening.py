"""Begin: opening stock, open orders and goods afloat, one CSV each, with their values.

A file is taken whole or not at all; every wrong row is named.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.shipping import milestones
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, once
from northing.core.costing.ownership import INCOTERMS, MOMENTS, is_ours_after
from northing.core.money.exact import divide
from northing.core.money.money import is_whole
from northing.core.orders.orders import LARGEST, LARGEST_AMOUNT, net_amount
from northing.core.problems import NotAllowed, Problem, Refused, refuse_if
from northing.formats.identifiers import container_number
from northing.formats.tables import Row, read_rows
from northing.inventory.models import Opening
from northing.inventory.operations import Place, StockMove, move_stock, write_opening
from northing.ledger.models import Account, CostLayer, DocumentKind, Entry
from northing.ledger.operations import Draft, add_costs, component_of, open_entry, post, write_layers
from northing.masterdata.models import Company, Item, Party, Site
from northing.masterdata.queries import default_bin, find_pack, rate_for
from northing.orders import operations as orders
from northing.orders.models import Instalment, OrderLine, PurchaseOrder
from northing.positions import operations as positions
from northing.shipping import dates
from northing.shipping import operations as shipping
from northing.shipping.models import Container, Shipment, ShipmentLine

ZERO = Decimal(0)
STOCK = ("company", "site", "item", "quantity", "value", "received_on")
ORDERS = ("order", "company", "supplier", "site", "incoterm", "ours_from", "need_by", "item", "quantity", "price")
HEAD = ("company", "supplier", "site", "incoterm", "ours_from")  # what rows of one order share
AFLOAT = (*ORDERS, "shipment", "container", "departed_on", "dock_on", "value", "billed")


@dataclass(frozen=True)
class FileRequest:
    """The content of an opening file."""

    content: bytes


def _each(rows: Iterable[Row], take: Callable[[Row], None]) -> int:
    """Apply to every row; raise one refusal with the problems of all of them."""
    problems: list[Problem] = []
    count = 0
    for row in rows:
        count += 1
        try:
            take(row)
        except NotAllowed:
            raise  # of the whole file, not row by row
        except Refused as refused:
            problems += [
                problem
                if problem.what.startswith("Row ")
                else Problem(f"Row {row.number}: {problem.what}", problem.where, problem.mend)
                for problem in refused.problems
            ]
    refuse_if(problems)
    if not count:
        raise Refused(Problem("The file has no rows below its header."))
    return count


def _company(act: Act, row: Row) -> Company:
    company = Company.objects.filter(code=row.text("company")).first()
    if company is None:
        raise row.refused("company", f"there is no company {row.text('company')!r}")
    act.require("begin", company.pk)
    return company


def _site(row: Row, company: Company) -> Site:
    site = Site.objects.filter(code=row.text("site"), company=company).first()
    if site is None:
        raise row.refused("site", f"{company.code} has no site {row.text('site')!r}")
    return site


def _quantity(row: Row, item: Item) -> Decimal:
    quantity = row.decimal("quantity")
    if not 0 < quantity <= LARGEST or round(quantity, item.decimals) != quantity:
        raise row.refused("quantity", f"must be above 0, at most {LARGEST}, and counted in {item.unit}")
    return quantity


def _value(row: Row, company: Company) -> Decimal:
    value = row.decimal("value")
    if not 0 <= value <= LARGEST_AMOUNT or not is_whole(value, company.currency):
        raise row.refused("value", f"must be an amount in {company.currency}, not negative, at most {LARGEST_AMOUNT}")
    return value


def _past(act: Act, row: Row, column: str) -> date:
    day = row.day(column)
    if day > act.today:
        raise row.refused(column, f"{day} has not come yet")
    return day


@once
def open_stock(act: Act, request: FileRequest) -> int:
    """Stock on hand with its value, against the opening balance. Returns the number of rows."""
    rows = read_rows(request.content, STOCK)
    history = add_history(act, "open_stock", f"Opening stock: {len(rows)} rows", [])
    return _each(rows, lambda row: _open_layer(act, history, row))


def _opening(act: Act, company: Company, quantity: Decimal, day: date, entry: Entry | None, **goods) -> None:
    write_opening(
        Opening(
            company=company, quantity=quantity, occurred_on=day, entered_by=act.person, at=act.at, entry=entry, **goods
        )
    )


def _kept(row: Row, item: Item) -> None:
    for column, kept in (("lot", item.keeps_lot), ("best_before", item.keeps_best_before)):
        if kept and not row.text(column, ""):
            raise row.refused(column, f"is missing: {item.code} keeps it")


def _open_layer(act: Act, history, row: Row) -> None:
    company = _company(act, row)
    site = _site(row, company)
    item, _ = find_pack(row.text("item"))
    quantity, value, day = _quantity(row, item), _value(row, company), _past(act, row, "received_on")
    _kept(row, item)
    layer = CostLayer(
        company=company,
        site=site,
        item=item,
        lot=row.text("lot", "", 40),
        best_before=row.day("best_before") if row.text("best_before", "") else None,
        occurred_on=day,
        received=quantity,
        total_cost=value,
        goods_cost=value,
    )
    write_layers([layer])
    move_stock(history, [StockMove(layer.pk, quantity, None, Place(default_bin(site.pk, "store").pk, "in_store"))])
    entry = open_entry(act, history, f"Opening stock of {item.code}", day)
    add_costs(entry, [(layer.pk, None, component_of(None), value)])
    _opening(act, company, quantity, day, entry, layer=layer)
    post(
        entry,
        [
            Draft(company.pk, Account.STOCK, value, layer=layer.pk),
            Draft(company.pk, Account.OPENING, -value, layer=layer.pk),
        ],
    )


@once
def open_orders(act: Act, request: FileRequest) -> int:
    """Open orders: one row a line, rows of one order number together. Returns the number of rows."""
    rows = read_rows(request.content, ORDERS)
    made = _Made(act)
    count = _each(rows, made.line)
    made.finish()
    return count


@once
def open_afloat(act: Act, request: FileRequest) -> int:
    """Goods afloat: orders, containers and values in one table. Returns the number of rows."""
    rows = read_rows(request.content, AFLOAT)
    made = _Made(act)
    count = _each(rows, made.afloat)
    made.finish()
    return count


class _Made:
    """Orders and shipments made while a file is read."""

    def __init__(self, act: Act):
        self.act = act
        self.orders: dict[str, PurchaseOrder] = {}
        self.heads: dict[str, tuple[str, ...]] = {}
        self.instalments: list[int] = []
        self.shipments: dict[str, Shipment] = {}
        self.sailed: dict[str, tuple[date, date]] = {}

    def line(self, row: Row) -> Instalment:
        """One line of an open order, sent and (where the row says ready_on) agreed."""
        company = _company(self.act, row)
        item, _ = find_pack(row.text("item"))
        quantity, price = _quantity(row, item), row.decimal("price")
        if price < 0 or quantity * price > LARGEST_AMOUNT:
            raise row.refused("price", f"must not be negative, nor the amount above {LARGEST_AMOUNT}")
        order = self._order(row, company)
        number = order.lines.count() + 1
        line = OrderLine(
            number=number,
            item=item,
            pack=item.unit,
            pack_factor=Decimal(1),
            quantity=quantity,
            pack_price=price,
            need_by=row.day("need_by"),
        )
        passage = timedelta(days=order.supplier.passage_days)
        ready = row.day("ready_on") if row.text("ready_on", "") else None
        part = Instalment(
            number=1,
            quantity=quantity,
            asked_on=line.need_by - passage,
            pack_price=price,
            agreed_quantity=quantity if ready else ZERO,
            first_promise=ready,
            promise=ready,
        )
        orders.open_line(order, line, part)
        history = add_history(
            self.act, "open_order", f"Brought in line {number} of {order.number}", self._links(order, line.pk)
        )
        positions.open_positions([part.pk])
        positions.move(history, [positions.MoveDraft(part.pk, "ordered", "with_supplier", quantity)])
        self.instalments.append(part.pk)
        return part

    def _links(self, order: PurchaseOrder, line: int):
        return [("order", order.pk, order.company_id), ("line", line, order.company_id)]

    def _order(self, row: Row, company: Company) -> PurchaseOrder:
        number = row.text("order", longest=24)
        head = tuple(row.text(column) for column in HEAD)
        if number in self.orders:
            if self.heads[number] != head:
                raise row.refused("order", f"{number} stands above with another {_differing(self.heads[number], head)}")
            return self.orders[number]
        if PurchaseOrder.objects.filter(number=number).exists():
            raise row.refused("order", f"{number} is there already")
        order = orders.write_order(self.act, self._terms(row, company), [], number)
        orders.mark(order, checked_at=self.act.at, approved_at=self.act.at, sent_at=self.act.at)
        self.orders[number], self.heads[number] = order, head
        return order

    def _terms(self, row: Row, company: Company) -> orders.Terms:
        supplier = Party.objects.filter(code=row.text("supplier"), kind=Party.Kind.SUPPLIER).first()
        if supplier is None:
            raise row.refused("supplier", f"there is no supplier {row.text('supplier')!r}")
        for column, known in (("ours_from", MOMENTS), ("incoterm", INCOTERMS)):
            if row.text(column) not in known:
                raise row.refused(column, f"is one of {', '.join(known)}")
        rate_for(company, supplier.currency, self.act.today)
        return orders.Terms(
            company, supplier, _site(row, company), row.text("incoterm"), "", row.text("ours_from"), row.day("need_by")
        )

    def afloat(self, row: Row) -> None:
        """One line with its container: packed and departed; ours, where that is its rule, at the row's value."""
        part = self.line(row)
        order = part.line.order
        departed, dock = _past(self.act, row, "departed_on"), row.day("dock_on")
        if dock < departed:
            raise row.refused("dock_on", "must not be before departed_on")
        container = self._container(row, departed, dock)
        shipment_line = ShipmentLine(container=container, instalment=part, quantity=part.quantity)
        shipping.bring_in([shipment_line])
        links = [*self._links(order, part.line_id), ("shipment", container.shipment_id, None)]
        history = add_history(
            self.act, "open_afloat", f"Brought in goods afloat in {container.number}", links, departed
        )
        positions.move(
            history, [positions.MoveDraft(part.pk, "with_supplier", "under_way", part.quantity, shipment_line.pk)]
        )
        entry = None
        if is_ours_after(order.ours_from, "on_board"):
            entry = self._own(row, history, shipment_line, departed)
        elif row.text("value", "") or row.text("billed", ""):
            raise row.refused("value", f"must be empty: these goods are ours only from {order.ours_from}")
        _opening(self.act, order.company, part.quantity, departed, entry, shipment_line=shipment_line)

    def _own(self, row: Row, history, shipment_line: ShipmentLine, departed: date) -> Entry:
        part, order = shipment_line.instalment, shipment_line.instalment.line.order
        value = _value(row, order.company)
        shipment_line.opening_billed = row.text("billed").lower() in ("yes", "y", "true", "1")
        shipment_line.ours_on, shipment_line.goods_base = departed, value
        shipment_line.goods_amount = net_amount(part.quantity, Decimal(1), part.pack_price, Decimal(1), order.currency)
        # The rate that the file's value implies.
        shipment_line.goods_rate = (
            divide(value, shipment_line.goods_amount, 10) if shipment_line.goods_amount else Decimal(1)
        )
        facts = (departed, shipment_line.goods_amount, value, shipment_line.goods_rate)
        shipping.own_shipment_lines([(shipment_line.pk, *facts)])
        if shipment_line.opening_billed:
            shipping.mark_billed_before(shipment_line)
        entry = open_entry(self.act, history, f"Opening goods afloat of {order.number}", departed)
        against = Account.OPENING if shipment_line.opening_billed else Account.OWNED_NOT_BILLED
        common = {
            "order_line": part.line_id,
            "document_kind": DocumentKind.SHIPMENT_LINE,
            "document": shipment_line.pk,
        }
        post(
            entry,
            [
                Draft(order.company_id, Account.OWNED_AFLOAT, value, **common),
                Draft(
                    order.company_id,
                    against,
                    -value,
                    -shipment_line.goods_amount,
                    order.currency,
                    shipment_line.goods_rate,
                    party=order.supplier_id,
                    **common,
                ),
            ],
        )
        return entry

    def _container(self, row: Row, departed: date, dock: date) -> Container:
        reference = row.text("shipment", longest=24)
        if reference not in self.shipments:
            if Shipment.objects.filter(reference=reference).exists():
                raise row.refused("shipment", f"{reference} is there already")
            self._sail(reference, departed, dock)
        if self.sailed[reference] != (departed, dock):
            raise row.refused("departed_on", f"{reference} stands above with other dates")
        number = container_number(row.text("container"))
        return shipping.container_of(self.shipments[reference], number)

    def _sail(self, reference: str, departed: date, dock: date) -> None:
        shipment = shipping.write_shipment(self.act, reference, "", None)
        plan = shipping.LegPlan("sea", "port of loading", "dock", departed, dock, True)
        leg = shipping.write_legs(shipment, [plan])[0]
        dates.write_statement(self.act, None, leg, "departure", "actual", departed)
        dates.mark_sailed([shipment], "departed_on", departed)
        self.shipments[reference], self.sailed[reference] = shipment, (departed, dock)

    def finish(self) -> None:
        """The revisions that count as sent; expectations and matters of all that was made."""
        for order in self.orders.values():
            revision = orders.write_revision(self.act, order)
            orders.mark(order, revision=revision.number)
        milestones.follow_dates(self.act, self.shipments.values())
        bring_along(instalments=self.instalments)


def _differing(above: tuple[str, ...], here: tuple[str, ...]) -> str:
    return " and ".join(name for name, a, b in zip(HEAD, above, here, strict=True) if a != b)
