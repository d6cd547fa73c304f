"""The table of the cache that all processes share (django.core.cache.backends.db)."""

from django.db import migrations

MAKE = """
create table cache (cache_key varchar(255) primary key, value text not null, expires timestamptz not null);
create index cache_expires on cache (expires);
"""


class Migration(migrations.Migration):
    dependencies = [("access", "0001_initial")]
    operations = [migrations.RunSQL(MAKE, "drop table cache")]
