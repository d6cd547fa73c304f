"""What was said of a date stays as it was said; that it is taken back may be noted on it, and stays noted."""

from django.db import migrations

GUARDS = """
drop trigger append_only on shipping_datestatement;

update shipping_datestatement s set retracted = true
  from shipping_carrierevent e where e.id = s.event_id and e.retracted;

create trigger append_only before delete on shipping_datestatement
    for each row execute function northing_append_only();
create trigger append_only_but_taken_back before update on shipping_datestatement for each row
    when (not new.retracted or to_jsonb(new) - 'retracted' <> to_jsonb(old) - 'retracted')
    execute function northing_append_only();
"""


class Migration(migrations.Migration):
    dependencies = [("ledger", "0102_reference_guards"), ("shipping", "0012_what_is_taken_back")]
    operations = [migrations.RunSQL(GUARDS, migrations.RunSQL.noop)]
