"""Stock, inspections and returns of a scenario."""

from dataclasses import replace

from django.db.models import Max

from northing.actions.claims import returns
from northing.actions.inventory.issue import IssueRequest, issue_stock
from northing.actions.inventory.move import MoveRequest, move_goods
from northing.actions.masterdata import opening
from northing.actions.quality import inspect as inspect_action
from northing.claims.models import Claim, ReturnNote
from northing.core.problems import Problem, Refused
from northing.core.receiving.serials import numbers_of
from northing.formats.tables import csv_line
from northing.inventory.models import OnHand, Opening
from northing.ledger.models import CostLayer
from northing.quality.models import Inspection
from northing.scenarios import shapes
from northing.scenarios.played import Played
from northing.scenarios.shapes import NotScenario


class Stock(Played):
    """Actions on goods in store."""

    def issue(self, action: shapes.Issue) -> tuple[str, int]:
        """Stock goes out, first in, first out."""
        site, item = self.laid.one("sites", action.site), self.laid.one("items", action.item)
        request = IssueRequest(site.pk, item.pk, action.quantity, action.purpose, action.day)
        request = replace(request, serials=numbers_of(action.serials))
        return "issue", issue_stock(self.laid.act(action.day), request)

    def inspect(self, action: shapes.Inspect) -> tuple[str, int]:
        """A verdict; failed units are a case."""
        receipt, line = self.find("receipt", action.receipt), self.line(action.line)
        layers = CostLayer.objects.filter(receipt_line__receipt=receipt, kind="stock")
        layers = layers.filter(receipt_line__instalment__line=line)
        layer = layers.filter(on_hand__status="held", on_hand__quantity__gt=0).order_by("pk").first()
        layer = layer or layers.order_by("pk").first()
        if layer is None:
            raise NotScenario(f"actions: {action.receipt} received nothing of {action.line}")
        request = inspect_action.InspectRequest(layer.pk, action.passed, action.failed, action.reason, action.day)
        request = replace(request, serials=numbers_of(action.serials))
        inspect_action.inspect(self.laid.act(action.day), request)
        return "inspection", Inspection.objects.latest("pk").pk

    def move(self, action: shapes.Move) -> None:
        """Goods in store go to another bin; the oldest first. Sites and bins are named as a pair."""
        source, target = (self.laid.one("bins", tuple(pair)) for pair in (action.source, action.target))
        rows = OnHand.objects.filter(bin=source, status="in_store", layer__item__code=action.item, quantity__gt=0)
        if action.lot:
            rows = rows.filter(layer__lot=action.lot)
        if action.line:
            rows = rows.filter(layer__receipt_line__instalment__in=self.parts(action.line))
        rows = list(rows.order_by("layer__occurred_on", "layer"))
        left = action.quantity
        for number, row in enumerate(rows, 1):
            part = left if number == len(rows) else min(left, row.quantity)
            if part:
                request = MoveRequest(row.layer_id, source.pk, "in_store", part, target.pk, numbers_of(action.serials))
                move_goods(self.laid.act(action.day), request)
                left -= part
        if not rows:
            raise Refused(Problem(f"No {action.item} lie in {source}.", "from"))

    def give_back(self, action: shapes.Return) -> tuple[str, int]:
        """Rejected units go back."""
        case = Claim.objects.filter(inspection=self.find("inspection", action.case)).first()
        if case is None:
            raise Refused(Problem(f"No units failed in {action.case}.", "case"))
        request = returns.ReturnRequest(case.pk, action.quantity, action.reference, action.day)
        request = replace(request, serials=numbers_of(action.serials))
        returns.return_goods(self.laid.act(action.day), request)
        return "return", ReturnNote.objects.latest("pk").pk

    def open(self, action: shapes.Open) -> tuple[str, int]:
        """Goods on hand at the beginning."""
        rows = [csv_line(opening.STOCK)]
        for one in action.stock:
            site = self.laid.one("sites", one.site)
            rows.append(csv_line([site.company.code, one.site, one.item, one.quantity, one.value, action.day]))
        before = Opening.objects.aggregate(last=Max("pk"))["last"] or 0
        opening.open_stock(self.laid.act(action.day), opening.FileRequest("".join(rows).encode()))
        made = list(Opening.objects.filter(pk__gt=before).order_by("pk").values_list("pk", flat=True))
        self.openings[made[0]] = made
        return "opening", made[0]
