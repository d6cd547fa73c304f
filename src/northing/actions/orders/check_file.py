"""The effect of an order file's rows: new orders, changes of orders, and errors.

A wrong row holds back its whole order: half an order is never written.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

from northing.access.acts import Act
from northing.access.permissions import may
from northing.actions.orders.revise import ChangeRequest, LineChange, said_of
from northing.actions.orders.write import LineRequest, head_problems, line_terms, usual_terms
from northing.core.costing.ownership import INCOTERMS, proposed_moment
from northing.core.problems import Problem, Refused
from northing.drawings.figures import count, price
from northing.formats.order_rows import HEAD, OrderRow, read_row
from northing.masterdata.catalogue import Catalogue
from northing.masterdata.models import Company, Party, Site
from northing.orders.models import ADDRESSES, OrderLine, PurchaseOrder
from northing.orders.operations import FileRow, LineTerms, Terms

MOST_LINES = 5_000
NEW, CHANGES, SAME, WRONG, WAITS = "new", "changes", "same", "wrong", "waits"
ZERO = Decimal(0)


@dataclass
class Judged:
    """The rows of one order, what each would do, and the action that does all of it."""

    rows: list[FileRow]
    parsed: list[OrderRow]
    says: list[str] = field(default_factory=list)
    states: list[str] = field(default_factory=list)
    terms: Terms | None = None
    lines: list[LineTerms] = field(default_factory=list)
    order: PurchaseOrder | None = None
    change: ChangeRequest | None = None

    @property
    def wrong(self) -> bool:
        return WRONG in self.states

    def hold_back(self) -> None:
        """Where one row is wrong, the others of its order wait."""
        if self.wrong:
            bad = ", ".join(str(row.number) for row, state in self.each() if state == WRONG)
            self.says = [
                says if state == WRONG else f"Row {bad[:60]} of this order is wrong."
                for says, state in zip(self.says, self.states, strict=True)
            ]
            self.states = [state if state == WRONG else WAITS for state in self.states]

    def each(self) -> Iterable[tuple[FileRow, str]]:
        """(row, its state)."""
        return zip(self.rows, self.states, strict=True)


class Judge:
    """Judges rows for one act; the directory and the catalogue are read once."""

    def __init__(self, act: Act):
        self.act = act
        mine = [company for company in Company.objects.all() if may(act.person, "write_order", company.pk)]
        self._companies = _named(mine)
        self._only = mine[0] if len(mine) == 1 else None
        self._suppliers = _named(Party.objects.filter(kind=Party.Kind.SUPPLIER))
        self._catalogue = Catalogue()
        self._sites: dict[int, list[Site]] = {}
        for site in Site.objects.filter(company__in=mine).order_by("pk"):
            self._sites.setdefault(site.company_id, []).append(site)

    def judge(self, rows: Sequence[FileRow]) -> list[Judged]:
        """The effect of the rows. They hold whole orders, in the order of their groups."""
        groups: dict[str, Judged] = {}
        for row in rows:
            one = groups.setdefault(row.group, Judged([], []))
            one.rows.append(row)
            one.parsed.append(read_row(row.cells))
        parsed = [row for one in groups.values() for row in one.parsed]
        names = {row.head["supplier"].lower() for row in parsed}
        suppliers = {self._suppliers[name].pk for name in names if name in self._suppliers}
        known = _Known(parsed, self._companies.values())
        self._catalogue.learn({row.item for row in parsed}, known.items(), suppliers)
        for one in groups.values():
            self._judge_one(one, known, self._catalogue)
            one.hold_back()
        return list(groups.values())

    def _judge_one(self, one: Judged, known: "_Known", catalogue: Catalogue) -> None:
        problems = [list(row.problems) for row in one.parsed]
        head = one.parsed[0].head
        for row, found in zip(one.parsed, problems, strict=True):
            found += [
                Problem(f"{name}: {row.head[name]!r} differs from the order's first row, {head[name]!r}.", name)
                for name in HEAD
                if row.head[name] != head[name]
            ]
        if len(one.rows) > MOST_LINES:
            problems[0].append(Problem(f"An order has at most {MOST_LINES} lines.", "order", "Divide it."))
        one.order, terms = known.numbered(one.parsed[0]), None
        if one.order is not None:
            problems[0] += self._other_order(one.parsed[0], one.order)
        elif known.elsewhere(one.parsed[0].order):
            problems[0].append(Problem(f"{one.parsed[0].order} is not an order you may change.", "order"))
        else:
            terms, found = self._terms(one.parsed)
            problems[0] += found
            one.order = known.taken(one.parsed[0], terms)
        if one.order is not None:
            self._change(one, one.order, catalogue, problems)
        elif terms is not None:
            self._new(one, terms, catalogue, problems)
        one.says = one.says or [""] * len(one.rows)
        one.states = one.states or [NEW] * len(one.rows)
        for place, found in enumerate(problems):
            if found:
                one.states[place] = WRONG
                one.says[place] = " ".join(str(problem) for problem in dict.fromkeys(found))

    def _other_order(self, row: OrderRow, order: PurchaseOrder) -> list[Problem]:
        """Whom an order is from and to does not change; a file that says otherwise means another order."""
        found = []
        if self._suppliers.get(row.head["supplier"].lower()) != order.supplier:
            found.append(Problem(f"supplier: {order.number} is to {order.supplier}.", "supplier"))
        if row.head["company"] and self._companies.get(row.head["company"].lower()) != order.company:
            found.append(Problem(f"company: {order.number} is {order.company}'s.", "company"))
        if row.currency not in ("", order.currency):
            found.append(Problem(f"currency: {order.number} is in {order.currency}, not {row.currency}.", "currency"))
        return found

    def _terms(self, rows: Sequence[OrderRow]) -> tuple[Terms | None, list[Problem]]:
        head, found = rows[0].head, []
        company = self._companies.get(head["company"].lower()) if head["company"] else self._only
        if company is None:
            what = f"you may write no orders for {head['company']!r}" if head["company"] else "say for which one"
            found.append(Problem(f"company: {what}.", "company"))
        supplier = self._suppliers.get(head["supplier"].lower())
        if supplier is None and head["supplier"]:
            found.append(Problem(f"supplier: there is none called {head['supplier']!r}.", "supplier"))
        site, missing = self._site(company, head["site"])
        found += missing
        words = {"mode": head["mode"] or "sea", "incoterm": head["incoterm"].upper() or "FOB"}
        moment = head["ours_from"].lower().replace(" ", "_")
        if words["incoterm"] in INCOTERMS:
            moment = moment or proposed_moment(words["incoterm"])
        if moment not in ("pickup", "on_board", "arrival", "receipt") and words["incoterm"] in INCOTERMS:
            found.append(Problem(f"ours_from: {head['ours_from']!r} is no moment.", "ours_from"))
        given = {name: value for name, value in rows[0].percentages.items() if value is not None}
        found += head_problems(head | words | {"discount": None, "surcharge": None} | given)
        if supplier and rows[0].currency not in ("", supplier.currency):
            what = f"currency: the file is in {rows[0].currency}; {supplier} sells in {supplier.currency}."
            found.append(Problem(what, "currency"))
        if found or company is None or supplier is None or site is None:
            return None, found
        said = {name: head[name] for name in ("incoterm_place", "supplier_reference", "remark")}
        reference = head["reference"] or rows[0].order
        need_by, answer_by = min(row.need_by for row in rows), rows[0].answer_by
        usual = usual_terms(company, supplier, site)
        said |= usual | {name: head[name] for name in ADDRESSES if head[name]} | given
        said |= words | {"ours_from": moment, "reference": reference}
        return Terms(company, supplier, site, need_by=need_by, answer_by=answer_by, **said), []

    def _site(self, company: Company | None, text: str) -> tuple[Site | None, list[Problem]]:
        sites = self._sites.get(company.pk, []) if company else []
        if not text and len(sites) == 1:
            return sites[0], []
        found = next((site for site in sites if text.lower() in (site.code.lower(), site.name.lower())), None)
        if found is None and company is not None:
            return None, [Problem(f"site: {company.code} has none called {text!r}.", "site")]
        return found, []

    def _new(self, one: Judged, terms: Terms, catalogue: Catalogue, problems: list[list[Problem]]) -> None:
        one.terms = terms
        for row, found in zip(one.parsed, problems, strict=True):
            line = self._line(row, terms.supplier, catalogue, found)
            if line is not None:
                one.lines.append(line)
            one.says.append(_new_words(line, terms.supplier) if line else "")
            one.states.append(NEW)

    def _line(self, row: OrderRow, supplier: Party, catalogue: Catalogue, found: list[Problem]) -> LineTerms | None:
        if row.problems:
            return None
        try:
            return line_terms(self.act, catalogue, row.need_by, _asked(row), supplier, "line")
        except Refused as refused:
            found += refused.problems
            return None

    def _change(self, one: Judged, order: PurchaseOrder, catalogue: Catalogue, problems: list[list[Problem]]) -> None:
        lines = {line.number: line for line in order.lines.all()}
        changes, added, met = [], [], set()
        for row, found in zip(one.parsed, problems, strict=True):
            line = _line_meant(row, lines, catalogue, found)
            if line is None:
                new = self._line(row, order.supplier, catalogue, found)
                if new is not None:
                    added.append(_asked(row))
                one.says.append(f"New line: {_new_words(new, order.supplier)}" if new else "")
                one.states.append(CHANGES)
                continue
            if line.pk in met:
                found.append(Problem(f"Line {line.number} is there twice.", "line"))
            met.add(line.pk)
            asked = _as_asked(row, line, catalogue, found)
            said = _differences(line, asked)
            if said and not found:
                changes.append(asked)
            one.says.append(said)
            one.states.append(CHANGES if said else SAME)
        head = _head_changes(order, one.parsed[0])
        if head:
            problems[0] += head_problems({name: new for name, _, new in head})
            words = ", ".join(_head_words(*one) for one in head)
            one.says[0], one.states[0] = ", ".join(filter(None, [words, one.says[0]])), CHANGES
        if order.cancelled_at:
            problems[0].append(Problem(f"{order.number} is cancelled.", "order", "Reopen it first."))
        if changes or added or head:
            new_head = tuple((name, new) for name, _, new in head)
            one.change = ChangeRequest(order.pk, order.version, new_head, tuple(changes), tuple(added))


def _named(records) -> dict:
    """Records by code and by name, in small letters; a code goes before a name."""
    found = list(records)
    return {one.name.lower(): one for one in found} | {one.code.lower(): one for one in found}


def _asked(row: OrderRow) -> LineRequest:
    return LineRequest(row.item, row.pack, row.quantity, row.price, row.discount or ZERO, row.need_by)


class _Known:
    """Orders that rows may mean: by our number, or by the reference they were taken from a file under."""

    def __init__(self, rows: Sequence[OrderRow], companies: Iterable[Company]):
        words = {row.order for row in rows if row.order} | {row.head["reference"] for row in rows} - {""}
        self._mine = {company.pk for company in companies}
        found = PurchaseOrder.objects.select_related("company", "supplier", "site").prefetch_related("lines__item")
        self._by_number = {order.number: order for order in found.filter(number__in=words)} if words else {}
        same = found.filter(reference__in=words, company__in=self._mine) if words else []
        self._by_reference = {(order.company_id, order.supplier_id, order.reference): order for order in same}

    def numbered(self, row: OrderRow) -> PurchaseOrder | None:
        """The order with that number, of the companies one may write for."""
        found = self._by_number.get(row.order)
        return found if found is not None and found.company_id in self._mine else None

    def taken(self, row: OrderRow, terms: Terms | None) -> PurchaseOrder | None:
        """The order that was taken from a file under the same word before."""
        if terms is None or not row.order:
            return None
        return self._by_reference.get((terms.company.pk, terms.supplier.pk, terms.reference))

    def elsewhere(self, number: str) -> bool:
        """Whether it is the number of another person's order."""
        found = self._by_number.get(number)
        return found is not None and found.company_id not in self._mine

    def items(self) -> set[int]:
        """The items of the orders there are."""
        orders = [*self._by_number.values(), *self._by_reference.values()]
        return {line.item_id for order in orders for line in order.lines.all()}


def _new_words(line: LineTerms, supplier: Party) -> str:
    unit, currency = line.item.unit, supplier.currency
    said = f"{price(line.pack_price, currency)} {currency}"
    return f"{count(line.quantity)} {unit} of {line.item.code} at {said} per {line.pack}"


def _line_meant(
    row: OrderRow, lines: dict[int, OrderLine], catalogue: Catalogue, found: list[Problem]
) -> OrderLine | None:
    """The line that a row is about: by its number, else by its item where only one line has it."""
    if row.problems:
        return None
    try:
        item, _ = catalogue.find(row.item)
    except Refused as refused:
        found += refused.problems
        return None
    if row.line is not None:
        line = lines.get(row.line)
        if line is not None and line.item_id != item.pk:
            found.append(Problem(f"Line {row.line} is {line.item.code}, not {item.code}.", "line"))
        return line
    same = [line for line in lines.values() if line.item_id == item.pk]
    if len(same) > 1:
        found.append(Problem(f"{item.code} is on several lines.", "line", "Say which by its number."))
    return same[0] if same else None


def _as_asked(row: OrderRow, line: OrderLine, catalogue: Catalogue, found: list[Problem]) -> LineChange:
    packs, (_, scanned) = catalogue.packs(line.item), catalogue.find(row.item)
    name = row.pack or (scanned.name if scanned else line.item.unit)
    factor = packs.get(name)
    if factor is None:
        found.append(Problem(f"{line.item.code} is not packed in {name!r}.", "pack", f"One of {', '.join(packs)}."))
        factor = line.pack_factor
    asked = line.pack_price
    if row.price is not None:
        if factor not in (line.pack_factor, Decimal(1)):
            what = f"Line {line.number} is priced per {line.pack}."
            found.append(Problem(what, "price", f"Give the price per {line.pack}, or per {line.item.unit}."))
        asked = row.price if factor == line.pack_factor else row.price * line.pack_factor
    discount = line.discount if row.discount is None else row.discount
    return LineChange(line.pk, row.quantity * factor, asked, discount, row.need_by)


def _differences(line: OrderLine, asked: LineChange) -> str:
    currency = line.order.currency
    pairs = (
        ("quantity", count(line.quantity), count(asked.quantity)),
        ("price", price(line.pack_price, currency), price(asked.pack_price, currency)),
        ("discount", f"{count(line.discount * 100)} %", f"{count(asked.discount * 100)} %"),
        ("need by", _day(line.need_by), _day(asked.need_by)),
    )
    return ", ".join(f"{name} {old} → {new}" for name, old, new in pairs if old != new)


def _day(day: date) -> str:
    return f"{day:%-d %b %Y}"


def _head_words(name: str, old: object, new: object) -> str:
    return f"{name.replace('_', ' ')} {said_of(name, old) or 'none'} → {said_of(name, new)}"


def _head_changes(order: PurchaseOrder, row: OrderRow) -> list[tuple[str, object, object]]:
    """The differences of the file's head; a field that it leaves out stays."""
    said: dict[str, object] = {
        name: row.head[name]
        for name in ("incoterm_place", "mode", "supplier_reference", "remark", *ADDRESSES)
        if row.head[name]
    }
    said |= {name: value for name, value in row.percentages.items() if value is not None}
    if row.head["incoterm"]:
        said["incoterm"] = row.head["incoterm"].upper()
    if row.head["reference"]:
        said["reference"] = row.head["reference"]
    if row.answer_by:
        said["answer_by"] = row.answer_by
    return [(name, getattr(order, name), new) for name, new in said.items() if getattr(order, name) != new]
