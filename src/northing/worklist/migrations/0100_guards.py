"""Line summaries are updated on their page."""

from django.db import migrations

from northing.database import guards


class Migration(migrations.Migration):
    dependencies = [("worklist", "0001_initial")]
    operations = [
        guards.functions(),
        guards.room_on_pages("worklist_linesummary", 80),
    ]
