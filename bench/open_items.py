"""Open items at a million: the list of what is to pay, of a party and by a day, against the leanest view."""

from django.test import Client, override_settings
from django.urls import reverse
from tests.worlds import World

from bench.bulk import parameters
from bench.lists import against, urls
from bench.timing import execute
from northing.access.models import Person

# Bills of many suppliers over two hundred due days, a third of them in another currency, each with its open item.
BILLS = """
with told as (
  insert into activity_historyentry (action, actor_id, channel, at, occurred_on, text, changes)
  select 'bill', %(buyer)s, 'file', now(), %(today)s, 'bulk', '[]' from generate_series(1, %(rows)s)
  returning id
), entries as (
  insert into ledger_entry (history_id, actor_id, action, text, occurred_on, at)
  select id, %(buyer)s, 'bill', 'bulk', %(today)s, now() from told returning id
), bills as (
  insert into billing_bill (kind, company_id, party_id, number, number_key, day, due_on, currency, rate, total, tax,
         entered_by_id, at, entry_id)
  select 'bill', %(company)s, (%(suppliers)s::bigint[])[1 + id %% cardinality(%(suppliers)s::bigint[])],
         'OI' || id, 'OI' || id, %(today)s, %(today)s::date + (id * 7919 %% 200 - 100)::int,
         case when id %% 3 = %(foreign)s then 'USD' else 'NZD' end, 1, 100 + id %% 900, 0, %(buyer)s, now(), id
    from entries returning id, party_id, currency, total, day, entry_id
), postings as (
  insert into ledger_posting (entry_id, company_id, account, posted_on, party_id, document_kind, document, amount,
         foreign_amount, foreign_currency)
  select entry_id, %(company)s, account, day, party_id, 'bill', id, sign * total, sign * total, currency
    from bills cross join (values ('supplier_payable', -1), ('owned_not_billed', 1)) as two(account, sign)
)
insert into ledger_openitem
       (company_id, account, party_id, document_kind, document, currency, amount, base, occurred_on)
select %(company)s, 'supplier_payable', party_id, 'bill', id, currency, -total, -total, day from bills
"""


def everything(world: World, items: int) -> list[str]:
    """A row for each way to look at them."""
    values = parameters(world, items) | {"foreign": 0}
    execute(BILLS, values)
    execute("analyze")
    client = Client(headers={"host": "localhost"})
    client.force_login(Person.objects.get(username="accounts"))
    url, party = reverse("open-bills"), values["suppliers"][0]
    asked = (("", ""), ("of a party", f"party={party}"), ("due by today", f"by={values['today']:%Y-%m-%d}"))
    with override_settings(ROOT_URLCONF=urls()):
        return [against(client, f"{items:,} open items {name}".strip(), f"{url}?{said}") for name, said in asked]
