"""The answers that a supplier sends: rows of a form, or a file; read with the same care as our own forms."""

from datetime import date
from decimal import Decimal

from django import forms
from django.utils import timezone

from northing.actions.claims.authorise import AuthoriseRequest
from northing.actions.confirmations.answers import AnswerRow
from northing.core.confirmations.answers import Part
from northing.core.money.exact import read_exact
from northing.core.problems import Problem, Refused
from northing.formats.despatch import Line, Notice
from northing.formats.tables import read_rows
from northing.formats.ubl import read_response
from northing.orders.models import Instalment

COLUMNS = ("order", "line", "quantity", "ready_on")
SPLITS = (1, 2)


class FileForm(forms.Form):
    """One file."""

    file = forms.FileField(max_length=200)


class RemarkForm(forms.Form):
    """Words to the buyer."""

    order = forms.IntegerField(min_value=1, max_value=2**62)
    words = forms.CharField(max_length=1_000)


def answer_rows(post, parts: list[Instalment]) -> tuple[AnswerRow, ...]:
    """The rows of an order's form; each must be there whole. Raises Refused with all that is wrong."""
    rows, problems = [], []
    for part in parts:
        try:
            rows.append(_row(post, part))
        except Refused as refused:
            problems += refused.problems
    if problems:
        raise Refused(problems)
    return tuple(rows)


def _row(post, part: Instalment) -> AnswerRow:
    key, where = part.pk, f"row-{part.pk}"
    later = []
    for split in SPLITS:
        quantity, day = post.get(f"quantity-{key}-{split}", "").strip(), post.get(f"ready-{key}-{split}", "").strip()
        if quantity or day:
            later.append(Part(_number(quantity, where, "quantity"), _day(day, where)))
    return AnswerRow(
        part.pk,
        _number(post.get(f"quantity-{key}", ""), where, "quantity"),
        _day(post.get(f"ready-{key}", ""), where),
        _number(post.get(f"price-{key}", ""), where, "price"),
        tuple(later),
        post.get(f"remark-{key}", "").replace("\x00", "")[:500],
    )


def taken_back(post, case: int) -> AuthoriseRequest:
    """What of a case (an id) the supplier takes back, under which number, for what. Raises Refused."""
    quantity = _number(post.get("quantity", ""), "quantity", "quantity")
    reference, owed = (post.get(name, "").replace("\x00", "") for name in ("reference", "owed"))
    return AuthoriseRequest(case, quantity, reference, timezone.localdate(), owed)


def _number(text: str, where: str, what: str) -> Decimal:
    try:
        return read_exact(text.strip().replace(",", "").replace(" ", ""))
    except ValueError:
        raise Refused(
            Problem(f"The {what} {text[:20]!r} is not a number.", where, "Write it as 1200 or 18.40.")
        ) from None


def _day(text: str, where: str) -> date:
    try:
        return date.fromisoformat(text.strip())
    except ValueError:
        raise Refused(Problem(f"{text[:20]!r} is not a day.", where, "Write it as 2026-11-24.")) from None


def file_rows(content: bytes, parts: list[Instalment]) -> dict[int, list[AnswerRow]]:
    """The answers of a file by order (id): CSV, or a UBL OrderResponse. Raises Refused with all that is wrong."""
    said = _from_ubl(content) if content.lstrip(b"\xef\xbb\xbf \r\n\t")[:1] == b"<" else _from_csv(content)
    by_line: dict[tuple[str, int], list[Instalment]] = {}
    for part in parts:
        by_line.setdefault((part.line.order.number, part.line.number), []).append(part)
    found: dict[int, list[AnswerRow]] = {}
    problems = []
    for (order, line), (entries, price, remark) in said.items():
        open_parts = by_line.get((order, line), [])
        where = f"{order} line {line}"
        if not open_parts:
            problems.append(Problem(f"{where} is not open for an answer.", "file", "Take the open lines as CSV."))
            continue
        if len(open_parts) > 1 and len(entries) != len(open_parts):
            problems.append(
                Problem(f"{where} has {len(open_parts)} parts, the file names {len(entries)}.", "file", "Name each.")
            )
            continue
        found.setdefault(open_parts[0].line.order_id, []).extend(_rows_of(open_parts, entries, price, remark))
    if problems:
        raise Refused(problems)
    return found


Said = dict[tuple[str, int], tuple[list[tuple[Decimal, date | None]], Decimal | None, str]]


def _rows_of(parts: list[Instalment], entries, price: Decimal | None, remark: str) -> list[AnswerRow]:
    if len(parts) > 1:
        pairs = zip(parts, entries, strict=True)
        return [
            AnswerRow(
                part.pk, quantity, day or part.asked_day, price if price is not None else part.asked_price, (), remark
            )
            for part, (quantity, day) in pairs
        ]
    part, (quantity, day) = parts[0], entries[0]
    later = tuple(Part(more, when or part.asked_day) for more, when in entries[1:])
    said_price = price if price is not None else part.asked_price
    return [AnswerRow(part.pk, quantity, day or part.asked_day, said_price, later, remark)]


def _from_csv(content: bytes) -> Said:
    found: Said = {}
    for row in read_rows(content, COLUMNS):
        key = (row.text("order"), int(row.decimal("line")))
        price = row.decimal("price") if row.cells.get("price") else None
        entry = (row.decimal("quantity"), row.day("ready_on"))
        entries, _, _ = found.setdefault(key, ([], price, row.text("remark", "", 500)))
        entries.append(entry)
    if not found:
        raise Refused(Problem("The file has no rows.", "file"))
    return found


def _from_ubl(content: bytes) -> Said:
    response = read_response(content)
    if not response.lines:
        raise Refused(Problem("The OrderResponse has no lines.", "file"))
    rejected = [
        Problem(f"{response.order} line {line.number} is rejected in the file.", "file", "Write to the buyer about it.")
        for line in response.lines
        if not line.accepted
    ]
    if rejected:
        raise Refused(rejected)
    return {
        (response.order, line.number): (list(line.parts), line.price, line.remark)
        for line in response.lines
        if line.parts
    }


def despatch_said(post, parts: list[Instalment]) -> Notice:
    """A despatch as it was typed: how much of which part leaves, in which container. Raises Refused."""
    texts = {name: post.get(name, "").replace("\x00", "").strip() for name in DESPATCH}
    lines, problems = [], []
    for part in parts:
        said = post.get(f"leaves-{part.pk}", "").strip()
        if not said:
            continue
        where, line = f"leaves-{part.pk}", part.line
        try:
            units = _number(said, where, "quantity")
        except Refused as refused:
            problems += refused.problems
            continue
        if not 0 < units < Decimal(10) ** 12:
            problems.append(Problem(f"The quantity {said[:20]!r} is not one.", where, "Write a number above 0."))
            continue
        box = post.get(f"box-{part.pk}", "").strip() or texts["container"]
        number = "".join(box.upper().split()).replace("-", "").replace("\x00", "")[:15]
        lines.append(
            Line(
                len(lines) + 1,
                line.order.number,
                str(line.number),
                line.item.code,
                units,
                number,
                seal=texts["seal"][:20] if number else "",
            )
        )
    if problems:
        raise Refused(problems)
    if not lines:
        raise Refused(Problem("Nothing leaves by what was sent.", "leaves", "Write a quantity beside a line."))
    day = _day(texts["despatched_on"], "despatched_on") if texts["despatched_on"] else None
    return Notice(texts["notice"][:40], tuple(lines), day, texts["document"][:40])


DESPATCH = ("notice", "despatched_on", "document", "container", "seal")
