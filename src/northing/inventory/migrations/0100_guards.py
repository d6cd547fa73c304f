"""Stock movements are never changed."""

from django.db import migrations

from northing.database import guards


class Migration(migrations.Migration):
    dependencies = [("inventory", "0002_initial")]
    operations = [
        guards.functions(),
        guards.append_only("inventory_stockmovement"),
    ]
