"""What is still to be put away at a site: what lies at its dock, and goods on sale that lie in quarantine."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date

from django.db.models import Count, Min, Q, QuerySet

from northing.core.inventory.bins import Proposal
from northing.inventory.models import OnHand, Status
from northing.inventory.queries import lying
from northing.masterdata.models import Bin, Site
from northing.reports.proposed_bins import Wanted, proposed_bins

# Bins are proposed for the oldest; of how many more there are, the page says.
MOST = 200


@dataclass
class Task:
    """Goods that lie where they do not stay, and the bins in which they are best put."""

    lies: OnHand
    proposals: list[Proposal]

    @property
    def way(self) -> tuple[str, str, int]:
        """By which tasks are walked: zone and bin; what has no place comes last."""
        first = self.proposals[0] if self.proposals else None
        return (first.zone, first.code, self.lies.pk) if first else ("\uffff", "", self.lies.pk)


@dataclass(frozen=True)
class Queue:
    """How much is to be put away at a site, and since when."""

    count: int
    oldest: date | None


def to_put_away(sites: Iterable[Site]) -> QuerySet[OnHand]:
    """The goods that are to be put away at the sites, the oldest first."""
    apart = Q(bin__purpose=Bin.Purpose.QUARANTINE, status=Status.IN_STORE)
    dock = Q(bin__purpose=Bin.Purpose.DOCK) & ~Q(status=Status.ON_WAY)
    found = OnHand.objects.filter(dock | apart, quantity__gt=0, bin__site__in=list(sites))
    return found.order_by("layer__occurred_on", "pk")


def queue_of(rows: QuerySet[OnHand]) -> Queue:
    """How many there are, and the day of the oldest."""
    found = rows.order_by().aggregate(count=Count("pk"), oldest=Min("layer__occurred_on"))
    return Queue(found["count"], found["oldest"])


def busiest(sites: Sequence[Site]) -> Site | None:
    """The site where most waits; the first where nothing does."""
    waiting = to_put_away(sites).order_by().values_list("bin__site").annotate(units=Count("pk")).order_by("-units")
    most = waiting.first()
    return next((site for site in sites if most and site.pk == most[0]), sites[0] if sites else None)


def tasks_of(site: Site, rows: QuerySet[OnHand]) -> list[Task]:
    """The oldest rows with the bins proposed for them, in the order of zones and bins."""
    goods = list(lying(rows)[:MOST])
    wanted = [
        Wanted(one.pk, one.layer.item, one.layer.lot, one.quantity, one.status != Status.IN_STORE) for one in goods
    ]
    proposed = proposed_bins(site, wanted)
    return sorted((Task(one, proposed.get(one.pk, [])) for one in goods), key=lambda task: task.way)
