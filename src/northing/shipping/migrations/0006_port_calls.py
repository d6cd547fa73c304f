"""A voyage calls at ports: its dates are those of its calls, and a leg goes from one of them to a later one."""

import django.db.models.deletion
from django.db import migrations, models
from django.db.models import Q

import northing.directory.fields

# Statements are append-only by a trigger (ledger 0100), which a move of what they are about has to pass.
UNGUARDED = """
do $$ begin
  if exists (select 1 from pg_trigger where tgname = 'append_only' and tgrelid = 'shipping_datestatement'::regclass)
  then alter table shipping_datestatement {what} trigger append_only; end if;
end $$
"""


def call_at_ports(apps, schema_editor):
    """Each voyage calls where it began and where it ended; what was said of it is said of those calls."""
    Voyage, PortCall = apps.get_model("shipping", "Voyage"), apps.get_model("shipping", "PortCall")
    Leg, Shipment = apps.get_model("shipping", "Leg"), apps.get_model("shipping", "Shipment")
    Statement = apps.get_model("shipping", "DateStatement")
    kept = {}
    execute = schema_editor.connection.cursor().execute
    execute(UNGUARDED.format(what="disable"))
    for voyage in Voyage.objects.order_by("pk"):
        first = kept.setdefault((voyage.imo, voyage.number), voyage)
        legs = Leg.objects.filter(shipment__voyage=voyage, main=True)
        days = legs.aggregate(start=models.Min("planned_start"), end=models.Min("planned_end"))
        shown = legs.aggregate(start=models.Min("expected_start"), end=models.Min("expected_end"))
        number = PortCall.objects.filter(voyage=first).count()
        load = PortCall.objects.create(
            voyage=first, number=number + 1, port_id=voyage.load_port_id,
            planned_departure=days["start"], expected_departure=shown["start"],
        )  # fmt: skip
        discharge = PortCall.objects.create(
            voyage=first, number=number + 2, port_id=voyage.discharge_port_id,
            planned_arrival=days["end"], expected_arrival=shown["end"],
        )  # fmt: skip
        legs.update(load_call=load, discharge_call=discharge)
        for milestone, call in (("departure", load), ("arrival", discharge)):
            Statement.objects.filter(voyage=voyage, milestone=milestone).update(call=call, voyage=None)
        Shipment.objects.filter(voyage=voyage).update(voyage=first, discharge_port=voyage.discharge_port_id)
        if first.pk != voyage.pk:
            voyage.delete()
    execute(UNGUARDED.format(what="enable"))


class Migration(migrations.Migration):
    # Rows are moved and columns dropped, which one transaction cannot do while deferred checks are pending.
    atomic = False

    dependencies = [
        ("directory", "0012_ports_routes_and_weeks"),
        ("shipping", "0005_carrier_events"),
    ]

    operations = [
        migrations.CreateModel(
            name="PortCall",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("number", models.PositiveSmallIntegerField()),
                ("planned_arrival", models.DateField(null=True)),
                ("planned_departure", models.DateField(null=True)),
                ("expected_arrival", models.DateField(null=True)),
                ("expected_departure", models.DateField(null=True)),
                ("omitted", models.BooleanField(default=False)),
                ("port", models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name="+", to="directory.port")),
                ("voyage", models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name="calls", to="shipping.voyage")),
            ],
            options={"ordering": ["voyage", "number"]},
        ),
        migrations.AddField("voyage", "blanked_at", models.DateTimeField(null=True)),
        migrations.AddField(
            "shipment", "mode",
            models.CharField("By", choices=[("sea", "Sea"), ("air", "Air"), ("road", "Road"), ("rail", "Rail")], db_default="sea", default="sea", max_length=8),
        ),
        migrations.AddField(
            "shipment", "discharge_port",
            models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name="+", to="directory.port"),
        ),
        migrations.AlterField(
            "leg", "mode",
            models.CharField(choices=[("road", "Road"), ("sea", "Sea"), ("customs", "Customs"), ("rail", "Rail"), ("air", "Air")], max_length=8),
        ),
        migrations.AddField(
            "leg", "load_call",
            models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name="loads", to="shipping.portcall"),
        ),
        migrations.AddField(
            "leg", "discharge_call",
            models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name="discharges", to="shipping.portcall"),
        ),
        migrations.AddField("container", "tare_kg", northing.directory.fields.quantity(null=True)),
        migrations.AddField("container", "payload_kg", northing.directory.fields.quantity(null=True)),
        migrations.AddField("container", "volume_m3", northing.directory.fields.quantity(null=True)),
        migrations.AddField("carrierevent", "at", models.DateTimeField(null=True)),
        migrations.AddField("datestatement", "at", models.DateTimeField(null=True)),
        migrations.RemoveConstraint("datestatement", "statement_about_one_thing"),
        migrations.AddField(
            "datestatement", "call",
            models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name="statements", to="shipping.portcall"),
        ),
        migrations.RemoveConstraint("voyage", "voyage_once"),
        migrations.RunPython(call_at_ports, elidable=True),
        migrations.RemoveField("voyage", "load_port"),
        migrations.RemoveField("voyage", "discharge_port"),
        migrations.RemoveField("datestatement", "voyage"),
        migrations.AddConstraint("voyage", models.UniqueConstraint(fields=["imo", "number"], name="voyage_once")),
        migrations.AddConstraint("portcall", models.UniqueConstraint(fields=["voyage", "number"], name="call_number_once")),
        migrations.AddConstraint(
            "leg",
            models.CheckConstraint(
                condition=Q(load_call=None, discharge_call=None) | Q(load_call__isnull=False, discharge_call__isnull=False),
                name="leg_from_call_to_call",
            ),
        ),
        migrations.AddConstraint(
            "datestatement",
            models.CheckConstraint(
                condition=Q(call__isnull=False, leg=None, container=None)
                | Q(call=None, leg__isnull=False, container=None)
                | Q(call=None, leg=None, container__isnull=False),
                name="statement_about_one_thing",
            ),
        ),
    ]
