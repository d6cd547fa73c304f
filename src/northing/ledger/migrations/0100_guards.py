"""The database's own guards: append-only facts, and books that balance."""

from django.db import migrations

APPEND_ONLY = [
    "ledger_entry",
    "ledger_posting",
    "ledger_layercost",
    "ledger_layertake",
    "standing_movement",
    "shipping_datestatement",
    "papers_storyentry",
    "papers_storylink",
    "orders_revision",
]

FUNCTIONS = """
create function northing_append_only() returns trigger language plpgsql as $$
begin
    if tg_op = 'TRUNCATE' and current_setting('northing.may_truncate', true) = 'yes' then
        return null;
    end if;
    raise exception '% is append-only: % refused', tg_table_name, tg_op using errcode = 'restrict_violation';
end $$;

-- Postings of an entry are written by one statement, so each statement must balance by itself.
create function northing_balanced() returns trigger language plpgsql as $$
declare bad record;
begin
    select entry_id, company_id, sum(amount) as off into bad
      from written group by entry_id, company_id having sum(amount) <> 0 limit 1;
    if found then
        raise exception 'entry % is off by % in company %', bad.entry_id, bad.off, bad.company_id
            using errcode = 'check_violation';
    end if;
    return null;
end $$;

create trigger balanced after insert on ledger_posting
    referencing new table as written for each statement execute function northing_balanced();
"""


def guards(table):
    return f"""
create trigger append_only before update or delete on {table}
    for each row execute function northing_append_only();
create trigger append_only_truncate before truncate on {table}
    for each statement execute function northing_append_only();
"""


class Migration(migrations.Migration):
    dependencies = [
        ("ledger", "0002_initial"),
        ("standing", "0001_initial"),
        ("shipping", "0001_initial"),
        ("papers", "0001_initial"),
        ("orders", "0001_initial"),
        ("costing", "0002_initial"),
        ("receiving", "0001_initial"),
    ]
    operations = [
        migrations.RunSQL(FUNCTIONS + "".join(guards(table) for table in APPEND_ONLY), migrations.RunSQL.noop),
    ]
