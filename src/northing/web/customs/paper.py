"""The form of a customs entry beside what it declares: as it stands at first, and as it was entered."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Any

from northing.actions.customs import entries
from northing.actions.customs.covers import covered, mark_of
from northing.actions.customs.declare import rate_field
from northing.actions.customs.included import Included, field_of, included_before, orders_that_include
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused
from northing.customs.models import CustomsEntry
from northing.formats.office_figures import read_office_figures
from northing.masterdata.models import Company, Party
from northing.masterdata.queries import Rates
from northing.shipping.models import ShipmentLine
from northing.web.common.uploads import read_upload
from northing.web.customs.desk import Desk
from northing.web.customs.forms import EntryForm

# What is typed already stays where their table is read.
KEPT, LONGEST = ("office", "number", "day", "reason", "their_tax"), 200
TYPED = ("in-", "rate-", "their-")
# Our figures follow from it and from the day: freight and insurance in prices, and the office's rates by currency.
Basis = tuple[tuple[Included, ...], dict[str, Decimal]]
# A declaration, or why there is none.
Shown = tuple[entries.Declared | None, Sequence[Problem]]


@dataclass
class Paper:
    """A desk's goods and the form of their entry; `shown` is what they declare today, before anything is entered."""

    desk: Desk
    goods: list[ShipmentLine]
    form: EntryForm
    shown: Shown
    before: Basis
    file_problems: Sequence[Problem] = ()
    # Whether what was sent is to be booked.
    books: bool = True

    def as_entered(self, today: date) -> Shown:
        """What the goods declare on the day, at the rates and with the freight and insurance that were entered."""
        day, basis = self.form.entered_day() or today, (self.form.included(), self.form.rates())
        if not self.goods or (day, basis) == (today, self.before):
            return self.shown
        return _declared(self.goods, self.desk.company, day, basis)


def paper_of(request, desk: Desk, today: date) -> Paper:
    """The form as it is sent; where only a table is read, as it was typed."""
    goods, refused = _goods_of(desk)
    orders = orders_that_include(goods, desk.company.country)
    rates = _our_rates(goods, desk.company, today)
    said = desk.corrects.rates if desk.corrects else {}
    theirs = {currency: Decimal(rate) for currency, rate in said.items() if currency in rates}
    before = (included_before(desk.corrects, orders), theirs)
    shown = _declared(goods, desk.company, today, before) if goods else (None, refused)
    initial = _initial(desk, today, before) | {"shown": mark_of(goods) if goods else ""}
    act, problems = request.POST.get("act", ""), ()
    if act == "file":
        figures, problems = _their_table(request, shown[0])
        initial |= _typed(request) | figures
    sent = None if act in ("proof", "file") else request.POST or None
    known = len(shown[0].groups()) if shown[0] else 1
    groups = sum(name.startswith("their-") for name in sent) if sent else known
    form = EntryForm(sent, initial=initial, groups=groups, orders=orders, rates=rates)
    if act == "reckon":
        form.only_show()
    return Paper(desk, goods, form, shown, before, problems, books=act == "")


def _goods_of(desk: Desk) -> tuple[list[ShipmentLine], Sequence[Problem]]:
    """The goods that would be declared, or why there are none."""
    if desk.covers is None:
        return [], ()
    try:
        return covered(desk.covers, desk.company, desk.corrects.pk if desk.corrects else None), ()
    except Refused as refused:
        return [], refused.problems


def _declared(goods: list[ShipmentLine], company: Company, day: date, basis: Basis) -> Shown:
    try:
        return entries.declare(goods, company, day, *basis), ()
    except Refused as refused:
        return None, refused.problems


def _our_rates(goods: Sequence[ShipmentLine], company: Company, today: date) -> dict[str, Decimal | None]:
    """The customs rates of the currencies that goods are bought in."""
    rates = Rates(today, "customs")
    currencies = sorted({part.instalment.line.order.currency for part in goods} - {company.currency})
    return {currency: rates.known(company, currency) for currency in currencies}


def _initial(desk: Desk, today: date, before: Basis) -> dict[str, Any]:
    office = _usual_office(desk.company, desk.corrects or next(iter(desk.standing), None))
    found = {"day": today, "office": office, "corrects": desk.corrects and desk.corrects.pk}
    included, rates = before
    found |= {rate_field(currency): plain(rate) for currency, rate in rates.items()}
    return found | {
        field_of(one.order, kind): plain(amount) for one in included for kind, amount in one.by_kind.items()
    }


def _typed(request) -> dict[str, str]:
    """What was typed of the form, to be shown again."""
    kept = {name: value for name, value in request.POST.items() if name in KEPT or name.startswith(TYPED)}
    return {name: value for name, value in kept.items() if len(value) < LONGEST}


def _their_table(request, declared: entries.Declared | None) -> tuple[dict[str, str], Sequence[Problem]]:
    """The office's figures of a table as they stand in the form, or what is wrong with it."""
    upload = request.FILES.get("their_file")
    if upload is None or declared is None:
        return {}, [Problem("Choose the table first.", "their_file")]
    groups = [(group.hs, group.origin) for group, _, _ in declared.groups()] or [("", "")]
    try:
        found = read_upload(upload, lambda path: read_office_figures(path, groups))
    except Refused as refused:
        return {}, refused.problems
    figures = {f"their-{place}": plain(amount) for place, amount in found.duty.items()}
    return figures | ({} if found.tax is None else {"their_tax": plain(found.tax)}), ()


def _usual_office(company: Company, standing: CustomsEntry | None) -> int | None:
    """The office of the entry that stands, else of the company's last one, else the only one of its country."""
    last = standing or CustomsEntry.objects.filter(company=company).order_by("-pk").first()
    if last:
        return last.office_id
    found = list(
        Party.objects.filter(kind=Party.Kind.CUSTOMS, country=company.country).values_list("pk", flat=True)[:2]
    )
    return found[0] if len(found) == 1 else None
