"""A small world for tests: two companies, the three items of the worked case, everyone who acts."""

from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

from northing.access.acts import Act
from northing.access.models import Grant, Person
from northing.actions.billing import bills
from northing.actions.billing.request import of_one
from northing.actions.confirmations import answers
from northing.actions.costing import charges
from northing.actions.orders import send, write
from northing.actions.receiving import receive as receiving
from northing.actions.shipping import load, milestones, pack
from northing.billing.models import BillLine
from northing.core.checks import CHECKS
from northing.formats.identifiers import with_container_check_digit
from northing.masterdata.models import (
    Agreement,
    BankAccount,
    Bin,
    Characteristic,
    ClaimDays,
    Company,
    CountryGroup,
    Defect,
    ExchangeRate,
    FreeTime,
    Holiday,
    InspectionRule,
    Item,
    Pack,
    Party,
    PastPassage,
    PaymentTerms,
    Port,
    RateCard,
    RouteLeg,
    Site,
    TariffRule,
    TaxCode,
    Territory,
    UsualBasis,
    WorkingWeek,
)
from northing.orders.models import Instalment, OrderLine, PurchaseOrder
from northing.shipping.models import Container, Leg, Shipment, ShipmentLine
from northing.shipping.operations import CallPlan, LegPlan

TODAY = date(2026, 11, 24)
NOW = datetime(2026, 11, 24, 0, 30, tzinfo=UTC)
D = Decimal
# An amount that no order here reaches: whoever writes one may send it.
ANY = D(10**8)
CHECKS_WARN = {check.code: "warn" for check in CHECKS}
BOOK = {"USD": "1.6420", "EUR": "1.7815", "AUD": "1.0900"}
CUSTOMS = {"USD": "1.6385", "EUR": "1.7790", "AUD": "1.0880"}
ITEMS = {
    "A": ("kettles", "USD", "18.40", "0.0171", "1.7", "0.05"),
    "B": ("cups", "EUR", "2.15", "0.00576", "0.45", "0.05"),
    "C": ("infusers", "USD", "1.07", "0.0025", "0.15", "0"),
}
# Of each role a person of that name.
OF_LINKS = ("supplier", "provider")
ROLES = ["expediter", "buyer", "viewer", "approver", "shipping", "costs", "dock", "inspector", "accounts"]
ROLES += ["administrator"]
QUANTITIES = {"A": D(240), "B": D(1200), "C": D(900)}
# The calls of most voyages here; their days are those of the first passage that is planned by them.
CALLS = (CallPlan("CNNGB"), CallPlan("NZTRG"))
CONTAINERS = tuple(with_container_check_digit(f"QXNU10000{n}") for n in (1, 2))


@dataclass
class World:
    """Records by name, and shortcuts for actions."""

    nz: Company
    au: Company
    site: Site
    people: dict[str, Person] = field(default_factory=dict)
    parties: dict[str, Party] = field(default_factory=dict)
    items: dict[str, Item] = field(default_factory=dict)

    def act(self, who: str, key: str = "", at: datetime = NOW) -> Act:
        """An act of one of the people."""
        return Act(Person.objects.get(username=who), at, key)

    def sent_order(self, lines, *, company=None, ours_from="on_board", agreed=True) -> PurchaseOrder:
        """An order to the items' supplier, written and sent in one act and (if asked) agreed."""
        company = company or self.nz
        site = company.sites.get()
        code = next(iter(lines))
        request = write.OrderRequest(
            company=company.pk,
            supplier=self.parties[ITEMS[code][1]].pk,
            site=site.pk,
            incoterm="FOB",
            ours_from=ours_from,
            need_by=TODAY + timedelta(days=90),
            lines=tuple(write.LineRequest(item, "", quantity) for item, quantity in lines.items()),
        )
        order = PurchaseOrder.objects.get(pk=send.place_order(self.act("expediter"), request))
        if agreed:
            self.agree(order)
        return order

    def ask_second_person(self, above: Decimal | None = None) -> None:
        """From now on an order needs approval by a second person; with an amount, only above it."""
        Company.objects.update(approval_above=above)

    def agree(self, order: PurchaseOrder) -> None:
        """The supplier confirms everything as asked."""
        rows = tuple(
            answers.AnswerRow(part.pk, part.quantity, part.asked_on, part.pack_price)
            for part in Instalment.objects.filter(line__order=order)
        )
        answers.record_answers(self.act("expediter"), answers.AnswersRequest(order.pk, "REF", TODAY, rows))

    def daily_rates(self) -> dict[date, Decimal]:
        """Another rate of the US dollar for each day of the last two months."""
        ExchangeRate.objects.filter(company=self.nz, currency="USD", purpose="book").delete()
        rates = {TODAY - timedelta(days=ago): D("1.60") + D(ago) / 1000 for ago in range(60)}
        ExchangeRate.objects.bulk_create(
            ExchangeRate(company=self.nz, currency="USD", purpose="book", day=day, rate=rate)
            for day, rate in rates.items()
        )
        return rates

    def shipment(self, orders: list[PurchaseOrder], number: str = CONTAINERS[0]) -> Shipment:
        """All of the orders in one container on a sea leg."""
        key = pack.create_shipment(self.act("shipping"), pack.ShipmentRequest())
        container = pack.add_container(self.act("shipping"), pack.ContainerRequest(key, number, "22G1"))
        plan = LegPlan("sea", "CNNGB", "NZTRG", TODAY - timedelta(days=2), TODAY + timedelta(days=20), True)
        pack.plan_passage(self.act("shipping"), pack.PassageRequest(key, None, (plan,)))
        parts = Instalment.objects.filter(line__order__in=orders).order_by("pk")
        rows = tuple((part.pk, part.quantity) for part in parts)
        pack.stow(self.act("shipping"), pack.StowRequest(container, rows))
        return Shipment.objects.get(pk=key)

    def say(self, shipment: Shipment, milestone: str, day: date = TODAY, kind: str = "actual") -> None:
        """A departure or arrival of the main leg."""
        leg = Leg.objects.get(shipment=shipment, main=True)
        milestones.say_date(self.act("shipping"), milestones.DateRequest(leg.pk, milestone, kind, day))

    def charge(self, shipment: Shipment, kind: str, amount: str, currency: str, basis: str, **more) -> int:
        """A billed charge over a shipment."""
        request = charges.ChargeRequest(
            company=more.pop("company", self.nz).pk,
            payee=self.parties["provider"].pk,
            kind=kind,
            basis=basis,
            currency=currency,
            amount=D(amount),
            day=more.pop("day", TODAY),
            shipments=(shipment.pk,),
        )
        number = more.pop("bill_number", f"{kind}-{amount}")
        bill = bills.book_bill(self.act("costs"), of_one(replace(request, **more), number))
        return BillLine.objects.get(bill=bill).charge_id

    def receive(
        self, shipment: Shipment, rows: dict[str, Decimal], *, still_coming=True, who="dock", key="", not_there=False
    ) -> int:
        """Receive items by code out of the shipment's first container."""
        container = Container.objects.filter(shipment=shipment).first()
        parts = dict(ShipmentLine.objects.filter(container=container).values_list("instalment__line__item__code", "pk"))
        found = [
            receiving.ReceiveRow(parts[code], quantity, still_coming, not_there=not_there)
            for code, quantity in rows.items()
        ]
        request = receiving.ReceiveRequest(container.pk, self.site.pk, "DN-1", TODAY, tuple(found))
        return receiving.receive(self.act(who, key), request)

    def line(self, code: str) -> OrderLine:
        """The only order line of an item."""
        return OrderLine.objects.get(item__code=code)


def out_of(part: ShipmentLine) -> load.LoadRequest:
    """That a shipment line is taken out of its container."""
    box = part.container
    asked = load.Box(box.pk, box.number, box.size_type, box.seal, ((part.instalment_id, D(0)),))
    return load.LoadRequest(box.shipment_id, (asked,))


SUPPLIERS = ("USD", "EUR")
PARTIES = {f"S{currency}": currency for currency in SUPPLIERS} | {"FWD": "provider", "CUS": "customs"}


def small_world() -> World:
    """Everything the worked case needs: as it stands in the database, or made where there is none."""
    companies = {company.code: company for company in Company.objects.all()}
    if "KLN" not in companies:
        return make_small_world()
    return World(
        companies["KLN"],
        companies["KLA"],
        Site.objects.select_related("company").get(code="TRG"),
        people={
            person.username: person for person in Person.objects.filter(username__in=(*ROLES, *OF_LINKS, "stranger"))
        },
        parties={PARTIES[party.code]: party for party in Party.objects.filter(code__in=PARTIES)},
        items={item.code: item for item in Item.objects.filter(code__in=ITEMS)},
    )


def make_small_world() -> World:
    """Write the small world into an empty database."""
    ports = {
        code: Port.objects.create(code=code, name=code, country=code[:2], latitude=D(north), longitude=D(east))
        for code, north, east in (
            ("CNNGB", "29.93", "121.85"),
            ("NZTRG", "-37.66", "176.18"),
            ("AUMEL", "-37.83", "144.92"),
        )
    }
    nz = Company.objects.create(
        code="KLN",
        name="Test NZ",
        country="NZ",
        currency="NZD",
        import_tax_rate=D("0.15"),
        import_tax_base=["customs_value", "duty", "freight", "insurance"],
        approval_above=ANY,
        **CHECKS_WARN,
    )
    au = Company.objects.create(
        code="KLA", name="Test AU", country="AU", currency="AUD", approval_above=ANY, **CHECKS_WARN
    )
    world = World(nz, au, _site(nz, "TRG", ports["NZTRG"]))
    _site(au, "MEL", ports["AUMEL"])
    for role in (*ROLES, *OF_LINKS):
        person = world.people[role] = Person.objects.create_user(
            role, password=role, keeps_house=role == "administrator"
        )
        Grant.objects.bulk_create([Grant(person=person, company=company, role=role) for company in (nz, au)])
    stranger = world.people["stranger"] = Person.objects.create_user("stranger", password="stranger")
    Grant.objects.bulk_create([Grant(person=stranger, company=au, role=role) for role in ("dock", "expediter")])
    for currency in SUPPLIERS:
        world.parties[currency] = Party.objects.create(
            kind="supplier", code=f"S{currency}", name=f"Supplier {currency}", currency=currency, country="CN"
        )
    world.parties["provider"] = Party.objects.create(
        kind="provider", code="FWD", name="Forwarder", currency="NZD", country="NZ"
    )
    world.parties["customs"] = Party.objects.create(
        kind="customs", code="CUS", name="Customs office", currency="NZD", country="NZ"
    )
    for code, (description, currency, price, volume, weight, duty) in ITEMS.items():
        item = world.items[code] = Item.objects.create(
            code=code,
            description=description,
            group="test",
            volume_m3=D(volume),
            weight_kg=D(weight),
            duty_rate=D(duty),
            hs_code="851610",
            origin="CN",
        )
        Pack.objects.create(item=item, name="pc", factor=1)
        since = TODAY - timedelta(days=400)
        supplier = world.parties[currency]
        Agreement.objects.create(supplier=supplier, item=item, price=D(price), currency=currency, valid_from=since)
    Holiday.objects.create(country="NZ", day=TODAY + timedelta(days=3), name="Founders' day")
    WorkingWeek.objects.create(country="AU", rest="7")
    InspectionRule.objects.create(group="glass", how="every")
    Characteristic.objects.create(group="glass", name="Height", unit="mm", least=D(90), most=D(110))
    for code, name in (("W-CHIP", "chipped"), ("W-DENT", "dents")):
        Defect.objects.create(code=code, name=name)
    # Of a country to which nothing goes.
    Territory.objects.create(code="FJ", basis="cif", per="group", unit=D("0.05"))
    islands = CountryGroup.objects.create(code="ISLES", name="Islands", countries="TO WS")
    TariffRule.objects.create(
        territory="FJ", hs="69", group=islands, ad_valorem=D("0.05"), kind="duty", valid_from=TODAY
    )
    # Of a country from which nothing comes.
    RateCard.objects.create(
        code="FJ-40",
        provider=world.parties["provider"],
        kind="freight",
        per="container",
        price=D(2100),
        currency="NZD",
        origin="FJ",
        valid_from=TODAY,
    )
    UsualBasis.objects.create(kind="inspection", basis="quantity")
    ClaimDays.objects.create(party=world.parties["provider"], mode="air", notice_days=14, claim_days=270)
    PaymentTerms.objects.create(code="M14", name="14 days from the end of the month", days=14, from_month_end=True)
    owners = ({"company": nz}, {"party": world.parties["USD"]}, {"party": world.parties["provider"]})
    for count, owner in enumerate(owners):
        facts = owner | {"bank": "Harbour", "number": f"1-{count}", "currency": "NZD"}
        BankAccount.objects.create(code=f"B{count}", **facts)
    TaxCode.objects.create(company=nz, code="GST15", name="Goods and services tax", rate=D("0.15"))
    BankAccount.objects.update(changed_at=NOW - timedelta(days=1))
    days = {"planned_departure": 0, "departed_on": 2, "planned_arrival": 26, "arrived_on": 30}
    days |= {"planned_dock": 29, "received_on": 34}
    PastPassage.objects.create(
        reference="BEFORE-1",
        supplier=world.parties["USD"],
        carrier=world.parties["provider"],
        load_port=ports["CNNGB"],
        discharge_port=ports["NZTRG"],
        **{name: TODAY + timedelta(days=day - 300) for name, day in days.items()},
    )
    road = dict(route="Ningbo to TRG", mode="road", days_in="working", country="NZ", site=world.site)
    RouteLeg.objects.create(**road | dict(number=1, origin="supplier", destination="CNNGB", days=1, country="CN"))
    sea = dict(route="Ningbo to TRG", mode="sea", wait_days=2, days=26)
    RouteLeg.objects.create(**sea, number=2, origin="CNNGB", destination="NZTRG")
    RouteLeg.objects.create(**road | dict(number=3, origin="NZTRG", destination="TRG", wait_days=2, days=1))
    FreeTime.objects.create(
        carrier=world.parties["provider"],
        port=ports["NZTRG"],
        covers="combined",
        starts="discharged",
        ends="returned",
        free_days=5,
        tiers="1: 80; 6: 120",
        currency="NZD",
        valid_from=TODAY - timedelta(days=400),
    )
    _rates(nz, BOOK, "book")
    _rates(nz, CUSTOMS, "customs")
    _rates(au, {"USD": "1.5064", "EUR": "1.6344", "NZD": "0.9174"}, "book")
    _rates(au, {"USD": "1.5000", "EUR": "1.6300", "NZD": "0.9150"}, "customs")
    return world


def _site(company: Company, code: str, port: Port) -> Site:
    site = Site.objects.create(company=company, code=code, name=code, port=port)
    for purpose in ("dock", "quarantine", "store"):
        Bin.objects.create(site=site, code=purpose.upper(), purpose=purpose)
    return site


def _rates(company: Company, rates: dict[str, str], purpose: str) -> None:
    days = [TODAY - timedelta(days=7), TODAY]
    ExchangeRate.objects.bulk_create(
        ExchangeRate(company=company, currency=currency, purpose=purpose, day=day, rate=D(rate))
        for currency, rate in rates.items()
        for day in days
    )
