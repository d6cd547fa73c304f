"""Revisions are never changed."""

from django.db import migrations

from northing.database import guards


class Migration(migrations.Migration):
    dependencies = [("orders", "0001_initial")]
    operations = [
        guards.functions(),
        guards.append_only("orders_revision"),
    ]
