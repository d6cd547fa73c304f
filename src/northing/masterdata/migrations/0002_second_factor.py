"""A company may ask its people for a second factor."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("masterdata", "0001_initial")]
    operations = [
        migrations.AddField("company", "asks_second_factor", models.BooleanField(db_default=False, default=False)),
    ]
