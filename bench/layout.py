"""Which layout of readings: rows, partitions of rows, or arrays of a month or an hour.

`python -m bench.layout [n_entities]` fills throw-away tables with the same made-up readings and
prints seconds, sizes and ratios against plain rows.
"""

import sys
import time
from collections.abc import Callable

import psycopg
import psycopg.conninfo

from bench.database import bench_database
from bench.sizes import size

N_ENTITIES = size(10_000, tiny=20)
N_DAYS = 400
N_ASKED = 500
DAILY = {
    "rows": """
        CREATE TABLE {t} (entity_id bigint, day date, used bigint, provisioned bigint,
            capacity bigint, read_at timestamptz, PRIMARY KEY (entity_id, day))""",
    "rows by month": """
        CREATE TABLE {t} (entity_id bigint, day date, used bigint, provisioned bigint,
            capacity bigint, read_at timestamptz, PRIMARY KEY (entity_id, day))
            PARTITION BY RANGE (day)""",
    "arrays of a month": """
        CREATE TABLE {t} (entity_id bigint, month date, used bigint[], provisioned bigint[],
            capacity bigint[], PRIMARY KEY (entity_id, month))""",
}


def main() -> None:
    n_entities = int(sys.argv[1]) if len(sys.argv) > 1 else N_ENTITIES
    with bench_database():
        from django.db import connection as django

        django.ensure_connection()
        settings = django.get_connection_params()
        keys = ("host", "port", "dbname", "user", "password")
        _all(psycopg.conninfo.make_conninfo(**{k: settings[k] for k in keys}), n_entities)


def _all(address: str, n_entities: int) -> None:
    with psycopg.connect(address, autocommit=True) as connection:
        connection.execute("DROP SCHEMA IF EXISTS bench_layout CASCADE")
        connection.execute("CREATE SCHEMA bench_layout")
        connection.execute("SET search_path TO bench_layout")
        try:
            for name in DAILY:
                _measure(connection, name=name, n_entities=n_entities)
            for name in FIVE_MINUTES:
                _measure_steps(connection, name=name, n_entities=n_entities)
        finally:
            connection.execute("DROP SCHEMA bench_layout CASCADE")


_METRICS = ", ".join(f"m{k} real" for k in range(9))
_HOURLY = ", ".join(f"m{k} real[]" for k in range(9))
FIVE_MINUTES = {
    "rows of 5 min": f"""
        CREATE TABLE {{t}} (entity_id bigint, at timestamptz, {_METRICS},
            PRIMARY KEY (entity_id, at))""",
    "arrays of an hour": f"""
        CREATE TABLE {{t}} (entity_id bigint, hour timestamptz, {_HOURLY},
            PRIMARY KEY (entity_id, hour))""",
}


def _measure_steps(connection: psycopg.Connection, *, name: str, n_entities: int) -> None:
    """A day of five-minute means of fewer things, loaded as it comes and as whole days."""
    table = name.replace(" ", "_")
    connection.execute(FIVE_MINUTES[name].format(t=table))
    values = ", ".join("(e + s)::real" for _ in range(9))
    rows = f"""
        SELECT e, '2026-11-22'::timestamptz + s * interval '5 min', {values}
        FROM generate_series(0, 287) s, generate_series(1, {n_entities}) e"""
    if name == "arrays of an hour":
        grouped = ", ".join(f"array_agg(m{k} ORDER BY at)" for k in range(9))
        names = ", ".join(f"m{k}" for k in range(9))
        rows = f"""
            SELECT e, date_trunc('hour', at), {grouped} FROM ({rows}) AS r (e, at, {names})
            GROUP BY 1, 2"""
    whole = _timed(lambda: connection.execute(f"INSERT INTO {table} {rows}"))
    connection.execute(f"VACUUM ANALYZE {table}")
    size = _size(connection, table=table)
    ids = list(range(1, 101))
    read = _timed(
        lambda: connection.execute(
            f"SELECT * FROM {table} WHERE entity_id = ANY(%s)", [ids]
        ).fetchall()
    )
    step = _timed(lambda: _step(connection, name=name, table=table, n_entities=n_entities))
    print(
        f"{name:18} a day {whole:6.1f} s  {size / 1e6:7.0f} MB  one step of all "
        f"{step:5.2f} s  100 series {read * 1e3:6.1f} ms"
    )


def _step(connection: psycopg.Connection, *, name: str, table: str, n_entities: int) -> None:
    everyone = f"FROM generate_series(1, {n_entities}) e"
    if name == "arrays of an hour":
        ones = ", ".join("ARRAY[1::real]" for _ in range(9))
        joined = ", ".join(f"m{k} = {table}.m{k} || excluded.m{k}" for k in range(9))
        connection.execute(f"""
            INSERT INTO {table} SELECT e, '2026-11-22 23:00+00', {ones} {everyone}
            ON CONFLICT (entity_id, hour) DO UPDATE SET {joined}""")
    else:
        ones = ", ".join("1::real" for _ in range(9))
        connection.execute(f"""
            INSERT INTO {table} SELECT e, '2026-11-23 00:00+00', {ones} {everyone}
            ON CONFLICT (entity_id, at) DO UPDATE SET m0 = excluded.m0""")


def _measure(connection: psycopg.Connection, *, name: str, n_entities: int) -> None:
    table = name.replace(" ", "_")
    connection.execute(DAILY[name].format(t=table))
    if name == "rows by month":
        connection.execute(f"""
            DO $$ DECLARE m date; BEGIN
            FOR m IN SELECT generate_series('2025-10-01'::date, '2026-12-01', '1 month') LOOP
              EXECUTE format(
                'CREATE TABLE {table}_%s PARTITION OF {table} FOR VALUES FROM (%L) TO (%L)',
                to_char(m, 'YYYYMM'), m, m + interval '1 month'); END LOOP; END $$""")
    history = _timed(lambda: _fill(connection, name=name, table=table, n_entities=n_entities))
    connection.execute(f"VACUUM ANALYZE {table}")
    size = _size(connection, table=table)
    one_day = _timed(lambda: _day(connection, name=name, table=table, n_entities=n_entities))
    single = _timed(lambda: _series(connection, name=name, table=table, n=1))
    chunk = _timed(lambda: _series(connection, name=name, table=table, n=N_ASKED))
    day_read = _timed(lambda: _read_day(connection, name=name, table=table))
    print(
        f"{name:18} history {history:6.1f} s  {size / 1e6:7.0f} MB  a day in {one_day:5.2f} s  "
        f"one series {single * 1e3:6.1f} ms  {N_ASKED} series {chunk:5.2f} s  "
        f"a day of all {day_read:5.2f} s"
    )


def _size(connection: psycopg.Connection, *, table: str) -> float:
    row = connection.execute(_SIZE, [table]).fetchone()
    return float(row[0]) if row else 0.0


_SIZE = """
SELECT sum(pg_total_relation_size(c.oid)) FROM pg_class c
WHERE c.relnamespace = 'bench_layout'::regnamespace AND c.relname LIKE %s || '%%'
    AND c.relkind = 'r'
"""
_ROWS = """
SELECT e, '2025-10-20'::date + d, e::bigint * 1000000 + d * 4096, e::bigint * 2000000,
    e::bigint * 3000000, now()
FROM generate_series(0, {days} - 1) d, generate_series(1, {n}) e
"""


def _fill(connection: psycopg.Connection, *, name: str, table: str, n_entities: int) -> None:
    rows = _ROWS.format(days=N_DAYS, n=n_entities)
    if name == "arrays of a month":
        connection.execute(f"""
            INSERT INTO {table} SELECT e, date_trunc('month', day)::date, array_agg(u ORDER BY day),
              array_agg(p ORDER BY day), array_agg(c ORDER BY day)
            FROM ({rows}) AS r (e, day, u, p, c, at) GROUP BY 1, 2""")
    else:
        connection.execute(f"INSERT INTO {table} {rows}")


def _day(connection: psycopg.Connection, *, name: str, table: str, n_entities: int) -> None:
    """One more day of the whole estate."""
    if name == "arrays of a month":
        connection.execute(f"""
            INSERT INTO {table} SELECT e, '2026-11-01', ARRAY[1], ARRAY[1], ARRAY[1]
            FROM generate_series(1, {n_entities}) e
            ON CONFLICT (entity_id, month) DO UPDATE SET used = {table}.used || 1,
              provisioned = {table}.provisioned || 1, capacity = {table}.capacity || 1""")
    else:
        connection.execute(f"""
            INSERT INTO {table} SELECT e, '2026-11-24', 1, 1, 1, now()
            FROM generate_series(1, {n_entities}) e
            ON CONFLICT (entity_id, day) DO UPDATE SET used = excluded.used""")


def _series(connection: psycopg.Connection, *, name: str, table: str, n: int) -> None:
    ids = list(range(7, 7 + n * 3, 3))
    columns = "entity_id, month, used, capacity"
    if name != "arrays of a month":
        columns = "entity_id, day, used, capacity"
    with connection.cursor(binary=True) as cursor:
        cursor.execute(f"SELECT {columns} FROM {table} WHERE entity_id = ANY(%s)", [ids])
        cursor.fetchall()


def _read_day(connection: psycopg.Connection, *, name: str, table: str) -> None:
    with connection.cursor(binary=True) as cursor:
        if name == "arrays of a month":
            cursor.execute(f"SELECT entity_id, used[9] FROM {table} WHERE month = '2026-06-01'")
        else:
            cursor.execute(f"SELECT entity_id, used FROM {table} WHERE day = '2026-06-09'")
        cursor.fetchall()


def _timed(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


if __name__ == "__main__":
    main()
