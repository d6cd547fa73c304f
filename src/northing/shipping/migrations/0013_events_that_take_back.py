"""What takes back something is found by what it takes back."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("shipping", "0012_what_is_taken_back")]

    operations = [
        migrations.AddIndex(
            model_name="carrierevent",
            index=models.Index(
                condition=models.Q(("retracts", ""), _negated=True),
                fields=["source", "retracts"],
                name="event_retracting",
            ),
        ),
    ]
