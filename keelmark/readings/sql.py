"""The only raw SQL of readings: bulk ways in and out, partitions, roll-ups."""

from datetime import date

from keelmark.readings.binary import UNKNOWN

TAKE_TURN = "SELECT pg_advisory_xact_lock(hashtext('keelmark.readings'))"

# --- daily readings
DAILY_COLUMNS = (
    "entity_id, day, used_bytes, provisioned_bytes, capacity_bytes, guest_written_bytes, "
    "exclusive_bytes, datastore_id, read_at"
)
COPY_DAILY = f"COPY readings_dailyreading ({DAILY_COLUMNS}) FROM STDIN (FORMAT BINARY)"
COPY_ASIDE = f"COPY readings_incoming ({DAILY_COLUMNS}) FROM STDIN (FORMAT BINARY)"
MAKE_ASIDE = """
CREATE TEMPORARY TABLE IF NOT EXISTS readings_incoming
    (LIKE readings_dailyreading) ON COMMIT DELETE ROWS
"""
EMPTY_ASIDE = "TRUNCATE readings_incoming"
# What a finished day said and now says otherwise is kept; within its own day it just goes on.
KEEP_CORRECTED = """
INSERT INTO readings_correction (entity_id, day, used_bytes_before, used_bytes_after,
    read_at_before, read_at_after, corrected_at)
SELECT entity_id, day, known.used_bytes, incoming.used_bytes, known.read_at, incoming.read_at,
    now()
FROM readings_incoming incoming JOIN readings_dailyreading known USING (entity_id, day)
WHERE incoming.read_at >= known.read_at
    AND known.read_at >= (day + 1)::timestamp AT TIME ZONE 'UTC' - interval '1 second'
    AND incoming.used_bytes IS DISTINCT FROM known.used_bytes
RETURNING entity_id, day
"""
# The youngest reading of a day stands; what it leaves out stays; the same again changes nothing.
MERGE_ASIDE = f"""
INSERT INTO readings_dailyreading AS known ({DAILY_COLUMNS})
SELECT {DAILY_COLUMNS} FROM readings_incoming
ON CONFLICT (entity_id, day) DO UPDATE SET
    used_bytes = coalesce(excluded.used_bytes, known.used_bytes),
    provisioned_bytes = coalesce(excluded.provisioned_bytes, known.provisioned_bytes),
    capacity_bytes = coalesce(excluded.capacity_bytes, known.capacity_bytes),
    guest_written_bytes = coalesce(excluded.guest_written_bytes, known.guest_written_bytes),
    exclusive_bytes = coalesce(excluded.exclusive_bytes, known.exclusive_bytes),
    datastore_id = coalesce(excluded.datastore_id, known.datastore_id),
    read_at = excluded.read_at
WHERE excluded.read_at > known.read_at OR (
    excluded.read_at = known.read_at
    AND (excluded.used_bytes, excluded.provisioned_bytes, excluded.capacity_bytes,
         excluded.guest_written_bytes, excluded.exclusive_bytes)
    IS DISTINCT FROM (known.used_bytes, known.provisioned_bytes, known.capacity_bytes,
         known.guest_written_bytes, known.exclusive_bytes))
"""  # noqa: S608  # only a constant is put in
HAS_ANY = """
SELECT EXISTS (
    SELECT 1 FROM readings_dailyreading
    WHERE entity_id = ANY(%s) AND day BETWEEN %s AND %s
)
"""
# A row a series, its days and bytes end to end as big-endian integers: numpy reads them whole,
# and no reading becomes a Python object on the way.
_READ_SERIES = f"""
SELECT entity_id, string_agg(int4send((day - %(first_on)s)::int4), ''::bytea),
    string_agg(int8send(coalesce(AMOUNT, {UNKNOWN})), ''::bytea),
    string_agg(int8send(coalesce(capacity_bytes, {UNKNOWN})), ''::bytea)
FROM readings_dailyreading
WHERE entity_id = ANY(%(entity_ids)s::int8[]) AND day BETWEEN %(first_on)s AND %(last_on)s
GROUP BY entity_id
"""  # noqa: S608  # only a constant is put in
READ_SERIES = {
    amount: _READ_SERIES.replace("AMOUNT", amount) for amount in ("used_bytes", "provisioned_bytes")
}

# --- five-minute means and what they are rolled up into
MEANS = (
    "read_iops, write_iops, read_bytes_per_second, write_bytes_per_second, latency_ms, "
    "array_latency_ms, network_latency_ms, queue_latency_ms, qos_latency_ms"
)
STEP_COLUMNS = f"entity_id, at, {MEANS}"
COPY_STEPS_ASIDE = f"COPY readings_steps_incoming ({STEP_COLUMNS}) FROM STDIN (FORMAT BINARY)"
MAKE_STEPS_ASIDE = """
CREATE TEMPORARY TABLE IF NOT EXISTS readings_steps_incoming
    (LIKE readings_performance) ON COMMIT DELETE ROWS
"""
EMPTY_STEPS_ASIDE = "TRUNCATE readings_steps_incoming"
_KEPT = ", ".join(f"{name} = coalesce(excluded.{name}, known.{name})" for name in MEANS.split(", "))
MERGE_STEPS_ASIDE = f"""
INSERT INTO readings_performance AS known ({STEP_COLUMNS})
SELECT DISTINCT ON (entity_id, at) {STEP_COLUMNS} FROM readings_steps_incoming
ON CONFLICT (entity_id, at) DO UPDATE SET {_KEPT}
"""  # noqa: S608  # only constants are put in
NOTE_HOURS = """
INSERT INTO readings_hour_to_roll (hour)
SELECT to_timestamp(us / 1e6) FROM unnest(%s::bigint[]) AS us
ON CONFLICT (hour) DO UPDATE SET noted_at = now()
"""
HOURS_TO_ROLL = "SELECT hour, noted_at FROM readings_hour_to_roll ORDER BY hour LIMIT %s"
_AVERAGES = ", ".join(f"avg({name})" for name in MEANS.split(", "))
_REPLACED = ", ".join(f"{name} = excluded.{name}" for name in MEANS.split(", "))
_PEAK = "max(coalesce(read_iops, 0) + coalesce(write_iops, 0))"
ROLL_HOUR = f"""
INSERT INTO readings_performance_hour (entity_id, at, {MEANS}, peak_iops, n_steps)
SELECT entity_id, %(hour)s, {_AVERAGES}, {_PEAK}, count(*)
FROM readings_performance WHERE at >= %(hour)s AND at < %(hour)s + interval '1 hour'
GROUP BY entity_id
ON CONFLICT (entity_id, at) DO UPDATE SET {_REPLACED},
    peak_iops = excluded.peak_iops, n_steps = excluded.n_steps
"""  # noqa: S608  # only constants are put in
_WEIGHTED = ", ".join(
    f"sum({name} * n_steps) / nullif(sum(n_steps) FILTER (WHERE {name} IS NOT NULL), 0)"
    for name in MEANS.split(", ")
)
ROLL_DAY = f"""
INSERT INTO readings_performance_day (entity_id, day, {MEANS}, peak_iops, n_steps)
SELECT entity_id, %(day)s, {_WEIGHTED}, max(peak_iops), sum(n_steps)
FROM readings_performance_hour
WHERE at >= %(day)s::timestamp AT TIME ZONE 'UTC'
    AND at < (%(day)s::date + 1)::timestamp AT TIME ZONE 'UTC'
GROUP BY entity_id
ON CONFLICT (entity_id, day) DO UPDATE SET {_REPLACED},
    peak_iops = excluded.peak_iops, n_steps = excluded.n_steps
"""  # noqa: S608  # only constants are put in
# Only if nothing came meanwhile: what came is rolled up next time.
FORGET_HOUR = "DELETE FROM readings_hour_to_roll WHERE hour = %s AND noted_at = %s"
READ_STEPS = f"""
SELECT at, {MEANS} FROM readings_performance
WHERE entity_id = %(entity_id)s AND at >= %(first_at)s AND at < %(end_at)s ORDER BY at
"""  # noqa: S608  # only constants are put in

# --- counters, from which rates are made
READ_COUNTERS = """
SELECT entity_id, column_name, at_us, value, boundary_value
FROM readings_counter WHERE source_id = %s AND entity_id = ANY(%s)
"""
WRITE_COUNTERS = """
INSERT INTO readings_counter (source_id, entity_id, column_name, at_us, value, boundary_value)
SELECT %(source_id)s, * FROM unnest(%(entity_ids)s::bigint[], %(columns)s::text[],
    %(at_us)s::bigint[], %(values)s::float8[], %(boundary_values)s::float8[])
ON CONFLICT (source_id, entity_id, column_name) DO UPDATE SET at_us = excluded.at_us,
    value = excluded.value, boundary_value = excluded.boundary_value
WHERE excluded.at_us > readings_counter.at_us
"""

# --- partitions; names come from our own code only
HAS_TABLE = "SELECT to_regclass(%s) IS NOT NULL"
PARTITIONS_OF = """
SELECT child.relname FROM pg_inherits
JOIN pg_class child ON child.oid = inhrelid JOIN pg_class parent ON parent.oid = inhparent
WHERE parent.relname = %s ORDER BY child.relname
"""


def make_partition(table: str, *, suffix: str, first: date, end: date) -> str:
    """Return the statement that makes one partition, its end excluded."""
    return (
        f"CREATE TABLE IF NOT EXISTS {table}_{suffix} PARTITION OF {table} "
        f"FOR VALUES FROM ('{first.isoformat()}') TO ('{end.isoformat()}')"
    )


def drop_partition(name: str) -> str:
    """Return the statement that drops one partition."""
    return f"DROP TABLE {name}"
