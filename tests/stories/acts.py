"""Acts of the hand, counted by a listener in the page, and the table of them in docs/acts.md."""

import os
import re
from contextlib import contextmanager
from pathlib import Path

TABLE = Path(__file__).resolve().parents[2] / "docs" / "acts.md"
WRITE = "NORTHING_WRITE_ACTS"
# A button or link pressed, a field entered (however many letters), a key that does something by itself.
LISTEN = """
  const shown = (at) => at.closest("a, button, summary, label, [type=checkbox], [type=radio]");
  addEventListener("click", (event) => {
    if (event.isTrusted && event.detail > 0 && shown(event.target)) window.acted("click");
  }, true);
  addEventListener("change", (event) => {
    if (!event.target.matches("[type=checkbox], [type=radio]")) window.acted("field");
  }, true);
  addEventListener("keydown", (event) => {
    const typing = event.target.closest("input, select, textarea");
    if (event.isTrusted && event.key !== "Tab" && (!typing || event.key === "Enter")) window.acted("key");
  }, true);
  document.addEventListener("scan", () => window.acted("scan"));
"""


# Who counts what is done on a page now.
_COUNTS: dict[int, "Counter"] = {}


class Counter:
    """The acts of one job, of all the people who do a part of it."""

    def __init__(self):
        self.acts: list[str] = []

    def add(self, what: str) -> None:
        """An act; the keys of a scanner are one."""
        while what == "scan" and self.acts and self.acts[-1] == "key":
            self.acts.pop()
        self.acts.append(what)

    def hear(self, page) -> None:
        """Count what is done on a page from now on; of a page that another job counted on as well."""
        heard, _COUNTS[id(page)] = id(page) in _COUNTS, self
        if not heard:
            page.expose_function("acted", lambda what: _COUNTS[id(page)].add(what))
            page.add_init_script(LISTEN)
            page.evaluate(LISTEN)


@contextmanager
def job(words: str, most: int):
    """A job of the table: it takes at most so many acts, and the table says how many."""
    counter = Counter()
    yield counter
    counted = len(counter.acts)
    assert 0 < counted <= most, f"{words}: {counted} acts, at most {most}: {counter.acts}"
    row = f"| {words} | {most} | {counted} |"
    if os.environ.get(WRITE):
        _write(words, row)
    assert row in TABLE.read_text().splitlines(), f"docs/acts.md says otherwise than: {row} (run with {WRITE}=1)"


def _write(words: str, row: str) -> None:
    text = TABLE.read_text()
    known = re.compile(rf"^\| {re.escape(words)} \|.*$", re.MULTILINE)
    text = known.sub(row, text) if known.search(text) else f"{text.rstrip()}\n{row}\n"
    TABLE.write_text(text)
