"""Which permission each page asks for, before its view runs: to be opened, and to be sent.

A page says it where it is written, by one of the decorators below. The action asks again, for the very company and
site. A page that says nothing is shut. The reviewed table of every page and role (tests/access/permissions.txt) is
generated from the running application and held against it.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from northing.access.permissions import ASK, ASK_HOUSE, HOUSE, LOOKS, WORDS, may_somewhere, words_of
from northing.core.problems import NotAllowed, Problem

View = Callable[..., Any]
Permissions = tuple[str, ...]
# Everyone who does anything at all here, and does not only look.
EVERY = tuple(WORDS)
SAFE = ("GET", "HEAD", "OPTIONS")


@dataclass(frozen=True)
class Needed:
    """The permissions that a page asks for. Any one of them is enough; an empty tuple asks only for a sign-in.

    `sent` None: the page takes nothing. `each` gives what sending needs by the word of the address that `by` names.
    """

    opened: Permissions = ()
    sent: Permissions | None = None
    by: str = ""
    each: Mapping[str, str] | None = None

    def of(self, method: str, words: Mapping[str, Any]) -> Permissions | None:
        """The permissions for a method, given the words of the address."""
        if method in SAFE:
            return self.opened
        return self.sent if self.each is None else (self.each[str(words[self.by])],)


def _marked(view: View, needed: Needed) -> View:
    view.needed = needed  # type: ignore[attr-defined]
    return view


def open_page(view: View) -> View:
    """A page that everyone who has signed in reads, and that takes nothing."""
    return _marked(view, Needed())


def own_page(view: View) -> View:
    """A page that concerns only the person who sends it, or whose view asks for the permission by the record."""
    return _marked(view, Needed(sent=()))


def form_for(*permissions: str) -> Callable[[View], View]:
    """A page that is only a form: who may not send it does not open it."""
    return lambda view: _marked(view, Needed(permissions, permissions))


def acts_for(*permissions: str) -> Callable[[View], View]:
    """A page that everyone reads and some people act on."""
    return lambda view: _marked(view, Needed(sent=permissions))


def acts_by(word: str, each: Mapping[str, str]) -> Callable[[View], View]:
    """Several acts of one view: `each` gives the permission by a word of the address."""
    return lambda view: _marked(view, Needed(by=word, each=each))


def check_permission(person, view: View, method: str, words: Mapping[str, Any]) -> bool:
    """Whether the page takes this method. Raises NotAllowed unless the person may open or send it."""
    needed: Needed | None = getattr(view, "needed", None)
    if needed is None:
        raise NotAllowed(Problem("This page states no permission yet.", mend="Tell the developers of Northing."))
    permissions = needed.of(method, words)
    if permissions is None:
        return False
    if permissions and not any(may_somewhere(person, permission) for permission in permissions):
        mend = ASK_HOUSE if permissions == (HOUSE,) else ASK
        raise NotAllowed(
            Problem(LOOKS if permissions == EVERY else f"You may not {words_of(permissions[0])}.", mend=mend)
        )
    return True
