"""Guards that the database itself keeps, as SQL for migrations: append-only tables, references checked by statement,
entries that balance. Each table's guards stand in the migration of its app; docs/decisions/004 and 007 say why.
"""

from collections.abc import Iterable, Mapping

from django.db import migrations

FUNCTIONS = """
create or replace function northing_append_only() returns trigger language plpgsql as $$
begin
    if tg_op = 'TRUNCATE' and current_setting('northing.may_truncate', true) = 'yes' then
        return null;
    end if;
    raise exception '% is append-only: % refused', tg_table_name, tg_op using errcode = 'restrict_violation';
end $$;

-- Arguments: column, table, column, table ... of what the written rows point at.
create or replace function northing_points_at() returns trigger language plpgsql as $$
declare
    lost bigint;
begin
    for n in 0 .. tg_nargs / 2 - 1 loop
        execute format(
            'select w.key from (select distinct %1$I as key from written where %1$I is not null) w'
            ' where not exists (select 1 from %2$I t where t.id = w.key) limit 1',
            tg_argv[2 * n], tg_argv[2 * n + 1]) into lost;
        if lost is not null then
            raise exception '% % of % is not in %', tg_argv[2 * n], lost, tg_table_name, tg_argv[2 * n + 1]
                using errcode = 'foreign_key_violation';
        end if;
    end loop;
    return null;
end $$;

-- Arguments: table, column of the rows that may still point at what is to be deleted.
create or replace function northing_is_pointed_at() returns trigger language plpgsql as $$
declare
    used boolean;
begin
    execute format('select exists (select 1 from %I where %I = $1)', tg_argv[0], tg_argv[1]) into used using old.id;
    if used then
        raise exception '% % stays: % points at it', tg_table_name, old.id, tg_argv[0]
            using errcode = 'foreign_key_violation';
    end if;
    return old;
end $$;
"""


def _run(sql: str) -> migrations.RunSQL:
    return migrations.RunSQL(sql, migrations.RunSQL.noop)


def functions() -> migrations.RunSQL:
    """The functions that the triggers below call; written again by whichever app comes first."""
    return _run(FUNCTIONS)


def append_only(*tables: str) -> migrations.RunSQL:
    """No row of the tables is changed or deleted."""
    return _run(
        "\n".join(
            f"create trigger append_only before update or delete on {table}"
            " for each row execute function northing_append_only();"
            f"create trigger append_only_truncate before truncate on {table}"
            " for each statement execute function northing_append_only();"
            for table in tables
        )
    )


def append_only_but(table: str, column: str) -> migrations.RunSQL:
    """No row is deleted, and only that column is changed, once, to true."""
    return _run(f"""
create trigger append_only before delete on {table} for each row execute function northing_append_only();
create trigger append_only_truncate before truncate on {table}
    for each statement execute function northing_append_only();
create trigger append_only_but_{column} before update on {table} for each row
    when (not new.{column} or to_jsonb(new) - '{column}' <> to_jsonb(old) - '{column}')
    execute function northing_append_only();
""")


def points_at(table: str, columns: Mapping[str, str], *, kept: Iterable[str] = ()) -> migrations.RunSQL:
    """What `columns` of written rows point at is there, asked once a statement, and stays there.

    `kept` are the tables that nothing can be deleted from.
    """
    words = ", ".join(f"'{word}'" for pair in columns.items() for word in pair)
    asked = (
        f"create trigger points_at after insert on {table} referencing new table as written"
        f" for each statement execute function northing_points_at({words});"
    )
    stays = [
        f"create trigger pointed_at_by_{table}_{column} before delete on {target}"
        f" for each row execute function northing_is_pointed_at('{table}', '{column}');"
        for column, target in columns.items()
        if target not in set(kept)
    ]
    return _run("\n".join([asked, *stays]))


def balanced() -> migrations.RunSQL:
    """Postings of an entry are written by one statement, so each statement must balance by itself."""
    return _run("""
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
""")


def room_on_pages(table: str, percent: int) -> migrations.RunSQL:
    """Pages are filled to so many per cent, so that an update that moves no indexed column stays on its page."""
    return _run(f"alter table {table} set (fillfactor = {percent})")
