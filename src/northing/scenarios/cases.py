"""Cases of a scenario: what is set aside, how its units end, and the money of their claims."""

from dataclasses import replace
from decimal import Decimal
from typing import Any

from django.db.models import Q

from northing.actions.claims import authorise, money, returns, tend, ways
from northing.actions.claims.damage import DAMAGED
from northing.actions.claims.make_good import InsteadRequest, credit_instead
from northing.actions.claims.money_cases import MoneyCaseRequest, open_money_case
from northing.actions.claims.prepared import DespatchRequest, despatch_return
from northing.actions.claims.return_all import ReturnAllRequest, layers_of, return_all
from northing.actions.claims.set_aside import SetAsideRequest, set_aside
from northing.claims.models import Claim, ReturnNote
from northing.claims.queries import open_claims
from northing.core.problems import Problem, Refused
from northing.core.receiving.serials import numbers_of
from northing.ledger.models import CostLayer
from northing.scenarios import shapes
from northing.scenarios.played import MISSING, Played
from northing.scenarios.shapes import NotScenario


class Cases(Played):
    """Actions on cases."""

    def case_of(self, name: str, line: str = "") -> Claim:
        """A case by the inspection that opened it, the receipt that found units missing (of a line), or its own id."""
        kind, key = self.made.get(name, ("", 0))
        opened = Q(kind="missing") | Q(opened_by__action=DAMAGED)
        of = {"inspection": Q(inspection=key), "receipt": opened & Q(layer__receipt_line__receipt=key)}
        of["case"] = of["money case"] = Q(pk=key)
        # What was missing goes before what was damaged.
        found = Claim.objects.filter(of.get(kind, Q(pk__in=[])), withdrawn_at=None).order_by("kind", "pk")
        if line:
            found = found.filter(layer__receipt_line__instalment__in=self.parts(line))
        if (case := found.first()) is None:
            raise Refused(Problem(f"There is no case of {name}.", "case", MISSING))
        return case

    def set_aside(self, action: shapes.SetAside) -> tuple[str, int]:
        """Units in store are rejected; the oldest layer of the receipt's line that has so many."""
        receipt, line = self.find("receipt", action.receipt), self.line(action.line)
        layers = CostLayer.objects.filter(receipt_line__receipt=receipt, kind="stock")
        layer = layers.filter(receipt_line__instalment__line=line).order_by("pk").first()
        if layer is None:
            raise NotScenario(f"actions: {action.receipt} received nothing of {action.line}")
        if action.kind:
            owed = MoneyCaseRequest(layer.pk, action.kind, action.amount, action.reason, action.day)
            return "money case", open_money_case(self.laid.act(action.day), owed)
        issue = self.find("issue", action.issue) if action.issue else None
        head = (layer.pk, action.quantity, action.reason, action.day, numbers_of(action.serials))
        asked = SetAsideRequest(*head, issue)
        return "case", set_aside(self.laid.act(action.day), asked)

    def authorise(self, action: shapes.Authorise) -> tuple[str, int]:
        """The supplier takes units back."""
        case = self.case_of(action.case)
        asked = authorise.AuthoriseRequest(case.pk, action.quantity, action.reference, action.day, action.owed)
        return "authorisation", authorise.authorise(self.laid.act(action.day), asked)

    def credit_instead(self, action: shapes.CreditInstead) -> None:
        """The supplier credits what is not ordered anew; done again, it replaces it."""
        asked = InsteadRequest(self.find("authorisation", action.authorisation))
        credit_instead(self.laid.act(action.day), asked)

    def give_back(self, action: shapes.Return) -> tuple[str, int]:
        """Units of a case go back, or all that is left of a receipt or of an order."""
        if action.receipt or action.order:
            return self._give_all_back(action)
        case = self.case_of(action.case)
        request = returns.ReturnRequest(case.pk, action.quantity, action.reference, action.day)
        request = replace(request, serials=numbers_of(action.serials))
        returns.return_goods(self.laid.act(action.day), request)
        return "return", ReturnNote.objects.latest("pk").pk

    def _give_all_back(self, action: shapes.Return) -> tuple[str, int]:
        request = ReturnAllRequest(
            action.reference,
            action.reason,
            action.day,
            receipt=self.find("receipt", action.receipt) if action.receipt else None,
            order=None if action.receipt else self.find("order", action.order),
            serials=numbers_of(action.serials),
            prepared=action.prepared,
        )
        if action.line:
            request = replace(request, units=self._oldest(request, action))
        kind = "prepared return" if action.prepared else "goods return"
        return kind, return_all(self.laid.act(action.day), request)[0]

    def _oldest(self, request: ReturnAllRequest, action: shapes.Return) -> dict[int, Decimal]:
        """So many units of a line, the oldest first, by layer (id)."""
        line, left = self.line(action.line), action.quantity
        layers = CostLayer.objects.filter(pk__in=layers_of(request.of), shipment_line__instalment__line=line)
        units: dict[int, Decimal] = {}
        for layer in layers.order_by("occurred_on", "pk"):
            units[layer.pk] = min(left, layer.remaining)
            left -= units[layer.pk]
        # More than there is stands at the last, where it is refused.
        return units | ({max(units): units[max(units)] + left} if units and left else {})

    def despatch(self, action: shapes.Despatch) -> tuple[str, int]:
        """A prepared return leaves."""
        request = DespatchRequest(self.find("prepared return", action.what), action.day, action.haulier)
        return "goods return", despatch_return(self.laid.act(action.day), request)

    def divide(self, action: shapes.Divide) -> tuple[str, int]:
        """Units become a case of their own."""
        request = tend.DivideRequest(self.case_of(action.case).pk, action.quantity, action.reason)
        return "case", tend.divide(self.laid.act(action.day), request)

    def join(self, action: shapes.Join) -> None:
        """Units go on in another case."""
        request = tend.JoinRequest(self.case_of(action.case).pk, self.case_of(action.into).pk)
        tend.join(self.laid.act(action.day), request)

    def scrap(self, action: shapes.Scrap) -> tuple[str, int]:
        """Rejected units are destroyed."""
        asked = replace(self._end(action), claimed=action.claimed)
        return "end of units", ways.scrap(self.laid.act(action.day), asked)

    def rework(self, action: shapes.Rework) -> tuple[str, int]:
        """Rejected units were put right."""
        return "end of units", ways.rework(self.laid.act(action.day), self._end(action))

    def keep_rejected(self, action: shapes.EndHeld) -> tuple[str, int]:
        """Rejected units are good enough, at their price or at a lower one."""
        asked = replace(self._end(action), reduced=action.reduced)
        return "end of units", ways.keep(self.laid.act(action.day), asked)

    def end_missing(self, action: shapes.EndMissing) -> tuple[str, int]:
        """Missing units are found again, lost, or were never supplied."""
        way = {"find": ways.find, "lose": ways.lose, "never supplied": ways.never_supplied}[action.do]
        asked = replace(self._end(action, action.line), lot=action.lot)
        return "end of units", way(self.laid.act(action.day), asked)

    def _end(self, action: Any, line: str = "") -> ways.EndRequest:
        head = (self.case_of(action.case, line).pk, action.quantity, action.reason, action.day)
        return ways.EndRequest(*head, serials=numbers_of(action.serials))

    def turn(self, action: shapes.Turn) -> tuple[str, int]:
        """The price is claimed from another party."""
        case, party = self.case_of(action.case, action.line), self.laid.one("parties", action.party)
        asked = money.TurnRequest(case.pk, party.pk, action.reason, action.day)
        return "claim money", money.turn(self.laid.act(action.day), asked)

    def claim_money(self, action: shapes.ClaimMoney) -> tuple[str, int]:
        """An amount is claimed beyond the price, paid, or given up: all that is open, where none is said."""
        do = {"claim": money.claim_more, "claim paid": money.claim_paid, "give up": money.give_up}[action.do]
        case = self.case_of(action.case, action.line)
        party = self.laid.one("parties", action.party) if action.party else case.against
        owed = {key: amount for key, (amount, _) in open_claims([case.pk]).items() if key[1] == party.pk}
        currency = action.currency or next((key[2] for key in owed), case.company.currency)
        amount = action.amount
        if amount is None:
            amount = owed.get((case.pk, party.pk, currency), Decimal(0))
        asked = money.MoneyRequest(case.pk, party.pk, currency, amount, action.reason, action.day)
        asked = replace(asked, rate=action.rate, bank=action.bank)
        return "claim money", do(self.laid.act(action.day), asked)
