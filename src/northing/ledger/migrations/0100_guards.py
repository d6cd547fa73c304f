"""Books that balance and are never changed, and whose postings point at something."""

from django.db import migrations

from northing.database import guards


class Migration(migrations.Migration):
    dependencies = [("ledger", "0002_initial"), ("costing", "0001_initial")]
    operations = [
        guards.functions(),
        guards.append_only(
            "ledger_entry", "ledger_posting", "ledger_layercost", "ledger_layertake", "ledger_allocation"
        ),
        guards.balanced(),
        guards.points_at(
            "ledger_posting",
            {
                "entry_id": "ledger_entry",
                "company_id": "masterdata_company",
                "order_line_id": "orders_orderline",
                "charge_id": "costing_charge",
                "layer_id": "ledger_costlayer",
            },
            kept=["ledger_entry"],
        ),
    ]
