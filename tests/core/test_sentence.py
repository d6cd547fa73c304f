"""The line book's sentence: what is read, how it is said again, and that both agree."""

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northing.core.orders.sentence import FIXED, NAMED, read_sentence, say
from northing.core.planning.windows import Window, read_window

TODAY = date(2026, 11, 25)  # a Wednesday
SAID = [
    ("late", [("late", "need")], "late"),
    ("Late against need-by.", [("late", "need")], "late"),
    ("late against promise", [("late", "promise")], "late against promise"),
    ("ours; held", [("move", "us"), ("place", "held")], "our move, units held"),
    ("supplier’s move", [("move", "supplier")], "supplier's move"),
    ("suppliers move", [("move", "supplier")], "supplier's move"),
    ("not packed, not agreed", [("packed", "no"), ("agreed", "no")], "not packed, not agreed"),
    ("units under way", [("place", "under_way")], "units under way"),
    ("from  Ningbo", [("from", "Ningbo")], "from Ningbo"),
    ("FROM Ningbo or Porto", [("from", "Ningbo", "Porto")], "from Ningbo or Porto"),
    ('of "Kettle, steel" or cups', [("of", "Kettle, steel", "cups")], 'of "Kettle, steel" or cups'),
    ("expected next 7 days", [("expected", "next 7 days")], "expected next 7 days"),
    ("need by this week", [("need_by", "this week")], "need-by this week"),
    ("promised before 12 Mar", [("promise", "before 12 mar")], "promised before 12 mar"),
    ("expected whenever", [("words", "expected whenever")], 'with "expected whenever"'),
    ("kettle", [("words", "kettle")], 'with "kettle"'),
    ('with "order of things"', [("words", "order of things")], 'with "order of things"'),
    ("from", [("words", "from")], 'with "from"'),
    (
        "late and from Ningbo AND kettle",
        [("late", "need"), ("from", "Ningbo AND kettle")],
        'late, from "Ningbo AND kettle"',
    ),
    ("salt and pepper", [("words", "salt and pepper")], 'with "salt and pepper"'),
    ("kettle and not packed", [("words", "kettle"), ("packed", "no")], 'with "kettle", not packed'),
    ("and late and", [("words", "and late and")], 'with "and late and"'),
    (" , ;, ", [], ""),
    ('"', [], ""),
    ("late, late", [("late", "need")], "late"),
    ("of orchid or corn", [("of", "orchid", "corn")], "of orchid or corn"),
    ("hs 8516", [("hs", "8516")], "hs 8516"),
    ("to Tauranga, buyer ilva", [("to", "Tauranga"), ("buyer", "ilva")], "to Tauranga, buyer ilva"),
]


@pytest.mark.parametrize(("text", "clauses", "words"), SAID)
def test_a_sentence_is_read_and_said(text, clauses, words):
    found = read_sentence(text, TODAY)
    assert [(clause.kind, *clause.values) for clause in found] == clauses
    assert say(found) == words


PHRASES = [*FIXED, *(f"{kind} x or y" for kind in NAMED), "expected today"]


@given(st.text(max_size=120) | st.lists(st.sampled_from(PHRASES)).map(", ".join))
def test_what_is_said_reads_the_same_again(text):
    once = read_sentence(text, TODAY)
    assert read_sentence(say(once), TODAY) == once


WINDOWS = [
    ("today", Window(TODAY, TODAY)),
    ("Next 2 Weeks", Window(TODAY, date(2026, 12, 9))),
    ("last 1 day", Window(date(2026, 11, 24), TODAY)),
    ("this week", Window(date(2026, 11, 23), date(2026, 11, 29))),
    ("next week", Window(date(2026, 11, 30), date(2026, 12, 6))),
    ("this month", Window(date(2026, 11, 1), date(2026, 11, 30))),
    ("next month", Window(date(2026, 12, 1), date(2026, 12, 31))),
    ("last month", Window(date(2026, 10, 1), date(2026, 10, 31))),
    ("overdue", Window(None, date(2026, 11, 24))),
    ("before 12 Mar", Window(None, date(2027, 3, 11))),
    ("after 2026-12-01", Window(date(2026, 12, 2), None)),
    ("1 Dec to 5 December", Window(date(2026, 12, 1), date(2026, 12, 5))),
    ("on 29 Feb 2028", Window(date(2028, 2, 29), date(2028, 2, 29))),
    ("tomorrow", Window(date(2026, 11, 26), date(2026, 11, 26))),
    ("never", Window(never=True)),
    ("29 feb", None),
    ("31 Nov", None),
    ("2026-13-01", None),
    ("next 0 days", None),
    ("next 9999 weeks", None),
    ("5 foo", None),
    ("0001-01-01", None),
    ("before 0001-01-01", None),
    ("", None),
]


@pytest.mark.parametrize(("text", "window"), WINDOWS)
def test_windows(text, window):
    assert read_window(text, TODAY) == window
