"""Stock, inspections and returns of a scenario."""

from dataclasses import replace
from typing import Any

from django.db.models import Max

from northing.actions.inventory.issue import IssueRequest, issue_stock
from northing.actions.inventory.move import MoveRequest, MovesRequest, move_together
from northing.actions.inventory.put_away import PutAwayRequest, put_away
from northing.actions.inventory.transfer import ArrivedRow, ArriveRequest, SendRequest, arrive_goods, send_goods
from northing.actions.masterdata import opening
from northing.actions.quality import inspect as inspect_action
from northing.actions.quality.request import SampleRequest
from northing.core.problems import Problem, Refused
from northing.core.quality.sampling import plan
from northing.core.receiving.serials import numbers_of
from northing.formats.tables import csv_line
from northing.inventory.models import OnHand, Opening, Transfer
from northing.ledger.models import CostLayer
from northing.quality.models import Inspection
from northing.quality.queries import LotPlan, plan_of
from northing.reports.putaway import to_put_away
from northing.scenarios import shapes
from northing.scenarios.played import Played
from northing.scenarios.shapes import NotScenario


def _sample(action: shapes.Inspect, found: LotPlan | None) -> SampleRequest | None:
    """The sample of a lot that has a plan: what failed was found in it, unless the action says otherwise."""
    if action.sample == 0 or (found is None and action.sample is None):
        return None
    size = found.sample if found and action.sample is None else action.sample or 0
    rest = max(min(int(action.failed), size) - action.critical - action.minor, 0)
    major = rest if action.major is None else action.major
    return SampleRequest(size, action.critical, major, action.minor, sorted=True, overruled=action.overruled)


def plan_facts(key: int) -> dict[str, Any]:
    """The plan by which a lot was judged; empty where there was none."""
    one = Inspection.objects.get(pk=key)
    if one.lot is None or one.aql is None:
        return {"plan": {}}
    used = plan(one.lot, one.level, one.aql, one.state)
    facts = {"letter": used.letter, "sample": used.sample, "accept": used.accept, "reject": used.reject}
    return {"plan": facts | {"state": one.state}}


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
        request = replace(request, serials=numbers_of(action.serials), sample=_sample(action, plan_of(layer)))
        inspect_action.inspect(self.laid.act(action.day), request)
        return "inspection", Inspection.objects.latest("pk").pk

    def move(self, action: shapes.Move) -> tuple[str, int]:
        """Goods in store go to another bin; the oldest first. Sites and bins are named as a pair."""
        source, target = (self.laid.one("bins", tuple(pair)) for pair in (action.source, action.target))
        rows = OnHand.objects.filter(bin=source, status="in_store")
        if action.line:
            rows = rows.filter(layer__receipt_line__instalment__in=self.parts(action.line))
        asked = self._taken(rows, action, target.pk, f"No {action.item} lie in {source}.")
        return "move", move_together(self.laid.act(action.day), MovesRequest(asked))

    def put_away(self, action: shapes.PutAway) -> tuple[str, int]:
        """Goods that lie at the dock go into a bin."""
        site, target = self.laid.one("sites", action.site), self.laid.one("bins", (action.site, action.bin))
        asked = self._taken(to_put_away([site]), action, target.pk, f"No {action.item} wait at {site}.")
        asked = tuple(replace(one, reason=action.reason) for one in asked)
        return "move", put_away(self.laid.act(action.day), PutAwayRequest(asked))

    def send(self, action: shapes.Send) -> tuple[str, int]:
        """Goods are on their way to another site."""
        source, site = self.laid.one("bins", tuple(action.source)), self.laid.one("sites", action.target)
        rows = OnHand.objects.filter(bin=source, status="in_store")
        asked = self._taken(rows, action, 0, f"No {action.item} lie in {source}.")
        request = SendRequest(site.pk, asked, action.day, action.reference)
        return "transfer", send_goods(self.laid.act(action.day), request)

    def come_in(self, action: shapes.ComeIn) -> tuple[str, int]:
        """Units of a transfer arrive, the first line first."""
        transfer = Transfer.objects.get(pk=self.find("transfer", action.sent))
        bin = self.laid.one("bins", (transfer.target.code, action.bin)).pk if action.bin else None
        serials, left, rows = numbers_of(action.serials), action.quantity, []
        lines = list(transfer.lines.order_by("pk"))
        for number, line in enumerate(lines, 1):
            units = left if number == len(lines) else min(left, line.left)
            rows.append(ArrivedRow(line.pk, units, bin, serials[: int(units)]))
            serials, left = serials[int(units) :], left - units
        request = ArriveRequest(transfer.pk, tuple(row for row in rows if row.quantity), action.back)
        return "move", arrive_goods(self.laid.act(action.day), request)

    def _taken(self, rows, action, target: int, none: str) -> tuple[MoveRequest, ...]:
        """The moves of an item's units out of rows, the oldest first; the last row is the one that has too few."""
        rows = rows.filter(layer__item__code=action.item, quantity__gt=0)
        found = list(
            (rows.filter(layer__lot=action.lot) if action.lot else rows).order_by("layer__occurred_on", "layer")
        )
        if not found:
            raise Refused(Problem(none, "from"))
        serials, left, asked = numbers_of(action.serials), action.quantity, []
        for number, row in enumerate(found, 1):
            units = left if number == len(found) else min(left, row.quantity)
            if units:
                said = (row.status, units, target, serials[: int(units)])
                asked.append(MoveRequest(row.layer_id, row.bin_id, *said))
                serials, left = serials[int(units) :], left - units
        return tuple(asked)

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
