"""A role belongs to the house or to one company; the right to keep the house is a person's own."""

import django.db.models.deletion
from django.db import migrations, models

# Who administered every company keeps the house; where no one did, who was first to administer one.
KEEPERS = """
with administrators as (
    select g.person_id, count(distinct g.company_id) as companies
      from access_grant g join access_person p on p.id = g.person_id
     where g.role = 'administrator' and g.site_id is null and p.is_active
     group by g.person_id),
every as (select count(*) as companies from masterdata_company)
update access_person set keeps_house = true
 where id in (select a.person_id from administrators a, every e where a.companies = e.companies)
    or id = (select min(a.person_id) from administrators a
              where not exists (select 1 from administrators b, every e where b.companies = e.companies))
"""


class Migration(migrations.Migration):
    dependencies = [("access", "0100_cache"), ("masterdata", "0001_initial")]
    operations = [
        migrations.AddField("person", "keeps_house", models.BooleanField(db_default=False, default=False)),
        migrations.AddField(
            "role",
            "company",
            models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.CASCADE, related_name="roles", to="masterdata.company"
            ),
        ),
        migrations.AlterField("role", "code", models.CharField(max_length=16)),
        migrations.AlterModelOptions("role", options={"ordering": ["code", "company"]}),
        migrations.AddConstraint(
            "role",
            models.UniqueConstraint(fields=("code", "company"), name="role_once_by_company", nulls_distinct=False),
        ),
        migrations.RunSQL(KEEPERS, migrations.RunSQL.noop),
    ]
