"""The query of a reader of the line book: all of it stands in the address."""

from dataclasses import dataclass, replace
from datetime import date
from urllib.parse import urlencode

from northing.core.orders.sentence import Clause, read_sentence, say
from northing.reports.line_book.columns import COLUMNS, Column, read_columns, write_columns

GROUPS = {
    "supplier": "supplier",
    "item": "item",
    "order": "order",
    "site": "site",
    "port": "port",
    "week": "week expected",
    "move": "whose move",
}
SORT = "need_by"


@dataclass(frozen=True)
class Asked:
    """A sentence, how its lines are sorted and grouped, the columns with widths, where the page begins."""

    clauses: tuple[Clause, ...] = ()
    sort: str = SORT
    down: bool = False
    group: str = ""
    columns: tuple[tuple[Column, int], ...] = ()
    after: str = ""
    open_line: int = 0

    def address(self, **changes: object) -> str:
        """The query string of this, or of this with changes; another question begins at its first page."""
        asked = replace(self, **{"after": "", **changes})
        usual = write_columns(read_columns(""))
        cols = write_columns(list(asked.columns))
        said = {
            "where": say(asked.clauses),
            "sort": "" if (asked.sort, asked.down) == (SORT, False) else f"{'-' * asked.down}{asked.sort}",
            "group": asked.group,
            "cols": "" if cols == usual else cols,
            "after": asked.after,
            "open": str(asked.open_line or ""),
        }
        return "?" + urlencode({name: text for name, text in said.items() if text})

    def without(self, clause: Clause) -> str:
        """The address without one clause."""
        return self.address(clauses=tuple(one for one in self.clauses if one != clause))

    def sentence(self) -> str:
        """What is asked for, as people say it."""
        shown = next((clause.words for clause in self.clauses if clause.kind == "show"), "open")
        rest = say(clause for clause in self.clauses if clause.kind != "show")
        parts = [f"{shown.capitalize()} lines" + (f": {rest}" if rest else "")]
        if self.group:
            parts.append(f"by {GROUPS[self.group]}")
        words = COLUMNS[self.sort].label.replace("\u00ad", "").lower()
        return "; ".join([*parts, f"sorted by {words}{', falling' if self.down else ''}"])


def asked_from(query, today: date) -> Asked:
    """The query of an address; unknown words in it are left out."""
    sort = query.get("sort", "")
    key = sort.removeprefix("-")
    known = key in COLUMNS and COLUMNS[key].order
    phrases = ", ".join([query.get("where", ""), *query.getlist("and")])
    opened = query.get("open", "")
    return Asked(
        clauses=read_sentence(phrases, today),
        sort=key if known else SORT,
        down=bool(known) and sort.startswith("-"),
        group=query.get("group", "") if query.get("group") in GROUPS else "",
        columns=tuple(read_columns(query.get("cols", ""))),
        after=query.get("after", "").replace("\x00", "")[:120],
        open_line=int(opened) if opened.isascii() and opened.isdigit() and len(opened) < 16 else 0,
    )
