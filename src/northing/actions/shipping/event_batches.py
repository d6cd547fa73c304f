"""A batch of carriers' events: each says something of a date, and what follows from all of them is worked out once.

Statements about dates are gathered and written together. Events that move goods (an actual departure or arrival) are
done at once, after what was said before it, so that a batch leaves what its events would have left one by one.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field

from django.db import transaction

from northing.access.acts import Act
from northing.access.permissions import companies_of
from northing.actions.shipping import container_milestones, milestones, retract
from northing.actions.shipping.match_events import BoxMeant, CallMeant, Meant
from northing.activity.operations import HistoryDraft, add_history_rows
from northing.core.money.periods import far_problems
from northing.core.planning.passage import Statement
from northing.core.problems import Refused, refuse_if
from northing.formats.dcsa import EQUIPMENT, TRANSPORT, Event
from northing.shipping import dates
from northing.shipping import operations as shipping
from northing.shipping.dates import Said
from northing.shipping.models import CarrierEvent, DateStatement, PortCall
from northing.shipping.queries import OWN

State = CarrierEvent.State
Kind = DateStatement.Kind
CALLS = {"DEPA": "departure", "ARRI": "arrival"}
WITHDRAWN = "withdrawn by its sender"
# State and words of an event.
Outcome = tuple[State, str]


@dataclass
class EventBatch:
    """The subjects of the events, the rows still to be written, and the records to be brought along at the end."""

    act: Act
    meant: Meant
    # That of the source they are heard from.
    rank: int = 0
    shipments: set[int] = field(default_factory=set)
    calls: set[int] = field(default_factory=set)
    _statements: list[dates.StatementDraft] = field(default_factory=list)
    # Of several words about the same date the story tells the last that was said.
    _told: dict[tuple[str, int, str], HistoryDraft] = field(default_factory=dict)
    _allowed: set[frozenset[int]] = field(default_factory=set)
    # Events (ids) that were taken back and stay believed all the same, and why.
    stays: dict[int, str] = field(default_factory=dict)

    def say(self, record: CarrierEvent, event: Event) -> Outcome:
        """Say what the event says. Raises Refused where a rule stands against it, or nothing is known that it fits."""
        if event.retracts:
            return self._of_withdrawal(record, event)
        if record.retracted:
            return State.NOTED, WITHDRAWN
        if event.kind == Kind.ACTUAL and event.day > self.act.today:
            raise Refused(f"An actual day that has not come: {event.day:%-d %b %Y}.")
        if event.event_type == TRANSPORT and event.code in CALLS:
            return self._of_voyage(record, event)
        if event.event_type == EQUIPMENT and _milestone(event):
            return self._of_container(record, event)
        return State.NOTED, "no date that is believed by it"

    def unsay(self, statements: Sequence[DateStatement]) -> None:
        """Take back what events said. Raises Refused where a rule stands against it; nothing is done then."""
        if not statements:
            return
        with transaction.atomic():
            unsaid = retract.unsay(self.act.inner(), statements)
        self.shipments |= unsaid.shipments.keys()
        self.calls |= {call.pk for call in unsaid.calls}
        self.meant.sailed(unsaid.shipments.values())

    def follow(self) -> None:
        """Write what is to be written, and bring along what follows, once for all."""
        self._flush()
        add_history_rows(self.act, list(self._told.values()))
        calls = list(PortCall.objects.filter(pk__in=self.calls))
        milestones.follow_dates(self.act, shipping.lock(self.shipments).values(), calls)

    def _flush(self) -> None:
        dates.write_statements(self._statements)
        self._statements = []

    def _require(self, companies: frozenset[int]) -> None:
        # The same few companies are aboard of most.
        if companies not in self._allowed:
            self.act.require("say_dates", *(companies or companies_of(self.act.person)))
            self._allowed.add(companies)

    def _of_voyage(self, record: CarrierEvent, event: Event) -> Outcome:
        milestone = CALLS[event.code]
        call = self.meant.call(event, milestone)
        if call is None:
            where = event.port or "no port"
            raise Refused(f"No voyage of IMO {event.imo or 'none'} {event.voyage} calls at {where} around that day.")
        self._require(call.companies)
        said = Said(event.said_at, record.source, record.pk, event.at, self.rank)
        self.shipments |= call.shipments
        self.calls.add(call.key)
        if event.kind == Kind.ACTUAL:
            return self._happened(call, milestone, event, said)
        refuse_if(far_problems(event.day, self.act.today, "value"))
        self._statements.append(dates.StatementDraft(milestone, event.kind, event.day, said, call=call.key))
        words = f"{call.name}: {event.kind} {milestone} at {call.port} {event.day:%-d %b %Y}, said by {said.source}"
        links = [*(("shipment", key, None) for key in sorted(call.shipments)), ("voyage", call.voyage, None)]
        self._told["call", call.key, milestone] = HistoryDraft("say_date", words, links)
        return State.TIED, f"{milestone} of the voyage"

    def _happened(self, call: CallMeant, milestone: str, event: Event, said: Said) -> Outcome:
        self._flush()
        asked = milestones.DateRequest(None, milestone, event.kind, event.day, said, call.key)
        try:
            self._sail(lambda: milestones.say(self.act.inner(), asked))
        except milestones.RecordedAlready:
            return State.NOTED, f"the {milestone} is recorded on that day already"
        return State.TIED, f"{milestone} of the voyage"

    def _sail(self, action) -> None:
        """Do what moves goods; where it is refused, nothing of it has happened."""
        with transaction.atomic():
            self.meant.sailed(action())

    def _of_container(self, record: CarrierEvent, event: Event) -> Outcome:
        milestone = _milestone(event)
        box = self.meant.box(event, milestone)
        if box is None:
            raise Refused(f"No container {event.container or 'without a number'} of ours was under way on that day.")
        if milestone in OWN and event.port and box.port and event.port != box.port:
            return State.NOTED, f"at {event.port}, where its passage does not end"
        if milestone not in OWN and event.kind != Kind.ACTUAL:
            return State.NOTED, "an empty return is believed when it has happened"
        self._require(box.companies)
        said = Said(event.said_at, record.source, record.pk, event.at, self.rank)
        if event.kind == Kind.ACTUAL:
            sailed = (box.departed_on, box.arrived_on)
            refuse_if(
                container_milestones.step_problems(milestone, event.day, box.number, self.meant.facts(box), sailed)
            )
            if box.arrived_on is None:
                self._arrive_first(box, milestone, event, said)
        else:
            refuse_if(far_problems(event.day, self.act.today, "value"))
        self._statements.append(dates.StatementDraft(milestone, event.kind, event.day, said, container=box.key))
        self.meant.note(box, milestone, Statement(event.kind, event.day, event.said_at, record.pk, self.rank))
        self.shipments.add(box.shipment)
        words = container_milestones.words_of([box.number], milestone, event.kind, event.day)
        links = [("shipment", box.shipment, None), ("container", box.key, None)]
        self._told["container", box.key, milestone] = HistoryDraft("say_boxes", words, links)
        return State.TIED, words[:200]

    def _of_withdrawal(self, record: CarrierEvent, event: Event) -> Outcome:
        taken = CarrierEvent.objects.filter(source=record.source, event_id=event.retracts, retracted=False).first()
        if taken is not None:
            raise Refused(f"It takes back {event.retracts}. {self.stays.get(taken.pk, '')}".strip())
        return State.NOTED, f"takes back {event.retracts}"

    def _arrive_first(self, box: BoxMeant, milestone: str, event: Event, said: Said) -> None:
        self._flush()
        self._sail(lambda: container_milestones.arrive_first(self.act, box.shipment, milestone, event.day, said))


def _milestone(event: Event) -> str:
    """The container's milestone that an equipment event is about; empty where it is about none."""
    if event.code == "DISC":
        return "discharged"
    if event.code == "GTOT" and event.empty is not True:
        return "gate_out"
    return "returned" if event.code == "GTIN" and event.empty is True else ""
