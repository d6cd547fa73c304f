"""Chasers: what each supplier is to be reminded of, in one letter with all its lines; sent by hand or by rule."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta

from django.conf import settings
from django.db import connection
from django.db.models import Max
from django.template.loader import render_to_string

from northing.access.acts import Act
from northing.access.permissions import companies_of, may
from northing.actions.confirmations.supplier_links import LINK
from northing.activity.operations import add_history, once
from northing.confirmations import operations
from northing.confirmations.models import Chaser, ChaserLine, ChaserRule
from northing.core.confirmations.chasers import DESPATCH, PAPERS, READY, UNANSWERED, Due, Facts, Rule, by_hand, due
from northing.core.problems import Problem, Refused
from northing.drawings.figures import count
from northing.masterdata.models import Company, Party
from northing.messaging import mail
from northing.messaging.models import Message
from northing.orders.models import PurchaseOrder

# Where no rule says how long one is left in peace after a reminder by hand.
QUIET_DAYS = 1
# All instalments with something to chase: still at the supplier, or sailed without a transport document.
OPEN = """
select n.id, n.line_id, o.id as order_id, o.number as order_number, l.number, o.company_id, o.supplier_id, o.mode,
       i.code, i.description, i.unit, coalesce(g.supplier_code, '') as supplier_code,
       (o.sent_at at time zone %(zone)s)::date as sent_on, l.need_by, s.passage_days, n.promise, n.asked_on,
       o.answer_by, o.remind_days, n.counter_on, n.agreed_quantity >= n.quantity and n.counter_on is null as agreed,
       exists (select 1 from confirmations_answer x where x.instalment_id = n.id and x.outcome = 'open') as answered,
       p.with_supplier, d.since as papers_missing_since
  from orders_instalment n
  join positions_position p on p.instalment_id = n.id
  join orders_orderline l on l.id = n.line_id
  join orders_purchaseorder o on o.id = l.order_id
  join masterdata_party s on s.id = o.supplier_id
  join masterdata_item i on i.id = l.item_id
  left join lateral (
    select a.supplier_code from masterdata_agreement a
     where a.supplier_id = o.supplier_id and a.item_id = l.item_id order by a.valid_from desc limit 1
  ) g on true
  left join lateral (
    select min(h.departed_on) as since
      from shipping_shipmentline w
      join shipping_container c on c.id = w.container_id
      join shipping_shipment h on h.id = c.shipment_id
     where w.instalment_id = n.id and w.accounted < w.quantity and h.departed_on is not null and h.document = ''
  ) d on true
 where (p.with_supplier > 0 or p.under_way > 0 or p.landed > 0)
   and o.company_id = any(%(companies)s) and (%(suppliers)s::bigint[] is null or o.supplier_id = any(%(suppliers)s))
   and (p.with_supplier > 0 or d.since is not null)
   and (%(lines)s::bigint[] is null or (l.id = any(%(lines)s) and {may_be_due}))
 order by o.supplier_id, n.counter_on, l.need_by, n.id
"""


# What no rule can find due today is left out by the database; the core decides about the rest. A day without a rule is
# empty, and nothing is before it.
MAY_BE_DUE = """(
        ((n.agreed_quantity < n.quantity or n.counter_on is not null)
         and (o.sent_at at time zone %(zone)s)::date <= %(unanswered)s::date)
     or (n.agreed_quantity >= n.quantity and l.need_by - s.passage_days >= %(today)s::date
         and l.need_by - s.passage_days <= coalesce(%(today)s::date + o.remind_days, %(ready)s::date))
     or n.promise <= %(despatch)s::date
     or d.since <= %(papers)s::date)"""


# The lines that a rule may find due, each found by an index of its own: not agreed; to be ready soon; promised and not
# sent; sailed without papers. More than are due, never fewer.
CANDIDATES = """
select b.supplier_id, b.line_id
  from orders_instalment n
  join worklist_linesummary b on b.line_id = n.line_id and b.with_supplier > 0
 where (n.agreed_quantity < n.quantity or n.counter_on is not null) and b.company_id = any(%(companies)s)
 union
select b.supplier_id, b.line_id
  from masterdata_party s
  join worklist_linesummary b on b.supplier_id = s.id and b.is_open
   and b.need_by between %(today)s::date + s.passage_days and %(until)s::date + s.passage_days
 where s.kind = 'supplier' and b.company_id = any(%(companies)s)
 union
select b.supplier_id, b.line_id
  from worklist_linesummary b where b.next_promise <= %(despatch)s::date and b.company_id = any(%(companies)s)
 union
select b.supplier_id, b.line_id
  from shipping_shipment h
  join shipping_container c on c.shipment_id = h.id
  join shipping_shipmentline w on w.container_id = c.id and w.accounted < w.quantity
  join orders_instalment n on n.id = w.instalment_id
  join worklist_linesummary b on b.line_id = n.line_id and b.company_id = any(%(companies)s)
 where h.document = '' and h.departed_on <= %(papers)s::date
"""


@dataclass(frozen=True)
class ChaseRequest:
    """Remind a supplier of all that is due; `all_unanswered` only and of all that is not answered, however young.

    With `lines` (ids) only of those, due or not: an answer, goods that are not ready, papers. A trial goes to the
    person's own address and counts for nothing.
    """

    supplier: int
    trial: bool = False
    all_unanswered: bool = False
    lines: tuple[int, ...] = ()


@dataclass
class Line:
    """The row of a letter for one instalment."""

    row: dict
    due: Due

    @property
    def quantity(self) -> str:
        return f"{count(self.row['with_supplier'])} {self.row['unit']}" if self.row["with_supplier"] else ""


@dataclass
class Planned:
    """A letter to one supplier as it would go now; `first`: none went before."""

    supplier: Party
    today: date
    first: bool
    lines: list[Line] = field(default_factory=list)
    quiet: int = 0

    @property
    def subject(self) -> str:
        orders = list(dict.fromkeys(line.row["order_number"] for line in self.lines))
        shown = ", ".join(orders[:4]) + (f" and {len(orders) - 4} more" if len(orders) > 4 else "")
        return f"Please answer: {shown}" if self.asks_answers else f"Reminder: {shown}"

    @property
    def asks_answers(self) -> bool:
        return any(line.due.kind == "unanswered" for line in self.lines)

    @property
    def answer_by(self) -> date:
        """Until when to answer: as the orders say, else before one would be reminded again."""
        said = [line.row["answer_by"] for line in self.lines if line.row["answer_by"]]
        ahead = [day for day in said if day > self.today]
        return min(ahead) if ahead else self.today + timedelta(days=min(line.due.quiet_days for line in self.lines))

    def body(self) -> str:
        """The letter's text; the link is put in when it goes."""
        return render_to_string("letters/chaser.txt", {"planned": self, "link": LINK})


def plan(
    companies: Iterable[int],
    today: date,
    suppliers: Sequence[int] | None = None,
    candidates: Mapping[int, list[int]] | None = None,
    **how,
) -> list[Planned]:
    """The chasers that would go now, suppliers by name; what was chased within the quiet time is counted,
    not repeated. `candidates` as may_be_due found them, where that was asked before.
    """
    rules, companies = _rules(), list(companies)
    lines = None
    if not any(how.values()):
        candidates = may_be_due(companies, today, rules) if candidates is None else candidates
        lines = [line for key, found in candidates.items() if suppliers is None or key in suppliers for line in found]
    rows = _open_rows(companies, suppliers, today, rules, lines)
    parties = Party.objects.in_bulk({row["supplier_id"] for row in rows})
    written = set(Chaser.objects.filter(supplier__in=parties).values_list("supplier", flat=True))
    chased = _last_chased([row["id"] for row in rows])
    found: dict[int, Planned] = {key: Planned(party, today, key not in written) for key, party in parties.items()}
    for row in rows:
        planned = found[row["supplier_id"]]
        for one in _due_of(row, rules, planned.supplier, today, **how):
            last = chased.get((row["id"], one.kind))
            if last and last + timedelta(days=one.quiet_days) > today:
                planned.quiet += 1
            else:
                planned.lines.append(Line(row, one))
    return sorted((one for one in found.values() if one.lines or one.quiet), key=lambda one: one.supplier.name)


def may_be_due(companies: Iterable[int], today: date, rules: Sequence[Rule] | None = None) -> dict[int, list[int]]:
    """By supplier (id) the lines (ids) of which a rule may find something due."""
    rules = _rules() if rules is None else rules
    days = _days(rules, today)
    furthest = PurchaseOrder.objects.aggregate(days=Max("remind_days"))["days"]
    reaches = [days[READY], None if furthest is None else today + timedelta(days=furthest)]
    until = max((day for day in reaches if day), default=None)
    found: dict[int, list[int]] = defaultdict(list)
    with connection.cursor() as cursor:
        cursor.execute(CANDIDATES, {"companies": list(companies), "today": today, "until": until} | days)
        for supplier, line in cursor.fetchall():
            found[supplier].append(line)
    return found


def _rules() -> list[Rule]:
    return [
        Rule(one.kind, one.days, one.quiet_days, one.supplier_id, one.mode, one.paused)
        for one in ChaserRule.objects.all()
    ]


def _due_of(
    row: dict, rules: list[Rule], supplier: Party, today: date, all_unanswered: bool = False, lines: Sequence[int] = ()
) -> list[Due]:
    facts = Facts(
        supplier=supplier.pk,
        mode=row["mode"],
        sent_on=row["sent_on"],
        need_by=row["need_by"],
        passage_days=row["passage_days"],
        promise=row["promise"],
        agreed=row["agreed"],
        answered=row["answered"],
        with_supplier=row["with_supplier"] > 0,
        papers_missing_since=row["papers_missing_since"],
        remind_days=row["remind_days"],
    )
    if lines and row["line_id"] not in lines:
        return []
    if not (all_unanswered or lines):
        return due(facts, rules, supplier.owes, today)
    # A person asks by hand: what the rule would say later is said now; its quiet time holds all the same.
    now = by_hand(facts, rules, QUIET_DAYS)
    return [one for one in now if one.kind == UNANSWERED] if all_unanswered else now


def _open_rows(
    companies: Iterable[int],
    suppliers: Sequence[int] | None,
    today: date,
    rules: Iterable[Rule],
    lines: list[int] | None,
) -> list[dict]:
    values = {"companies": list(companies), "suppliers": list(suppliers) if suppliers is not None else None}
    values |= {"zone": settings.TIME_ZONE, "today": today, "lines": lines} | _days(rules, today)
    with connection.cursor() as cursor:
        cursor.execute(OPEN.format(may_be_due=MAY_BE_DUE), values)
        names = [column.name for column in cursor.description]
        return [dict(zip(names, row, strict=True)) for row in cursor.fetchall()]


def _days(rules: Iterable[Rule], today: date) -> dict[str, date | None]:
    """The day that each kind counts to, by the rule that reaches furthest; empty where there is none."""
    found: dict[str, date | None] = dict.fromkeys((UNANSWERED, READY, DESPATCH, PAPERS))
    for rule in rules:
        day = today + timedelta(days=rule.days if rule.kind == READY else -rule.days)
        found[rule.kind] = max(found[rule.kind] or day, day)
    return found


def _last_chased(instalments: list[int]) -> dict[tuple[int, str], date]:
    lines = ChaserLine.objects.filter(instalment__in=instalments).order_by("chaser__made_at")
    rows = lines.values_list("instalment", "kind", "chaser__made_at__date")
    return {(instalment, kind): day for instalment, kind, day in rows}


@once
def chase(act: Act, request: ChaseRequest) -> int:
    """Write the letter to one supplier; the supplier's row is held, so that two never go for the same thing."""
    supplier = Party.objects.select_for_update().get(pk=request.supplier, kind=Party.Kind.SUPPLIER)
    companies = _allowed(act)
    how = {"all_unanswered": request.all_unanswered, "lines": frozenset(request.lines)}
    planned = next(iter(plan(companies, act.today, [supplier.pk], **how)), None)
    if planned is None or not planned.lines:
        quiet = f" {planned.quiet} were chased within the quiet time." if planned and planned.quiet else ""
        raise Refused(Problem(f"There is nothing to remind {supplier} of now.{quiet}"))
    recipient = act.person.email if request.trial else supplier.email
    if not recipient:
        whose = "You have" if request.trial else f"{supplier} has"
        raise Refused(Problem(f"{whose} no mail address.", mend="An administrator enters it."))
    message = mail.write(act, _draft(planned, recipient, request.trial))
    if not request.trial:
        _record(act, planned, message)
    return message.pk


def _draft(planned: Planned, recipient: str, trial: bool) -> mail.Draft:
    orders = dict.fromkeys(line.row["order_id"] for line in planned.lines)
    return mail.Draft(
        kind="trial" if trial else "chaser",
        recipient=recipient,
        subject=f"Trial copy: {planned.subject}" if trial else planned.subject,
        body=planned.body(),
        company=planned.lines[0].row["company_id"],
        supplier=planned.supplier.pk,
        papers=[("order", order) for order in orders],
    )


def _allowed(act: Act) -> list[int]:
    """The companies whose lines may be chased: a rule chases for all, a person where they may."""
    if act.channel == "rule":
        return list(Company.objects.values_list("pk", flat=True))
    mine = companies_of(act.person)
    found = sorted(company for company in mine if may(act.person, "chase", company))
    act.require("chase", *(found or mine))
    return found


def _record(act: Act, planned: Planned, message: Message) -> None:
    by = None if act.channel == "rule" else act.person
    chaser = Chaser(supplier=planned.supplier, message=message, made_by=by, made_at=act.at)
    operations.write_chaser(chaser, [(line.row["id"], line.due.kind) for line in planned.lines])
    by_company: dict[int, list[dict]] = defaultdict(list)
    for line in planned.lines:
        by_company[line.row["company_id"]].append(line.row)
    links = [
        link
        for company, rows in by_company.items()
        for row in rows
        for link in (("line", row["line_id"], company), ("order", row["order_id"], company))
    ]
    reasons = ", ".join(dict.fromkeys(line.due.reason for line in planned.lines[:5]))
    text = f"Chased {planned.supplier} about {_parts(len(planned.lines))}: {reasons}"
    add_history(act, "chase", text, links, shared=True)


def _parts(units: int) -> str:
    return "1 instalment" if units == 1 else f"{units} instalments"
