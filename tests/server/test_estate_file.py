import json
from datetime import timedelta

import jsonschema
import msgspec
import pytest

from keelmark.estate.documents import ReadingsDocument, decoder, published_schema, to_line
from keelmark.estate.models import Entity, Pool, Volume
from keelmark.feeds import file_import
from keelmark.feeds.errors import EstateFileError
from keelmark.feeds.estate_file import read_line
from keelmark.feeds.file_import import import_file
from keelmark.feeds.models import Run, RunState
from keelmark.readings.models import DailyReading
from standins.estate_file import history
from tests.conftest import ANCHOR_ON

EVE = ANCHOR_ON - timedelta(days=1)
HEADER = {"doc": "header", "format": "keelmark-estate", "version": 0, "source": "test"}
READ_AT = "2026-11-22T23:59:59+00:00"
ARRAY = {"doc": "array", "uid": "serial.A1", "name": "heron-1", "read_at": READ_AT}
POOL = {
    "doc": "pool", "uid": "uuid.p1", "array_uid": "serial.A1", "name": "swift-1",
    "usable_bytes": 1000, "used_bytes": 400, "read_at": READ_AT,
}  # fmt: skip
READINGS = {
    "doc": "readings", "uid": "uuid.p1", "first_on": "2026-11-20",
    "used_bytes": [100, None, 300], "capacity_bytes": [1000, None, None],
}  # fmt: skip


@pytest.fixture
def write_file(tmp_path):
    def write(*lines, name="estate.ndjson"):
        path = tmp_path / name
        path.write_text("".join((x if isinstance(x, str) else json.dumps(x)) + "\n" for x in lines))
        return path

    return write


@pytest.fixture
def import_it(db):
    def run(path, *, strict=False):
        return import_file(path, is_strict=strict, tell=lambda _: None)

    return run


def test_a_generated_history_is_taken_whole(small_estate, write_file, import_it):
    lines = list(history(small_estate, until=EVE))
    run = import_it(write_file(*lines), strict=True)
    assert run.state == RunState.DONE
    assert run.warnings == []
    n_readings = sum(
        sum(used is not None for used in line["used_bytes"])
        for line in lines
        if line["doc"] == "readings"
    )
    inventory_days = sum(line["doc"] in ("pool", "volume") for line in lines)
    assert DailyReading.objects.count() == n_readings
    assert run.n_readings <= n_readings + inventory_days
    for pool in Pool.objects.all():
        assert pool.used_bytes == sum(pool.volumes.values_list("written_bytes", flat=True))


def test_readings_are_kept_to_the_byte_and_gaps_stay_gaps(write_file, import_it):
    import_it(write_file(HEADER, ARRAY, POOL, READINGS))
    rows = list(DailyReading.objects.values_list("day", "used_bytes", "capacity_bytes"))
    # The pool's own line was read in the same second; what was sent as a reading stands.
    assert [(str(day), used, capacity) for day, used, capacity in rows] == [
        ("2026-11-20", 100, 1000),
        ("2026-11-22", 300, None),
    ]


def test_importing_twice_changes_nothing(write_file, import_it):
    path = write_file(HEADER, ARRAY, POOL, READINGS)
    import_it(path)
    before = list(DailyReading.objects.values_list())
    run = import_it(path)
    assert run.n_readings == 0
    assert run.n_new == run.n_changed == {}
    assert list(DailyReading.objects.values_list()) == before


BAD_LINES = [
    ('{"doc": "pool", "uid"', "not JSON"),
    ({**POOL, "doc": "puddle"}, "Invalid value 'puddle'"),
    ({**POOL, "used_bytes": -1}, "$.used_bytes"),
    ({**POOL, "used_bytes": 2**63}, "$.used_bytes"),
    ({**POOL, "colour": "blue"}, "unknown field `colour`"),
    ({**POOL, "read_at": "yesterday"}, "$.read_at"),
    ({**POOL, "uid": "swift-1"}, "$.uid"),
    ({k: v for k, v in POOL.items() if k != "array_uid"}, "needs array_uid or cluster_uid"),
    (
        {
            "doc": "volume",
            "uid": "uuid.v1",
            "name": "v",
            "read_at": POOL["read_at"],
            "size_bytes": 1,
        },
        "a volume needs pool_uid or array_uid",
    ),
    ({**READINGS, "capacity_bytes": [1]}, "capacity_bytes has 1 days"),
]


@pytest.mark.parametrize(("bad", "told"), BAD_LINES)
def test_a_bad_line_is_told_with_its_number_and_the_good_ones_are_kept(
    write_file, import_it, bad, told
):
    run = import_it(write_file(HEADER, ARRAY, POOL, bad, READINGS))
    assert len(run.warnings) == 1
    assert run.warnings[0].startswith("line 4: ")
    assert told in run.warnings[0]
    assert DailyReading.objects.count() == 2


@pytest.mark.parametrize(("bad", "told"), BAD_LINES)
def test_strictly_one_bad_line_refuses_all(write_file, import_it, bad, told):
    with pytest.raises(EstateFileError, match="nothing written"):
        import_it(write_file(HEADER, ARRAY, POOL, bad, READINGS), strict=True)
    assert not Entity.objects.exists()
    run = Run.objects.get()
    assert run.state == RunState.FAILED
    assert told in run.warnings[0]


@pytest.mark.parametrize(
    ("lines", "told"),
    [
        ([], "empty"),
        ([ARRAY], "no header"),
        ([{**HEADER, "version": 9}], "no header"),
        (["PK\x03\x04"], "no header"),
    ],
    ids=["empty", "headless", "later-version", "another-format"],
)
def test_a_file_that_is_none_is_refused(write_file, import_it, lines, told):
    with pytest.raises(EstateFileError, match=told):
        import_it(write_file(*lines))


def test_an_import_broken_off_goes_on_where_it_ended(
    small_estate, write_file, import_it, monkeypatch
):
    path = write_file(*history(small_estate, until=EVE))
    monkeypatch.setattr(file_import, "BATCH_LINES", 20)

    class PowerCutError(Exception):
        pass

    def cut(run):
        if run.bytes_done > path.stat().st_size // 2:
            raise PowerCutError

    with pytest.raises(PowerCutError):
        import_file(path, is_strict=False, tell=cut)
    half_done = Run.objects.get()
    assert half_done.state == RunState.RUNNING
    n_half = Volume.objects.count()
    run = import_it(path)
    assert run.pk == half_done.pk
    assert run.state == RunState.DONE
    assert n_half < Volume.objects.count()
    assert run.n_new["volume"] == Volume.objects.count()
    assert run.bytes_done == path.stat().st_size


def test_an_old_file_does_not_undo_what_is_younger(write_file, import_it):
    import_it(write_file(HEADER, ARRAY, {**POOL, "used_bytes": 500}))
    old = {**POOL, "used_bytes": 100, "name": "former", "read_at": "2026-11-01T00:00:00+00:00"}
    import_it(write_file(HEADER, old, name="old.ndjson"))
    pool = Pool.objects.select_related("entity").get()
    assert (pool.used_bytes, pool.entity.name) == (500, "swift-1")
    assert DailyReading.objects.count() == 2


def test_the_published_schema_and_the_reader_agree(small_estate):
    schema = jsonschema.Draft202012Validator(published_schema())
    for line in list(history(small_estate, until=EVE))[::40]:
        schema.validate(line)
        decoder.decode(json.dumps(line))
    for bad, _ in BAD_LINES[1:3]:
        assert not schema.is_valid(bad)
        with pytest.raises(msgspec.ValidationError):
            decoder.decode(json.dumps(bad))


def test_the_names_that_fields_had_at_first_are_read_still(tmp_path):
    line = (
        b'{"doc":"readings","uid":"uuid.d","first_on":"2026-11-20","used_bytes":[5],'
        b'"guest_written_bytes": [3],"exclusive_bytes":[2]}'
    )
    document, problem = read_line(line, number=2)
    assert problem == ""
    assert isinstance(document, ReadingsDocument)
    assert (document.inside_bytes, document.unshared_bytes) == ([3], [2])
    assert b"guest_written" not in to_line(document)
