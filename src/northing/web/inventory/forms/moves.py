"""The form of goods that lie in bins and go into others: a row for each part that goes into one bin."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from django import forms
from django.db.models.functions import Upper

from northing.actions.inventory.move import MoveRequest
from northing.actions.inventory.transfer import SendRequest
from northing.core.inventory.bins import Proposal
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused
from northing.inventory.models import OnHand
from northing.masterdata.models import Bin, Site
from northing.web.common.forms import ActionForm, ExactField
from northing.web.common.keys import key_of
from northing.web.common.serials import SerialsField

# Rows of one form; a page has fewer.
MOST_ROWS = 500


@dataclass
class Going:
    """Units that lie somewhere, and the bin proposed for a part of them; its fields end with `end`."""

    lies: OnHand
    end: str
    proposal: Proposal | None = None

    @property
    def first(self) -> bool:
        """Whether it is the first row of these goods."""
        return self.end == str(self.lies.pk)


class MovesForm(ActionForm):
    """Which units go into which bin of the site. A row without a bin stays where it is.

    Of several rows, `only` names the one that is sent.
    """

    def __init__(self, data, *, site: Site, rows: Sequence[Going], only: str = "", **kwargs):
        super().__init__(data, **kwargs)
        self.site, self.rows, self.only = site, rows, only
        for row in rows:
            self._add(row)

    def _add(self, row: Going) -> None:
        best, code = row.proposal, row.lies.layer.item.code
        units = best.units if best else row.lies.quantity
        self._field(row, "quantity", ExactField(required=False, label=f"Units of {code}", initial=plain(units)))
        box = forms.TextInput({"list": "bins", "autocomplete": "off", "size": 10, "class": "code"})
        into = forms.CharField(
            max_length=16, required=False, label=f"Bin for {code}", widget=box, initial=best.code if best else ""
        )
        self._field(row, "target", into)
        why = forms.TextInput({"placeholder": "only if elsewhere", "size": 14})
        self._field(
            row, "reason", forms.CharField(max_length=120, required=False, label=f"Why elsewhere, {code}", widget=why)
        )
        if row.lies.layer.item.keeps_serial:
            self._field(row, "serials", SerialsField(required=False, label=f"Serial numbers of {code}"))

    def _field(self, row: Going, name: str, field: forms.Field) -> None:
        self.fields[f"{name}-{row.end}"] = field

    def lines(self) -> Iterator[tuple[Going, dict[str, Any]]]:
        """Each row with its fields by name, for the template."""
        for row in self.rows:
            names = ("quantity", "target", "reason", "serials")
            yield row, {name: self[f"{name}-{row.end}"] for name in names if f"{name}-{row.end}" in self.fields}

    @property
    def numbered(self) -> bool:
        """Whether any of the goods have serial numbers."""
        return any(row.lies.layer.item.keeps_serial for row in self.rows)

    def asked(self) -> tuple[MoveRequest, ...]:
        """The rows that go, as requests. Raises Refused for a bin that the site has not."""
        said = self._going()
        named = Bin.objects.filter(site=self.site).annotate(upper=Upper("code"))
        named = named.filter(upper__in={self._code(row) for row in said})
        bins = dict(named.values_list("upper", "pk"))
        strange = [row for row in said if self._code(row) not in bins]
        if strange:
            raise Refused(self._no_bin(row) for row in strange)
        return tuple(self._request(row, bins[self._code(row)]) for row in said)

    def sent_to(self) -> Site | None:
        """The other site of the company that all rows go to, where a site is entered in place of a bin."""
        codes = {self._code(row) for row in self._said_rows()} if self.is_valid() else set()
        if len(codes) != 1 or Bin.objects.filter(site=self.site, code__iexact=min(codes)).exists():
            return None
        others = Site.objects.filter(company=self.site.company_id).exclude(pk=self.site.pk)
        return others.filter(code__iexact=min(codes)).first()

    def sent(self, site: Site, day: date) -> SendRequest:
        """The rows that go to another site, as a request."""
        return SendRequest(site.pk, tuple(self._request(row, 0) for row in self._going()), day)

    def _going(self) -> list[Going]:
        """The rows that go. Raises Refused where none does."""
        said = self._said_rows()
        if not said:
            raise Refused(Problem("No bin is entered.", mend="Enter the bin that the goods go into, or scan it."))
        return said

    def _said_rows(self) -> list[Going]:
        said = [row for row in self.rows if self._said(row, "target") and self._said(row, "quantity") is not None]
        return [row for row in said if not self.only or row.end == self.only]

    def _code(self, row: Going) -> str:
        return self._said(row, "target").upper()

    def _said(self, row: Going, name: str) -> Any:
        return self.cleaned_data.get(f"{name}-{row.end}")

    def _no_bin(self, row: Going) -> Problem:
        what = f"{self.site} has no bin {self._said(row, 'target')}."
        return Problem(what, f"target-{row.end}", "Enter another, or scan its label.")

    def _request(self, row: Going, target: int) -> MoveRequest:
        lies = row.lies
        said = (self._said(row, "quantity"), target, self._said(row, "serials") or ())
        reason = self._said(row, "reason") or ""
        return MoveRequest(lies.layer_id, lies.bin_id, lies.status, *said, reason=reason, end=row.end)


def ends_of(data) -> list[tuple[int, str]]:
    """The rows that a form was sent with: the goods (id) and the end of their fields' names; nonsense is left out."""
    found = []
    for end in data.getlist("end")[:MOST_ROWS]:
        key = key_of(end.split("-")[0])
        if key:
            found.append((key, end))
    return found
