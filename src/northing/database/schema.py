"""The schema of a database as fingerprints: tables, columns, constraints, indexes, triggers, functions and types.

The names of migrations prove nothing: before 1.0.0 one name stood for many schemas.
"""

import hashlib
import re

from django.db import connection

# PostgreSQL writes casts of an expression otherwise after a dump and a restore, though they mean the same.
CASTS = re.compile(r'::(?:"?[a-z_]+"?)(?: varying| precision| with(?:out)? time zone)?(?:\(\d+(?:,\d+)?\))?(?:\[\])?')
SQL = {
    "columns": """
        select c.relname, a.attname || ' ' || format_type(a.atttypid, a.atttypmod) || ' ' || a.attnotnull || ' '
               || a.attidentity::text || a.attgenerated::text || ' ' || coalesce(pg_get_expr(d.adbin, d.adrelid), '')
          from pg_attribute a join pg_class c on c.oid = a.attrelid
          left join pg_attrdef d on d.adrelid = a.attrelid and d.adnum = a.attnum
         where c.relnamespace = 'public'::regnamespace and c.relkind in ('r', 'p', 'v', 'm')
           and a.attnum > 0 and not a.attisdropped""",
    "options": """
        select relname, 'options ' || relkind::text || coalesce(array_to_string(reloptions, ' '), '')
          from pg_class where relnamespace = 'public'::regnamespace and relkind in ('r', 'p', 'v', 'm')""",
    "constraints": """
        select c.relname, 'constraint ' || k.conname || ' ' || pg_get_constraintdef(k.oid)
          from pg_constraint k join pg_class c on c.oid = k.conrelid
         where c.relnamespace = 'public'::regnamespace""",
    "indexes": """
        select c.relname, pg_get_indexdef(i.indexrelid)
          from pg_index i join pg_class c on c.oid = i.indrelid where c.relnamespace = 'public'::regnamespace""",
    "triggers": """
        select c.relname, pg_get_triggerdef(t.oid) || t.tgenabled::text
          from pg_trigger t join pg_class c on c.oid = t.tgrelid
         where c.relnamespace = 'public'::regnamespace and not t.tgisinternal""",
    "functions": """
        select 'function ' || p.proname, pg_get_functiondef(p.oid)
          from pg_proc p where p.pronamespace = 'public'::regnamespace and p.prokind in ('f', 'p')
           and not exists (select 1 from pg_depend d where d.objid = p.oid and d.deptype = 'e')""",
    "types": """
        select 'type ' || t.typname, string_agg(e.enumlabel, ' ' order by e.enumsortorder)
          from pg_type t join pg_enum e on e.enumtypid = t.oid
         where t.typnamespace = 'public'::regnamespace group by t.typname""",
}


def schema() -> dict[str, str]:
    """Return the fingerprint (12 hex digits) of each table, function and type; an empty database has none."""
    facts: dict[str, list[str]] = {}
    with connection.cursor() as cursor:
        for kind, statement in SQL.items():
            cursor.execute(statement)
            for name, words in cursor.fetchall():
                facts.setdefault(name, []).append(words if kind == "functions" else _plain(words))
    return {name: digest("\n".join(sorted(words))) for name, words in sorted(facts.items())}


def applied() -> set[str]:
    """Return the migrations (`app.name`) that the database says were applied."""
    with connection.cursor() as cursor:
        cursor.execute("select to_regclass('public.django_migrations') is not null")
        if not cursor.fetchone()[0]:
            return set()
        cursor.execute("select app || '.' || name from django_migrations")
        return {name for (name,) in cursor.fetchall()}


def digest(text: str) -> str:
    """Return the first 12 hex digits of a text's SHA-256.

    >>> digest("")
    'e3b0c44298fc'
    """
    return hashlib.sha256(text.encode()).hexdigest()[:12]


def _plain(words: str) -> str:
    return re.sub(r"[\s()]+", "", CASTS.sub("", words))
