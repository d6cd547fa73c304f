"""The effect of a bulk act before it is done, in numbers."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date

from django.db import connection

from northing.reports.line_book.rows import fetch

ANSWERS = """
select x.id, n.line_id, x.ready_on - x.asked_on as later, x.quantity < x.asked_quantity as fewer,
       x.pack_price - x.asked_pack_price as dearer,
       x.ready_on + s.passage_days > l.need_by as breaks, x.asked_on + s.passage_days > l.need_by as broken
  from confirmations_answer x
  join orders_instalment n on n.id = x.instalment_id
  join orders_orderline l on l.id = n.line_id
  join orders_purchaseorder o on o.id = l.order_id
  join masterdata_party s on s.id = o.supplier_id
 where x.outcome = 'open' and n.line_id = any(%(lines)s)
 order by x.id
"""


@dataclass
class Effect:
    """The records an act would change (ids), and what would follow, in sentences."""

    keys: list[int]
    says: list[str] = field(default_factory=list)


def accepting(lines: Sequence[int]) -> Effect:
    """Accepting every open answer of the lines."""
    rows = fetch(ANSWERS, {"lines": list(lines)})
    answered = len({row["line_id"] for row in rows})
    later = [row["later"] for row in rows if row["later"] > 0]
    breaks = sum(1 for row in rows if row["breaks"] and not row["broken"])
    says = [f"{len(rows)} open answers on {answered} of the {len(lines)} lines are accepted."]
    if len(lines) > answered:
        says.append(f"{len(lines) - answered} lines have no answer that waits; they stay as they are.")
    if later:
        says.append(f"{len(later)} dates move back, by up to {max(later)} days; {breaks} need-by dates break by it.")
    fewer = sum(1 for row in rows if row["fewer"])
    if fewer:
        says.append(f"{fewer} instalments are split: the rest stays asked for.")
    dearer = sum(1 for row in rows if row["dearer"] > 0)
    if dearer:
        says.append(f"{dearer} prices rise.")
    return Effect([row["id"] for row in rows], says)


def needing(lines: Sequence[int], today: date) -> Effect:
    """Setting a need-by date; which lines it makes late depends on the day that is chosen."""
    row = fetch(
        "select max(greatest(b.expected_on, %(today)s::date)) as last, count(distinct b.need_by) as days"
        " from worklist_linesummary b where b.line_id = any(%(lines)s)",
        {"lines": list(lines), "today": today},
    )[0]
    says = [f"{len(lines)} lines get one need-by date; they have {row['days']} different ones now."]
    if row["last"]:
        says.append(f"The last of them is expected on {row['last']:%-d %b %Y}: an earlier day makes it late.")
    return Effect(list(lines), says)


CHASED = """
select o.supplier_id, s.name, s.email, count(*) as lines
  from worklist_linesummary b
  join orders_purchaseorder o on o.id = b.order_id
  join masterdata_party s on s.id = o.supplier_id
 where b.line_id = any(%(lines)s) and b.is_open
 group by 1, 2, 3
 order by 2
"""


def chasing(lines: Sequence[int]) -> Effect:
    """Reminding the suppliers of the lines: one letter each, of what is due or not answered."""
    rows = fetch(CHASED, {"lines": list(lines)})
    says = [f"Suppliers reminded: {len(rows)}, each in one letter, of what is due or not answered of these lines."]
    says += [f"{row['name']}: {row['lines']} open lines." for row in rows[:8]]
    if len(rows) > 8:
        says.append(f"And {len(rows) - 8} more suppliers.")
    silent = [row["name"] for row in rows if not row["email"]]
    if silent:
        says.append(f"No mail address is kept for {', '.join(silent[:5])}: nothing goes to them.")
    says.append("No one is reminded twice of the same thing within the quiet time; who was, is listed.")
    return Effect([row["supplier_id"] for row in rows], says)


def assigning(lines: Sequence[int]) -> Effect:
    """Handing over the orders of the lines, whole."""
    with connection.cursor() as cursor:
        cursor.execute(
            "select order_id, count(*) from orders_orderline where order_id in"
            " (select order_id from orders_orderline where id = any(%s)) group by 1 order by 1",
            [list(lines)],
        )
        rows = cursor.fetchall()
    says = [f"{len(rows)} orders get another buyer, with all of their {sum(count for _, count in rows)} lines."]
    return Effect([order for order, _ in rows], says)
