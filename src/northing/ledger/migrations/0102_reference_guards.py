"""Postings and movements point at something: asked once a statement, and what they point at stays."""

from django.db import migrations

FUNCTIONS = """
-- Arguments: column, table, column, table ... of what the written rows point at.
create function northing_points_at() returns trigger language plpgsql as $$
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
create function northing_is_pointed_at() returns trigger language plpgsql as $$
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
# Stories and entries are append-only; nothing can delete them.
POINTS = {
    "ledger_posting": {
        "entry_id": "ledger_entry",
        "company_id": "directory_company",
        "order_line_id": "orders_orderline",
        "charge_id": "costing_charge",
        "layer_id": "ledger_costlayer",
    },
    "standing_movement": {"instalment_id": "orders_instalment", "story_id": "papers_storyentry"},
}
APPEND_ONLY = {"ledger_entry", "papers_storyentry"}


def statements():
    for table, points in POINTS.items():
        words = ", ".join(f"'{word}'" for pair in points.items() for word in pair)
        yield (
            f"create trigger points_at after insert on {table} referencing new table as written"
            f" for each statement execute function northing_points_at({words});"
        )
        for column, target in points.items():
            if target not in APPEND_ONLY:
                yield (
                    f"create trigger pointed_at_by_{table} before delete on {target}"
                    f" for each row execute function northing_is_pointed_at('{table}', '{column}');"
                )


class Migration(migrations.Migration):
    dependencies = [
        ("ledger", "0101_set_based_references"),
        ("standing", "0002_set_based_references"),
    ]
    operations = [migrations.RunSQL("\n".join([FUNCTIONS, *statements()]), migrations.RunSQL.noop)]
