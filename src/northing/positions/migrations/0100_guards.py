"""Movements are never changed, and point at something."""

from django.db import migrations

from northing.database import guards


class Migration(migrations.Migration):
    dependencies = [("positions", "0001_initial"), ("orders", "0001_initial"), ("activity", "0001_initial")]
    operations = [
        guards.functions(),
        guards.append_only("positions_movement"),
        guards.points_at(
            "positions_movement",
            {"instalment_id": "orders_instalment", "history_id": "activity_historyentry"},
            kept=["activity_historyentry"],
        ),
    ]
