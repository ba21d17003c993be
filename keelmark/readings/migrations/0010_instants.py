"""How fast a counter counted between its last two samples: what goes on at this instant."""

from django.db import migrations

ADD = "ALTER TABLE readings_counter ADD COLUMN per_second double precision"
DROP = "ALTER TABLE readings_counter DROP COLUMN per_second"


class Migration(migrations.Migration):
    dependencies = [("readings", "0009_waits_of_reads_and_writes")]

    operations = [migrations.RunSQL(ADD, DROP)]
