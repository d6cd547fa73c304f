"""The story is never changed."""

from django.db import migrations

from northing.database import guards


class Migration(migrations.Migration):
    dependencies = [("activity", "0001_initial")]
    operations = [
        guards.functions(),
        guards.append_only("activity_historyentry", "activity_historylink"),
    ]
