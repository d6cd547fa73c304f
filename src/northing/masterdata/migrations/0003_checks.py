"""Two more checks whose strength a company chooses: receipts that come too early, goods for another country."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("masterdata", "0002_second_factor")]
    operations = [
        migrations.AddField("company", name, models.CharField(db_default="ask", default="ask", max_length=5))
        for name in ("load_elsewhere", "receive_early")
    ]
