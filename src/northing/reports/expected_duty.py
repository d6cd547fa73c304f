"""The duty that is expected of goods before their customs entry, and import tax that is not reclaimed."""

from collections.abc import Iterable, Sequence
from datetime import date
from decimal import Decimal

from northing.core.costing import landed_cost
from northing.core.costing.customs import Customs
from northing.core.costing.tariff import Applied
from northing.customs.lines import customs_line
from northing.masterdata.models import Company
from northing.masterdata.queries import Rates
from northing.masterdata.tariffs import Earlier, Tariff, customs_of, unmeasured
from northing.reports.expected_pieces import ZERO, Piece, PieceCost


class Duties:
    """Duties as a day's tariffs and customs rates say them; each is read once."""

    def __init__(self, day: date, rates: Rates, earlier: Earlier | None = None):
        self.day, self.rates, self._earlier = day, Rates(day, "customs", rates), earlier
        self._tariffs: dict[int, Tariff] = {}
        self._customs: dict[str, tuple[Customs, tuple[str, ...]]] = {}

    def put(self, pieces: Sequence[Piece], costs: Sequence[PieceCost], together: Iterable[Sequence[int]]) -> None:
        """Put the duty, and import tax that is not reclaimed, into the costs of what is not declared yet."""
        for places in together:
            by_company: dict[int, list[int]] = {}
            for place in places:
                piece = pieces[place]
                if not piece.declared and self.rates.known(piece.company, piece.order.currency) is not None:
                    by_company.setdefault(piece.company.pk, []).append(place)
            for own in by_company.values():
                self._declare([pieces[place] for place in own], [costs[place] for place in own])

    def _declare(self, some: Sequence[Piece], costs: Sequence[PieceCost]) -> None:
        company = some[0].company
        if company.country not in self._customs:
            self._customs[company.country] = customs_of(company.country, self._earlier)
        how, kinds = self._customs[company.country]
        tax = landed_cost.ImportTax(
            company.import_tax_rate, tuple(company.import_tax_base), company.import_tax_reclaimed
        )
        found = [self.rules_for(piece) for piece in some]
        # A duty by a unit that the item does not keep cannot be expected.
        fit = [place for place, piece in enumerate(some) if not unmeasured(piece.item, found[place])]
        if not fit:
            return
        lines = [self._core_line(some[place], found[place]) for place in fit]
        costs = [costs[place] for place in fit]
        # Where the price alone counts and tax comes back in full, no other cost moves what customs asks.
        alone = how.basis == "price" and company.import_tax_reclaimed == 1
        charges = [] if alone else _core_charges(costs, kinds)
        try:
            sheet = landed_cost.cost_sheet(lines, charges, tax, company.currency, how)
        except landed_cost.ValueBelowZero:
            return
        for cost, line in zip(costs, sheet.lines, strict=True):
            cost.duty, cost.tax = line.duty, line.import_tax

    def _tariff(self, company: Company) -> Tariff:
        """The tariff of a company's country; without a rate a specific duty cannot be expected yet."""
        if company.pk not in self._tariffs:
            self._tariffs[company.pk] = Tariff(
                company.country, self.day, lambda currency: self.rates.known(company, currency) or ZERO, self._earlier
            )
        return self._tariffs[company.pk]

    def counts_anew(self, country: str) -> bool:
        """Whether customs of a country counted otherwise before the change whose earlier rules these are."""
        return self._earlier is not None and country in self._earlier.territories

    def rules_for(self, piece: Piece) -> Applied:
        """The rules that apply to a piece on the day it lands."""
        tariff = self._tariff(piece.company)
        proofs = piece.proofs() if tariff.asks_proof else ()
        return tariff.of(piece.item, piece.order.supplier_id, proofs, max(piece.lands or self.day, self.day))

    def _core_line(self, piece: Piece, found: Applied) -> landed_cost.Line:
        rate = self.rates.of(piece.company, piece.order.currency)
        return customs_line("", piece.line, piece.quantity, piece.amount, rate, found)


def _core_charges(costs: Sequence[PieceCost], kinds: Iterable[str]) -> list[landed_cost.Charge]:
    """What is expected beside the goods, kind by kind, as the core weighs it for customs."""
    in_value = set(kinds)
    names = dict.fromkeys(kind for cost in costs for kind in (*cost.known, *cost.cards))
    found = []
    for kind in names:
        shares = [cost.known.get(kind, ZERO) + cost.cards.get(kind, ZERO) for cost in costs]
        if any(shares) and kind in landed_cost.KINDS:
            found.append(
                landed_cost.Charge(
                    id=kind,
                    kind=kind,
                    amount=sum(shares, ZERO),
                    book_rate=Decimal(1),
                    scope=range(len(costs)),
                    by_hand=[abs(share) for share in shares],
                    in_customs_value=True if kind in in_value else None,
                )
            )
    return found
