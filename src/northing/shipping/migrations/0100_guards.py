"""A statement stays as it was made; it may be taken back once."""

from django.db import migrations

from northing.database import guards


class Migration(migrations.Migration):
    dependencies = [("shipping", "0001_initial")]
    operations = [
        guards.functions(),
        guards.append_only_but("shipping_datestatement", "retracted"),
        guards.room_on_pages("shipping_shipmentline", 70),
    ]
