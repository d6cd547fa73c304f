"""What was said and is taken back says so itself, whoever takes it back; ledger 0103 notes it on what is there."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("shipping", "0011_own_dock")]

    operations = [
        migrations.AddField(
            model_name="datestatement",
            name="retracted",
            field=models.BooleanField(db_default=False, default=False),
        ),
    ]
