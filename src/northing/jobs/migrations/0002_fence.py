"""A job counts how often it was begun: only the worker that began it last writes what it did. Queues have new names."""

from django.db import migrations, models

MOVE = """
update procrastinate_jobs set queue_name = 'files' where queue_name = 'jobs' and status in ('todo', 'doing')
"""


class Migration(migrations.Migration):
    dependencies = [("jobs", "0001_initial"), ("procrastinate", "0041_post_retry_failed_job")]
    operations = [
        migrations.AddField("job", "fence", models.PositiveIntegerField(db_default=0, default=0)),
        migrations.RunSQL(MOVE, migrations.RunSQL.noop),
    ]
