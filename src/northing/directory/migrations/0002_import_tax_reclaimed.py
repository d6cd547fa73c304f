"""The part of import tax that is reclaimed, instead of all or nothing."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("directory", "0001_initial")]
    operations = [
        migrations.AddField(
            "company",
            "import_tax_reclaimed",
            models.DecimalField(
                decimal_places=4,
                default=1,
                help_text="The part of import tax that is reclaimed, 0 to 1",
                max_digits=5,
            ),
        ),
        migrations.RunSQL(
            "update directory_company set import_tax_reclaimed = 0 where not import_tax_reclaimable",
            migrations.RunSQL.noop,
        ),
        migrations.RemoveField("company", "import_tax_reclaimable"),
        migrations.AddConstraint(
            "company",
            models.CheckConstraint(
                condition=models.Q(("import_tax_reclaimed__gte", 0), ("import_tax_reclaimed__lte", 1)),
                name="tax_reclaimed_part",
            ),
        ),
    ]
