"""How long reads and writes wait, each by itself."""

from django.db import migrations

TABLES = ("readings_performance", "readings_performance_hour", "readings_performance_day")
ADD = [
    f"ALTER TABLE {table} ADD COLUMN read_latency_ms real, ADD COLUMN write_latency_ms real"
    for table in TABLES
]
DROP = [
    f"ALTER TABLE {table} DROP COLUMN read_latency_ms, DROP COLUMN write_latency_ms"
    for table in TABLES
]


class Migration(migrations.Migration):
    dependencies = [("readings", "0008_packed_days")]

    operations = [migrations.RunSQL(ADD, DROP)]
