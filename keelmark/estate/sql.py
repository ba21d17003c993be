"""The estate's only raw SQL: deliveries take turns, tiers of buckets are added up."""

# Two feeds may meet the same new thing at once; who comes second must see what the first wrote.
TAKE_TURN = "SELECT pg_advisory_xact_lock(hashtext('keelmark.estate.delivery'))"
TAKE_TURN_FINDING = "SELECT pg_advisory_xact_lock(hashtext('keelmark.estate.findings'))"

# A moment in whole minutes since 1970, as an expression over it.
MINUTE = "floor(extract(epoch from %(expressions)s) / 60)::bigint"

# Bytes of one tier of a bucket's shares, as an expression over that column.
TIER_BYTES = """(SELECT sum((share ->> 'n_bytes')::bigint)::bigint
FROM jsonb_array_elements(%(expressions)s) share WHERE share ->> 'tier' = '%(tier)s')"""

# Labels of a thing in one text, in order, with spaces between.
LABELS = """(SELECT string_agg(label, ' ' ORDER BY label)
FROM jsonb_array_elements_text(%(expressions)s) label)"""
