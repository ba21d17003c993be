"""Daily readings by month, five-minute means by day, and what they are rolled up into."""

from django.db import migrations, models

MAKE_TABLES = """
ALTER TABLE readings_dailyreading RENAME TO readings_dailyreading_before;
ALTER INDEX readings_dailyreading_pkey RENAME TO readings_dailyreading_before_pkey;
CREATE TABLE readings_dailyreading (
    entity_id bigint NOT NULL,
    day date NOT NULL,
    used_bytes bigint CHECK (used_bytes >= 0),
    provisioned_bytes bigint,
    capacity_bytes bigint,
    guest_written_bytes bigint,
    exclusive_bytes bigint,
    datastore_id bigint,
    read_at timestamptz NOT NULL,
    PRIMARY KEY (entity_id, day)
) PARTITION BY RANGE (day);
CREATE TABLE readings_performance (
    entity_id bigint NOT NULL,
    at timestamptz NOT NULL,
    read_iops real,
    write_iops real,
    read_bytes_per_second real,
    write_bytes_per_second real,
    latency_ms real,
    array_latency_ms real,
    network_latency_ms real,
    queue_latency_ms real,
    qos_latency_ms real,
    PRIMARY KEY (entity_id, at)
) PARTITION BY RANGE (at);
CREATE TABLE readings_performance_hour (
    entity_id bigint NOT NULL,
    at timestamptz NOT NULL,
    read_iops real,
    write_iops real,
    read_bytes_per_second real,
    write_bytes_per_second real,
    latency_ms real,
    array_latency_ms real,
    network_latency_ms real,
    queue_latency_ms real,
    qos_latency_ms real,
    peak_iops real,
    n_steps smallint NOT NULL,
    PRIMARY KEY (entity_id, at)
) PARTITION BY RANGE (at);
CREATE TABLE readings_performance_day (
    entity_id bigint NOT NULL,
    day date NOT NULL,
    read_iops real,
    write_iops real,
    read_bytes_per_second real,
    write_bytes_per_second real,
    latency_ms real,
    array_latency_ms real,
    network_latency_ms real,
    queue_latency_ms real,
    qos_latency_ms real,
    peak_iops real,
    n_steps smallint NOT NULL,
    PRIMARY KEY (entity_id, day)
);
CREATE TABLE readings_hour_to_roll (
    hour timestamptz PRIMARY KEY,
    noted_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE readings_counter (
    source_id bigint NOT NULL,
    entity_id bigint NOT NULL,
    column_name text NOT NULL,
    at_us bigint NOT NULL,
    value float8 NOT NULL,
    boundary_value float8,
    PRIMARY KEY (source_id, entity_id, column_name)
);
"""
CARRY_OVER = """
DO $$
DECLARE month date;
BEGIN
    FOR month IN SELECT DISTINCT date_trunc('month', day)::date FROM readings_dailyreading_before
    LOOP
        EXECUTE format(
            'CREATE TABLE readings_dailyreading_%s PARTITION OF readings_dailyreading '
            'FOR VALUES FROM (%L) TO (%L)',
            to_char(month, 'YYYYMM'), month, month + interval '1 month');
    END LOOP;
END $$;
INSERT INTO readings_dailyreading
    (entity_id, day, used_bytes, provisioned_bytes, capacity_bytes, read_at)
SELECT entity_id, day, used_bytes, provisioned_bytes, capacity_bytes, read_at
FROM readings_dailyreading_before;
DROP TABLE readings_dailyreading_before;
"""


class Migration(migrations.Migration):
    dependencies = [("readings", "0001_first_tables"), ("estate", "0004_homes_stand")]

    operations = [
        migrations.SeparateDatabaseAndState(
            database_operations=[
                migrations.RunSQL(MAKE_TABLES, migrations.RunSQL.noop),
                migrations.RunSQL(CARRY_OVER, migrations.RunSQL.noop),
            ],
            state_operations=[
                migrations.RemoveConstraint("DailyReading", "reading_not_negative"),
                migrations.AlterField(
                    "DailyReading", "used_bytes", models.BigIntegerField(null=True)
                ),
                migrations.AddField(
                    "DailyReading", "guest_written_bytes", models.BigIntegerField(null=True)
                ),
                migrations.AddField(
                    "DailyReading", "exclusive_bytes", models.BigIntegerField(null=True)
                ),
                migrations.AddField(
                    "DailyReading", "datastore_id", models.BigIntegerField(null=True)
                ),
            ],
        ),
    ]
