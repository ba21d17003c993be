"""The estate's only raw SQL: deliveries are written one after the other."""

# Two feeds may meet the same new thing at once; who comes second must see what the first wrote.
TAKE_TURN = "SELECT pg_advisory_xact_lock(hashtext('keelmark.estate.delivery'))"
TAKE_TURN_FINDING = "SELECT pg_advisory_xact_lock(hashtext('keelmark.estate.findings'))"
