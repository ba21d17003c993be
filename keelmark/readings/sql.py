"""The only raw SQL: bulk ways in and out of the daily readings."""

COLUMNS = "entity_id, day, used_bytes, provisioned_bytes, capacity_bytes, read_at"

COPY_STRAIGHT = f"COPY readings_dailyreading ({COLUMNS}) FROM STDIN (FORMAT BINARY)"
COPY_ASIDE = f"COPY readings_incoming ({COLUMNS}) FROM STDIN (FORMAT BINARY)"
MAKE_ASIDE = """
CREATE TEMPORARY TABLE IF NOT EXISTS readings_incoming
    (LIKE readings_dailyreading) ON COMMIT DELETE ROWS
"""
# The youngest reading of a day stands; the same one again changes nothing.
MERGE_ASIDE = f"""
INSERT INTO readings_dailyreading AS known ({COLUMNS})
SELECT {COLUMNS} FROM readings_incoming
ON CONFLICT (entity_id, day) DO UPDATE SET
    used_bytes = excluded.used_bytes,
    provisioned_bytes = excluded.provisioned_bytes,
    capacity_bytes = excluded.capacity_bytes,
    read_at = excluded.read_at
WHERE excluded.read_at > known.read_at
"""  # noqa: S608  # only a constant is put in
HAS_ANY = """
SELECT EXISTS (
    SELECT 1 FROM readings_dailyreading
    WHERE entity_id = ANY(%s) AND day BETWEEN %s AND %s
)
"""
LOCK_WRITERS = "LOCK TABLE readings_dailyreading IN SHARE ROW EXCLUSIVE MODE"

READ_SERIES = """
SELECT entity_id, (day - %(first_on)s)::int AS column, used_bytes, capacity_bytes
FROM readings_dailyreading
WHERE entity_id = ANY(%(entity_ids)s) AND day BETWEEN %(first_on)s AND %(last_on)s
"""
