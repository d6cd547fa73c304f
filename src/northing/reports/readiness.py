"""The obstacles between a shipment and its next step, each with the act that mends it."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date

from django.db.models import Count, F, Q
from django.urls import reverse

from northing.core.checks import strongest
from northing.core.problems import Strength
from northing.customs.queries import is_declared
from northing.drawings.figures import first_of
from northing.masterdata.models import Bin, Company, Item
from northing.shipping.models import RequiredDocument, Shipment, ShipmentLine
from northing.shipping.queries import ready_too_late

NAMED = 6
DEPART, ARRIVE, CLEAR, RECEIVE = "depart", "arrive", "clear customs", "be received"


@dataclass(frozen=True)
class Missing:
    """One thing that is missing: what, where it is mended, and what the act does about it: warn, ask or stop.

    Where only some may mend it, the permission that it takes.
    """

    what: str
    mend: str
    url: str
    strength: Strength = Strength.WARN
    permission: str = ""


@dataclass(frozen=True)
class Readiness:
    """The next step of a shipment (empty: all is received), and what is missing for it."""

    step: str
    missing: list[Missing]

    @property
    def blocked(self) -> bool:
        return any(one.strength is Strength.BLOCK for one in self.missing)


def readiness_of(shipment: Shipment, companies: set[int], today: date) -> Readiness:
    """Where the shipment stands for these companies (ids)."""
    parts = ShipmentLine.objects.filter(container__shipment=shipment, instalment__line__order__company__in=companies)
    said = parts.order_by().annotate(declared=is_declared())
    company = "instalment__line__order__company"
    rows = set(
        said.values_list(f"{company}__code", company, f"{company}__receive_without_entry", "declared").distinct()
    )
    some = {key for _, key, _, declared in rows if declared}
    undeclared = [(code, key, strength, key in some) for code, key, strength, declared in sorted(rows) if not declared]
    page = reverse("shipment", args=[shipment.pk])
    if not shipment.departed_on:
        found = [*_to_depart(shipment, parts, page), *_papers(shipment, ("departure",), page, today)]
        return Readiness(DEPART, found)
    if not parts.filter(accounted__lt=F("quantity")).exists():
        return Readiness("", [])
    customs = [*_entries(shipment, undeclared, parts), *_papers(shipment, ("customs",), page, today)]
    if not shipment.arrived_on:
        return Readiness(ARRIVE, [_softened(one) for one in customs])
    if undeclared:
        return Readiness(CLEAR, customs)
    return Readiness(RECEIVE, [*_bins(parts), *_papers(shipment, ("customs", "receipt"), page, today)])


def _softened(one: Missing) -> Missing:
    """Turn needs of a later step into warnings."""
    return replace(one, strength=Strength.WARN)


def _to_depart(shipment: Shipment, parts, page: str) -> Iterable[Missing]:
    load = reverse("load", args=[shipment.pk])
    if not parts.exists():
        yield Missing("Nothing is packed yet.", "Load it", load, Strength.BLOCK)
    legs = list(shipment.legs.all())
    if not legs:
        yield Missing("It has no legs.", "Plan the passage", reverse("plan", args=[shipment.pk]), Strength.BLOCK)
    elif shipment.mode == Shipment.Mode.SEA and not shipment.voyage_id:
        said = Company.objects.filter(purchaseorder__lines__instalments__shipment_lines__in=parts).distinct()
        strength = strongest(list(said.values_list("depart_without_voyage", flat=True)))
        yield Missing("No voyage is chosen.", "Plan the passage", reverse("plan", args=[shipment.pk]), strength)
    unagreed = parts.filter(instalment__agreed_quantity__lt=F("instalment__quantity")).values_list(
        "instalment__line__order__number", "instalment__line__number", "instalment__line"
    )
    lines = list(unagreed.distinct().order_by("instalment__line__order__number", "instalment__line__number"))
    if lines:
        names = first_of([f"{order}/{number}" for order, number, _ in lines], NAMED)
        url = reverse("line", args=[lines[0][2]])
        yield Missing(f"Not agreed: {names}.", "Record the answer", url)
    late = ready_too_late(shipment, 1_000)
    if late:
        what = (
            f"Ready after the vessel leaves on {late[0].leaves:%-d %b}: {first_of([one.name for one in late], NAMED)}."
        )
        yield Missing(what, "Choose a later voyage", reverse("plan", args=[shipment.pk]))
    bare = shipment.containers.filter(seal="").exclude(size_type="LOOS").annotate(parts=Count("shipment_lines"))
    numbers = list(bare.filter(parts__gt=0).order_by("number").values_list("number", flat=True))
    if numbers:
        yield Missing(f"No seal: {first_of(numbers, NAMED)}.", "Enter it", load)


def _papers(shipment: Shipment, needed: tuple[str, ...], page: str, today: date) -> Iterable[Missing]:
    for paper in RequiredDocument.objects.filter(shipment=shipment, done_on=None, needed_for__in=needed).order_by(
        "due", "pk"
    ):
        by = f", due {paper.due:%-d %b}" if paper.due else ""
        late = " (late)" if paper.due and paper.due < today else ""
        yield Missing(f"{paper} {paper.lacks}{by}{late}.", "Record it", f"{page}#papers")
    balance = RequiredDocument.objects.filter(shipment=shipment, done_on=None, kind=RequiredDocument.Kind.BALANCE)
    for paper in balance.exclude(needed_for__in=needed):
        yield Missing(f"{paper} {paper.lacks}: it releases the papers.", "Record it", f"{page}#papers")


# A company's code, its id, how strongly it asks for an entry, and whether some of its goods have one.
Undeclared = tuple[str, int, str, bool]


def _entries(shipment: Shipment, without: Sequence[Undeclared], parts) -> Iterable[Missing]:
    for code, company, asks, in_part in without:
        url = reverse("customs", args=[shipment.pk, company])
        lacks = "has no customs entry for a part of it" if in_part else "has no customs entry"
        yield Missing(f"{code} {lacks}.", "Book it", url, Strength(asks), "book_customs_entry")
    bare = Item.objects.filter(Q(hs_code="") | Q(hs_code__isnull=True))
    codes = bare.filter(order_lines__instalments__shipment_lines__in=parts).distinct().order_by("code")[:6]
    for item in codes:
        yield Missing(f"{item.code} has no tariff number.", "Enter it", reverse("record", args=["item", item.pk]))


def _bins(parts) -> Iterable[Missing]:
    order = "instalment__line__order"
    sites = parts.order_by().values_list(f"{order}__site", f"{order}__site__code").distinct()
    there = set(Bin.objects.filter(purpose=Bin.Purpose.STORE).values_list("site", flat=True))
    for site, code in sorted(sites, key=lambda one: one[1]):
        if site not in there:
            yield Missing(f"{code} has no store bin.", "Make one", reverse("new-record", args=["bin"]), Strength.BLOCK)
