"""When a line is expected stands in the line book, worked out from its instalments; not once more on the line."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("orders", "0005_order_sums_and_addresses"), ("standing", "0004_line_standing")]

    operations = [
        migrations.RemoveIndex(model_name="orderline", name="line_by_need"),
        migrations.RemoveIndex(model_name="orderline", name="line_open_by_need"),
        migrations.RemoveIndex(model_name="orderline", name="line_open_by_expected"),
        migrations.RemoveField(model_name="orderline", name="expected_on"),
    ]
