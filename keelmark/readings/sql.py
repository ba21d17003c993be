"""The only raw SQL of readings: bulk ways in and out, partitions, roll-ups."""

from datetime import date

from keelmark.readings.binary import UNKNOWN

TAKE_TURN = "SELECT pg_advisory_xact_lock(hashtext('keelmark.readings'))"

# --- daily readings
DAILY_COLUMNS = (
    "entity_id, day, used_bytes, provisioned_bytes, capacity_bytes, inside_bytes, "
    "unshared_bytes, datastore_id, read_at"
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
    inside_bytes = coalesce(excluded.inside_bytes, known.inside_bytes),
    unshared_bytes = coalesce(excluded.unshared_bytes, known.unshared_bytes),
    datastore_id = coalesce(excluded.datastore_id, known.datastore_id),
    read_at = excluded.read_at
WHERE excluded.read_at > known.read_at OR (
    excluded.read_at = known.read_at
    AND (excluded.used_bytes, excluded.provisioned_bytes, excluded.capacity_bytes,
         excluded.inside_bytes, excluded.unshared_bytes)
    IS DISTINCT FROM (known.used_bytes, known.provisioned_bytes, known.capacity_bytes,
         known.inside_bytes, known.unshared_bytes))
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

# --- measures: what a source told stands before what was reckoned, of either the youngest
_STANDS = """
ON CONFLICT (entity_id, measure, day) DO UPDATE SET amount = excluded.amount,
    is_reckoned = excluded.is_reckoned, read_at = excluded.read_at
WHERE (known.is_reckoned AND NOT excluded.is_reckoned) OR (
    known.is_reckoned = excluded.is_reckoned AND (excluded.read_at > known.read_at
        OR excluded.read_at = known.read_at AND excluded.amount <> known.amount))
"""
_INTO_MEASURES = """
INSERT INTO readings_measure AS known (entity_id, measure, day, amount, read_at, is_reckoned)
"""
WRITE_MEASURES = f"""
{_INTO_MEASURES}
SELECT entity_id, measure, day, amount, to_timestamp(read_at_us / 1e6), false
FROM unnest(%(entity_ids)s::bigint[], %(measures)s::text[], %(days)s::date[],
    %(amounts)s::bigint[], %(read_at_us)s::bigint[])
    AS told (entity_id, measure, day, amount, read_at_us)
{_STANDS}
"""  # noqa: S608  # only constants are put in
# What virtual disks did in the busy part of a day; that of arrays is reckoned from their parts.
RECKON_BUSY = f"""
{_INTO_MEASURES}
SELECT told.entity_id, 'iops', %(day)s, told.amount,
    (%(day)s::date + 1)::timestamp AT TIME ZONE 'UTC', true
FROM unnest(%(entity_ids)s::bigint[], %(amounts)s::bigint[]) AS told (entity_id, amount)
JOIN estate_virtualdisk disk ON disk.entity_id = told.entity_id
{_STANDS}
"""  # noqa: S608  # only constants are put in
READ_MEASURES = """
SELECT entity_id, string_agg(int4send((day - %(first_on)s)::int4), ''::bytea),
    string_agg(int8send(amount), ''::bytea)
FROM readings_measure
WHERE entity_id = ANY(%(entity_ids)s::int8[]) AND measure = %(measure)s
    AND day BETWEEN %(first_on)s AND %(last_on)s
GROUP BY entity_id
"""
NEWEST_MEASURES = """
SELECT DISTINCT ON (entity_id) entity_id, amount, read_at FROM readings_measure
WHERE entity_id = ANY(%(entity_ids)s::int8[]) AND measure = %(measure)s
    AND day >= %(first_on)s
ORDER BY entity_id, day DESC
"""
# What VMs that are on were promised; a sum with an unknown part is unknown.
RECKON_PROMISED = f"""
{_INTO_MEASURES}
SELECT cluster_id, measure, %(today)s, amount, read_at, true
FROM (
    SELECT vm.cluster_id, max(vm.read_at) AS read_at,
        CASE WHEN bool_and(vm.n_cpus IS NOT NULL) THEN sum(vm.n_cpus) END AS cpu,
        CASE WHEN bool_and(vm.memory_bytes IS NOT NULL) THEN sum(vm.memory_bytes) END AS memory
    FROM estate_virtualmachine vm JOIN estate_entity thing ON thing.id = vm.entity_id
    WHERE vm.power = 'on' AND thing.retired_at IS NULL AND vm.cluster_id IS NOT NULL
    GROUP BY vm.cluster_id
) AS promised
CROSS JOIN LATERAL (VALUES ('cpu', cpu), ('memory', memory)) AS each_of (measure, amount)
WHERE amount IS NOT NULL AND read_at >= %(today)s::timestamp AT TIME ZONE 'UTC'
{_STANDS}
"""  # noqa: S608  # only constants are put in
# What the snapshots of a thing hold, and nothing where the last of them went.
RECKON_SNAPSHOTS = f"""
{_INTO_MEASURES}
SELECT of_id, 'snapshots', %(today)s, amount, read_at, true
FROM (
    SELECT copy.of_id, sum(copy.unshared_bytes) AS amount, max(copy.read_at) AS read_at
    FROM estate_snapshot copy
    JOIN estate_entity itself ON itself.id = copy.entity_id AND itself.retired_at IS NULL
    JOIN estate_entity owner ON owner.id = copy.of_id AND owner.retired_at IS NULL
    GROUP BY copy.of_id HAVING bool_and(copy.unshared_bytes IS NOT NULL)
    UNION ALL
    SELECT DISTINCT before.entity_id, 0, %(today)s::timestamp AT TIME ZONE 'UTC'
    FROM readings_measure before
    JOIN estate_entity owner ON owner.id = before.entity_id AND owner.retired_at IS NULL
    WHERE before.measure = 'snapshots' AND before.is_reckoned
        AND before.day BETWEEN %(today)s - 7 AND %(today)s - 1
        AND NOT EXISTS (
            SELECT 1 FROM estate_snapshot copy JOIN estate_entity itself
                ON itself.id = copy.entity_id AND itself.retired_at IS NULL
            WHERE copy.of_id = before.entity_id)
) AS held
WHERE read_at >= %(today)s::timestamp AT TIME ZONE 'UTC'
{_STANDS}
"""  # noqa: S608  # only constants are put in
# The I/O of an array: its own means, else those of all its pools, else of all its volumes
# (layer 0, 1, 2); a step in which one part was not read is not a step.
RECKON_IO = f"""
WITH step AS MATERIALIZED (
    SELECT entity_id, at, coalesce(read_iops, 0) + coalesce(write_iops, 0) AS iops,
        coalesce(read_bytes_per_second, 0) + coalesce(write_bytes_per_second, 0) AS throughput,
        read_iops IS NOT NULL OR write_iops IS NOT NULL AS has_iops,
        read_bytes_per_second IS NOT NULL OR write_bytes_per_second IS NOT NULL AS has_throughput
    FROM readings_performance
    WHERE at >= %(day)s::timestamp AT TIME ZONE 'UTC'
        AND at < (%(day)s::date + 1)::timestamp AT TIME ZONE 'UTC'
), part AS MATERIALIZED (
    SELECT entity_id AS array_id, entity_id, 0 AS layer FROM estate_array
    UNION ALL
    SELECT pool.array_id, pool.entity_id, 1 FROM estate_pool pool
    JOIN estate_entity thing ON thing.id = pool.entity_id AND thing.retired_at IS NULL
    WHERE pool.array_id IS NOT NULL
    UNION ALL
    SELECT pool.array_id, volume.entity_id, 2 FROM estate_volume volume
    JOIN estate_entity thing ON thing.id = volume.entity_id AND thing.retired_at IS NULL
    JOIN estate_pool pool ON pool.entity_id = volume.pool_id WHERE pool.array_id IS NOT NULL
), wanted AS (
    SELECT array_id, layer, count(*) AS n_parts FROM part GROUP BY array_id, layer
), summed AS (
    SELECT part.array_id, part.layer, step.at, count(*) FILTER (WHERE has_iops) AS n_iops,
        count(*) FILTER (WHERE has_throughput) AS n_throughput,
        sum(step.iops) AS iops, sum(step.throughput) AS throughput
    FROM step JOIN part USING (entity_id) GROUP BY part.array_id, part.layer, step.at
), measured AS (
    SELECT array_id, layer, measure, max(at) AS last_at, count(*) AS n_steps,
        percentile_cont(%(share)s) WITHIN GROUP (ORDER BY amount) AS amount
    FROM summed JOIN wanted USING (array_id, layer)
    CROSS JOIN LATERAL (
        VALUES ('iops', iops, n_iops), ('throughput', throughput, n_throughput)
    ) AS each_of (measure, amount, n_read)
    WHERE n_read = n_parts GROUP BY array_id, layer, measure
)
{_INTO_MEASURES}
SELECT DISTINCT ON (array_id, measure) array_id, measure, %(day)s, round(amount),
    last_at + interval '5 minutes', true
FROM measured WHERE n_steps >= %(min_steps)s ORDER BY array_id, measure, layer
{_STANDS}
"""  # noqa: S608  # only constants are put in

# --- five-minute means and what they are rolled up into
MEANS = (
    "read_iops, write_iops, read_bytes_per_second, write_bytes_per_second, latency_ms, "
    "array_latency_ms, network_latency_ms, queue_latency_ms, qos_latency_ms, "
    "read_latency_ms, write_latency_ms"
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
_OPS = "(coalesce(read_iops, 0) + coalesce(write_iops, 0))"
_OF_WAIT = {
    "read_latency_ms": "coalesce(read_iops, 0)",
    "write_latency_ms": "coalesce(write_iops, 0)",
}


def _mean(name: str, *, steps: str) -> str:
    """A mean over steps; of waits weighted by their operations, and plain where there were none."""
    plain = f"sum({name} * {steps}) / nullif(sum({steps}) FILTER (WHERE {name} IS NOT NULL), 0)"
    if not name.endswith("_ms"):
        return plain
    told = f"FILTER (WHERE {name} IS NOT NULL)"
    ops = _OF_WAIT.get(name, _OPS)
    weighed = f"sum({name} * {ops} * {steps}) / nullif(sum({ops} * {steps}) {told}, 0)"
    return f"coalesce({weighed}, {plain})"


_AVERAGES = ", ".join(_mean(name, steps="1") for name in MEANS.split(", "))
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
_WEIGHTED = ", ".join(_mean(name, steps="n_steps") for name in MEANS.split(", "))
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
SELECT entity_id, extract(epoch FROM at)::bigint / 300, {MEANS} FROM readings_performance
WHERE entity_id = ANY(%(entity_ids)s) AND at >= %(first_at)s AND at < %(end_at)s
"""  # noqa: S608  # only constants are put in


# --- finished days of five-minute means, packed
DAYS_OF_ROWS = """
SELECT DISTINCT (at AT TIME ZONE 'UTC')::date FROM (
    SELECT generate_series(%(first_at)s::timestamptz, %(last_at)s, interval '1 day') AS begins
) AS days CROSS JOIN LATERAL (
    SELECT at FROM readings_performance WHERE at >= begins AND at < begins + interval '1 day'
    LIMIT 1
) AS one ORDER BY 1
"""
THINGS_OF_DAY = """
SELECT DISTINCT entity_id FROM readings_performance
WHERE at >= %(first_at)s AND at < %(end_at)s ORDER BY entity_id
"""
COPY_PACKED_OUT = """
COPY (
    SELECT entity_id, day, content FROM readings_packed
    WHERE entity_id = ANY(%(entity_ids)s) AND day BETWEEN %(first_on)s AND %(last_on)s
) TO STDOUT (FORMAT BINARY)
"""
COPY_PACKED = "COPY readings_packed (entity_id, day, n_steps, content) FROM STDIN (FORMAT BINARY)"
FORGET_PACKED = "DELETE FROM readings_packed WHERE day = %(day)s AND entity_id = ANY(%(ids)s)"
STEPS_PACKED = "SELECT coalesce(sum(n_steps), 0) FROM readings_packed WHERE day = %s"
IS_PACKED = "SELECT EXISTS (SELECT FROM readings_packed WHERE day = %s)"
IS_TO_ROLL = """
SELECT EXISTS (SELECT FROM readings_hour_to_roll WHERE hour >= %(first_at)s AND hour < %(end_at)s)
"""
_ROLLED_PARTS = f"{MEANS}, peak_iops, n_steps"
_ROLLED_REPLACED = f"{_REPLACED}, peak_iops = excluded.peak_iops, n_steps = excluded.n_steps"
MAKE_ROLLED_ASIDE = """
CREATE TEMPORARY TABLE IF NOT EXISTS readings_hours_incoming
    (LIKE readings_performance_hour) ON COMMIT DELETE ROWS;
CREATE TEMPORARY TABLE IF NOT EXISTS readings_days_incoming
    (LIKE readings_performance_day) ON COMMIT DELETE ROWS;
TRUNCATE readings_hours_incoming, readings_days_incoming
"""
COPY_HOURS_ASIDE = (
    f"COPY readings_hours_incoming (entity_id, at, {_ROLLED_PARTS}) FROM STDIN (FORMAT BINARY)"
)
COPY_DAYS_ASIDE = (
    f"COPY readings_days_incoming (entity_id, day, {_ROLLED_PARTS}) FROM STDIN (FORMAT BINARY)"
)
MERGE_HOURS = f"""
INSERT INTO readings_performance_hour (entity_id, at, {_ROLLED_PARTS})
SELECT entity_id, at, {_ROLLED_PARTS} FROM readings_hours_incoming
ON CONFLICT (entity_id, at) DO UPDATE SET {_ROLLED_REPLACED}
"""  # noqa: S608  # only constants are put in
MERGE_DAYS = f"""
INSERT INTO readings_performance_day (entity_id, day, {_ROLLED_PARTS})
SELECT entity_id, day, {_ROLLED_PARTS} FROM readings_days_incoming
ON CONFLICT (entity_id, day) DO UPDATE SET {_ROLLED_REPLACED}
"""  # noqa: S608  # only constants are put in
READ_HOURS = f"""
SELECT entity_id, extract(epoch FROM at)::bigint / 3600, {_ROLLED_PARTS}
FROM readings_performance_hour
WHERE entity_id = ANY(%(entity_ids)s) AND at >= %(first_at)s AND at < %(end_at)s
"""  # noqa: S608  # only constants are put in


def _added(name: str) -> str:
    """Things added up: rates are sums, waits are weighted by their operations."""
    if not name.endswith("_ms"):
        return f"sum({name})"
    ops = _OF_WAIT.get(name, _OPS)
    return f"sum({name} * {ops}) / nullif(sum({ops}) FILTER (WHERE {name} IS NOT NULL), 0)"


_ADDED = ", ".join(_added(name) for name in MEANS.split(", "))
_N_READ = "count(*) FILTER (WHERE read_iops IS NOT NULL OR write_iops IS NOT NULL)"
ADD_HOURS = f"""
SELECT 0, extract(epoch FROM at)::bigint / 3600, {_ADDED}, NULL, {_N_READ}
FROM readings_performance_hour
WHERE entity_id = ANY(%(entity_ids)s) AND at >= %(first_at)s AND at < %(end_at)s GROUP BY at
"""  # noqa: S608  # only constants are put in
ADD_DAYS = f"""
SELECT 0, day - DATE '1970-01-01', {_ADDED}, NULL, {_N_READ} FROM readings_performance_day
WHERE entity_id = ANY(%(entity_ids)s) AND day >= %(first_on)s AND day < %(end_on)s GROUP BY day
"""  # noqa: S608  # only constants are put in
READ_DAYS = f"""
SELECT entity_id, day - DATE '1970-01-01', {_ROLLED_PARTS} FROM readings_performance_day
WHERE entity_id = ANY(%(entity_ids)s) AND day >= %(first_on)s AND day < %(end_on)s
"""  # noqa: S608  # only constants are put in

# --- counters, from which rates are made
READ_COUNTERS = """
SELECT entity_id, column_name, at_us, value, boundary_value
FROM readings_counter WHERE source_id = %s AND entity_id = ANY(%s)
"""
WRITE_COUNTERS = """
INSERT INTO readings_counter AS known
    (source_id, entity_id, column_name, at_us, value, boundary_value)
SELECT %(source_id)s, * FROM unnest(%(entity_ids)s::bigint[], %(columns)s::text[],
    %(at_us)s::bigint[], %(values)s::float8[], %(boundary_values)s::float8[])
ON CONFLICT (source_id, entity_id, column_name) DO UPDATE SET at_us = excluded.at_us,
    value = excluded.value, boundary_value = excluded.boundary_value,
    per_second = CASE WHEN excluded.value >= known.value
        THEN (excluded.value - known.value) / (excluded.at_us - known.at_us) * 1e6 END
WHERE excluded.at_us > known.at_us
"""
# The newest of all sources; a counter that began anew says nothing until its next sample.
READ_INSTANTS = """
SELECT DISTINCT ON (entity_id, column_name) entity_id, column_name, at_us, per_second
FROM readings_counter WHERE entity_id = ANY(%(entity_ids)s) AND column_name = ANY(%(columns)s)
ORDER BY entity_id, column_name, at_us DESC
"""

# --- partitions; names come from our own code only
PARTITIONS_OF = """
SELECT child.relname FROM pg_inherits
JOIN pg_class child ON child.oid = inhrelid JOIN pg_class parent ON parent.oid = inhparent
WHERE parent.relname = %s ORDER BY child.relname
"""


def empty_partition(table: str, *, suffix: str) -> str:
    """Return the statement that empties one partition."""
    return f"TRUNCATE {table}_{suffix}"


def make_partition(table: str, *, suffix: str, first: date, end: date) -> str:
    """Return the statement that makes one partition, its end excluded."""
    return (
        f"CREATE TABLE IF NOT EXISTS {table}_{suffix} PARTITION OF {table} "
        f"FOR VALUES FROM ('{first.isoformat()}') TO ('{end.isoformat()}')"
    )


def drop_partition(name: str) -> str:
    """Return the statement that drops one partition."""
    return f"DROP TABLE {name}"
