"""What the commands lean on: state, ports, leftovers, generated files."""

import json
import os
import socket
import stat
import subprocess
import sys
import time

import pytest

from keelmark.cli import processes
from keelmark.cli.console import CommandError
from keelmark.cli.database import free_port
from keelmark.config.state import PROJECT, fresh_state, load_state, save_state
from keelmark.estate.documents import published_schema


@pytest.fixture
def folder(tmp_path, monkeypatch):
    monkeypatch.setenv("KEEL_STATE", str(tmp_path / "state"))
    return tmp_path / "state"


def listening():
    server = socket.socket()
    server.bind(("127.0.0.1", 0))
    server.listen()
    return server


def test_there_is_no_state_before_the_first_set_up(folder):
    assert load_state() is None


def test_a_state_comes_back_as_it_was_kept_and_only_its_owner_reads_it(folder):
    state = fresh_state(database_port=54_321, database_folder=folder / "pg")
    save_state(state)
    assert load_state() == state
    assert stat.S_IMODE((folder / "state.json").stat().st_mode) == 0o600


def test_every_installation_has_secrets_of_its_own(folder):
    one, two = (fresh_state(database_port=1, database_folder=folder) for _ in range(2))
    for name in ("database_password", "secret_key", "feed_key"):
        assert getattr(one, name) != getattr(two, name)
        assert len(getattr(one, name)) >= 32


def test_a_crash_while_keeping_leaves_the_old_state(folder):
    state = fresh_state(database_port=54_321, database_folder=folder / "pg")
    save_state(state)
    (folder / "state.new").write_text("{half")
    assert load_state() == state
    state.web_port = 8400
    save_state(state)
    assert load_state() == state


def test_a_taken_port_is_passed_over():
    with listening() as server:
        taken = server.getsockname()[1]
        assert free_port(first=taken, last=taken + 20) > taken


def test_no_free_port_is_told():
    with listening() as server:
        taken = server.getsockname()[1]
        with pytest.raises(CommandError, match=f"No free port from {taken}"):
            free_port(first=taken, last=taken)


def sleeper(mark):
    environment = {**os.environ, **({processes.MARK: mark} if mark else {})}
    return subprocess.Popen([sys.executable, "-c", "import time; time.sleep(60)"], env=environment)


def test_stopping_ends_what_carries_our_mark_and_nothing_else(folder):
    ours, foreign, unmarked = sleeper(str(folder)), sleeper("/elsewhere"), sleeper("")
    try:
        until = time.monotonic() + 5
        while ours.pid not in processes._ours() and time.monotonic() < until:
            time.sleep(0.02)
        assert processes._ours() == [ours.pid]
        processes.stop_processes()
        assert ours.wait(5) != 0
        assert foreign.poll() is None
        assert unmarked.poll() is None
    finally:
        for process in (ours, foreign, unmarked):
            process.kill()
            process.wait()


def test_the_supervisors_configuration_quotes_what_it_must(folder):
    told = processes._config({"web": ["/a b/python", "-c", "100%"]}, folder=folder)
    assert 'command="/a b/python" "-c" "100%%"' in told
    assert "autorestart=true" in told


def test_the_published_schema_is_the_one_in_the_docs():
    kept = json.loads((PROJECT / "docs/estate-file-v1.schema.json").read_text())
    assert kept == json.loads(json.dumps(published_schema()))


def test_the_api_description_says_which_version_it_is_and_describes_refusals():
    told = json.loads((PROJECT / "docs/openapi.json").read_text())
    assert told["openapi"].startswith("3.1")
    refused = told["paths"]["/api/v1/placements"]["post"]["responses"]["400"]
    assert refused["content"]["application/json"]["schema"]["$ref"].endswith("/Problem")


@pytest.mark.parametrize(
    ("arguments", "told"),
    [
        (["demo", "--size", "vast"], "No size vast"),
        (["database", "wobble"], "neither start nor stop"),
        (["import", "nowhere.ndjson"], "does not exist"),
        (["collect", "http://127.0.0.1:1"], "the connection is refused"),
        (["forecast", "x.csv", "--mark", "0"], "greater than or equal to 1"),
    ],
)
def test_a_command_that_cannot_says_why_and_fails(folder, arguments, told):
    done = subprocess.run(
        [sys.executable, "-m", "keelmark.cli", *arguments],
        capture_output=True, text=True, cwd=PROJECT, check=False, env=os.environ.copy(),
    )  # fmt: skip
    assert done.returncode == 2
    assert told in " ".join(done.stderr.split())
    assert "Traceback" not in done.stderr
