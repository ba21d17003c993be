"""The project's own PostgreSQL: made, started and stopped without touching any other."""

import hashlib
import os
import shutil
import socket
import subprocess
import tempfile
from collections.abc import Sequence
from pathlib import Path

import psycopg
from psycopg import sql

from keelmark.cli.console import CommandError, err, step
from keelmark.config.state import State, fresh_state, load_state, save_state, state_folder

ADMIN = "keel_admin"
FIRST_PORT = 54_400
LAST_PORT = 54_499
SYSTEM_USER = "postgres"


def ensure_database(*, name: str | None = None, template: str | None = None) -> State:
    """Return the state with the database running and present; safe to call again.

    What is not there yet is made empty, or as a copy of a template.
    """
    state = load_state()
    if state is None or not (Path(state.database_folder) / "PG_VERSION").exists():
        with step("database cluster"):
            state = _make_cluster(state)
    if not _is_running(state):
        state = _with_free_port(state)
        with step(f"PostgreSQL on 127.0.0.1:{state.database_port}"):
            _start(state)
    _ensure_role_and_database(state, name=name or state.database_name, template=template)
    return state


def stop_database() -> bool:
    """Stop the server if it runs; return whether it did."""
    state = load_state()
    if state is None or not _is_running(state):
        return False
    _as_owner(["pg_ctl", "-D", state.database_folder, "-m", "fast", "-w", "stop"])
    return True


def free_port(*, first: int, last: int) -> int:
    """Return the first port of a range on which nobody listens on loopback."""
    for port in range(first, last + 1):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return port
    raise CommandError(f"No free port from {first} to {last} on loopback.")


def _make_cluster(state: State | None) -> State:
    """Make the cluster beside its place and move it there, so that half a one never counts."""
    folder = _cluster_folder()
    if state is None:
        port = free_port(first=FIRST_PORT, last=LAST_PORT)
        state = fresh_state(database_port=port, database_folder=folder)
    state.database_folder = str(folder)
    state.demo_anchor = state.demo_size = None
    half_made = folder.with_name("pg.new")
    for leftover in (half_made, folder):
        shutil.rmtree(leftover, ignore_errors=True)
    half_made.mkdir(parents=True, mode=0o700)
    _give_to_owner(half_made)
    with tempfile.NamedTemporaryFile("w", prefix="keel-", suffix=".pw") as password:
        password.write(state.database_password)
        password.flush()
        _give_to_owner(Path(password.name))
        _as_owner(
            ["initdb", "-D", str(half_made), "-U", ADMIN, "--auth=scram-sha-256",
             f"--pwfile={password.name}", "-E", "UTF8", "--locale=C.UTF-8"]
        )  # fmt: skip
    half_made.rename(folder)
    save_state(state)
    return state


def _cluster_folder() -> Path:
    """In the project's own data folder, or beside it where PostgreSQL's user cannot reach."""
    folder = state_folder() / "pg"
    if os.geteuid() != 0:
        return folder
    state_folder().mkdir(parents=True, exist_ok=True)
    reach = _run(["runuser", "-u", SYSTEM_USER, "--", "test", "-x", str(state_folder())])
    if reach.returncode == 0:
        return folder
    digest = hashlib.sha256(str(state_folder().resolve()).encode()).hexdigest()[:12]
    beside = Path("/var/tmp") / f"keelmark-{digest}" / "pg"  # noqa: S108  # its folder is closed to others
    err.print(
        f"\n  {state_folder()} cannot be entered by the user {SYSTEM_USER}: "
        f"the database lies in {beside}"
    )
    beside.parent.mkdir(parents=True, exist_ok=True)
    return beside


def _with_free_port(state: State) -> State:
    port = free_port(first=state.database_port, last=LAST_PORT)
    if port != state.database_port:
        err.print(f"  Port {state.database_port} is taken: the database moves to {port}.")
        state.database_port = port
        save_state(state)
    return state


def _start(state: State) -> None:
    options = f"-p {state.database_port} -c listen_addresses=127.0.0.1 -c unix_socket_directories="
    log = Path(state.database_folder).with_name("postgres.log")
    log.touch()
    _give_to_owner(log)
    _as_owner(
        ["pg_ctl", "-D", state.database_folder, "-w", "-t", "60", "-l", str(log), "-o", options,
         "start"]
    )  # fmt: skip


def _is_running(state: State) -> bool:
    status = _run(_owner_command(["pg_ctl", "-D", state.database_folder, "status"]))
    if status.returncode != 0:
        return False
    postmaster = Path(state.database_folder) / "postmaster.pid"
    try:
        return int(postmaster.read_text().splitlines()[3]) == state.database_port
    except (OSError, IndexError, ValueError):
        return False


def _ensure_role_and_database(state: State, *, name: str, template: str | None) -> None:
    with psycopg.connect(
        host="127.0.0.1", port=state.database_port, user=ADMIN, dbname="postgres",
        password=state.database_password, autocommit=True,
    ) as connection:  # fmt: skip
        role = sql.Identifier(state.database_user)
        known = connection.execute(
            "SELECT 1 FROM pg_roles WHERE rolname = %s", [state.database_user]
        ).fetchone()
        verb = sql.SQL("ALTER" if known else "CREATE")
        connection.execute(
            sql.SQL("{} ROLE {} LOGIN CREATEDB PASSWORD {}").format(
                verb, role, sql.Literal(state.database_password)
            )
        )
        if not connection.execute(
            "SELECT 1 FROM pg_database WHERE datname = %s", [name]
        ).fetchone():
            connection.execute(
                sql.SQL("CREATE DATABASE {} OWNER {} TEMPLATE {}").format(
                    sql.Identifier(name), role, sql.Identifier(template or "template1")
                )
            )


def drop_database(*, name: str) -> None:
    """Drop a database of the running cluster, throwing out who is in it."""
    state = load_state()
    if state is None:
        return
    with psycopg.connect(
        host="127.0.0.1", port=state.database_port, user=ADMIN, dbname="postgres",
        password=state.database_password, autocommit=True,
    ) as connection:  # fmt: skip
        connection.execute(
            sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)").format(sql.Identifier(name))
        )


def _binary(name: str) -> str:
    found = sorted(
        Path("/usr/lib/postgresql").glob(f"*/bin/{name}"),
        key=lambda path: int(path.parts[-3]),
    )
    if not found:
        raise CommandError("PostgreSQL is not installed: apt-get install postgresql")
    return str(found[-1])


def _owner_command(command: Sequence[str]) -> list[str]:
    full = [_binary(command[0]), *command[1:]]
    return ["runuser", "-u", SYSTEM_USER, "--", *full] if os.geteuid() == 0 else full


def _as_owner(command: Sequence[str]) -> None:
    done = _run(_owner_command(command))
    if done.returncode != 0:
        raise CommandError(f"{command[0]} failed: {(done.stderr or done.stdout).strip()[-800:]}")


def _run(command: list[str]) -> subprocess.CompletedProcess[str]:
    """Run without a shell and without our standard streams, which a server would keep open."""
    with tempfile.TemporaryFile("w+") as told:
        done = subprocess.run(  # noqa: S603  # fixed programs, our own arguments
            command, stdin=subprocess.DEVNULL, stdout=told, stderr=told, check=False, cwd="/"
        )
        told.seek(0)
        return subprocess.CompletedProcess(command, done.returncode, told.read(), "")


def _give_to_owner(path: Path) -> None:
    if os.geteuid() == 0:
        shutil.chown(path, user=SYSTEM_USER)
