"""The context of every action of a scenario: the world, and the records that earlier actions made."""

from django.db.models import QuerySet

from northing.core.problems import Problem, Refused
from northing.orders.models import Instalment, OrderLine
from northing.scenarios.shapes import NotScenario, Scenario, Scope
from northing.scenarios.world import Laid, lay

MISSING = "An earlier action was refused, or is missing."


class Played:
    """The world of one scenario, and what its actions made, by their ids."""

    def __init__(self, scenario: Scenario):
        self.scenario = scenario
        self.laid: Laid = lay(scenario.world)
        self.made: dict[str, tuple[str, int]] = {}
        self.boxes = 0
        # What one action opened, by the first of it.
        self.openings: dict[int, list[int]] = {}

    def find(self, kind: str, name: str) -> int:
        """The record that an earlier action made. Raises Refused where it made none, NotScenario for another kind."""
        if name not in self.made:
            raise Refused(Problem(f"There is no {kind} {name}.", kind, MISSING))
        found, key = self.made[name]
        if found != kind:
            raise NotScenario(f"{name} is a {found}, not a {kind}")
        return key

    def line(self, name: str) -> OrderLine:
        """A line by the name of its order and its number."""
        order, _, number = name.partition("/")
        key = self.find("order", order)
        found = OrderLine.objects.filter(order=key, number=int(number) if number.isdigit() else 0).first()
        if found is None:
            raise NotScenario(f"there is no line {name}")
        return found

    def parts(self, name: str) -> QuerySet[Instalment]:
        """The instalments of a line, the oldest first; of a name such as `PO1/1.2` that one."""
        line, _, number = name.partition(".")
        found = Instalment.objects.filter(line=self.line(line)).order_by("number")
        if number:
            found = found.filter(number=int(number) if number.isdigit() else 0)
            if not found.exists():
                raise NotScenario(f"there is no part {name}")
        return found

    def scope(self, scope: Scope) -> dict[str, tuple[int, ...]]:
        """The scope of a charge, as ids. A container is named by its shipment and its own name: "SH1 2"."""
        return {
            "shipments": tuple(self.find("shipment", name) for name in scope.shipments),
            "containers": tuple(self.find("container", name) for name in scope.containers),
            "lines": tuple(self.line(name).pk for name in scope.lines),
            "orders": tuple(self.find("order", name) for name in scope.orders),
        }
