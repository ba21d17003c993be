"""The processes of a running installation, kept alive by supervisord."""

import hashlib
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from keelmark.cli.console import CommandError
from keelmark.cli.folders import hosts_folder, inbox_folder, set_limits_file
from keelmark.config.state import PROJECT, State, as_service, give_to_service, state_folder

MARK = "KEEL_STACK"  # in the environment of all that we start, so that we end only that
WAIT_SECONDS = 15.0
WEB_WORKERS = 2
N_WORKERS = min(2, os.cpu_count() or 1)


def start_processes(state: State, *, standins: bool) -> None:
    """Start web server and worker, and the stand-ins if wanted; end leftovers first."""
    stop_processes()
    folder = prepare_folders()
    programs = {
        "web": _web_command(state),
        "worker": [sys.executable, "-m", "keelmark.cli", "work"],
    }
    if standins:
        programs["standins"] = standins_command(state)
    _config_path().write_text(_config(programs, folder=folder), encoding="utf-8")
    done = subprocess.run(  # noqa: S603  # our own virtual environment's program
        as_service([_tool("supervisord"), "-c", str(_config_path())]),
        env=service_environment(is_demo=standins),
        capture_output=True,
        text=True,
        cwd=PROJECT,
        check=False,
    )
    if done.returncode != 0:
        raise CommandError(f"The processes do not start: {(done.stderr or done.stdout)[-800:]}")


def run_in_foreground(state: State) -> None:
    """Replace this process by web server and worker, until it is interrupted."""
    stop_processes()
    folder = prepare_folders()
    programs = {
        "web": _web_command(state),
        "worker": [sys.executable, "-m", "keelmark.cli", "work"],
    }
    _config_path().write_text(_config(programs, folder=folder), encoding="utf-8")
    replace_by_service([_tool("supervisord"), "--nodaemon", "-c", str(_config_path())])


def replace_by_service(command: list[str]) -> None:
    """Replace this process by a command of the service, as its user."""
    told = as_service(command)
    path = shutil.which(told[0]) or told[0]
    os.chdir(PROJECT)
    os.execve(path, told, service_environment(is_demo=False))  # noqa: S606  # no shell wanted


def prepare_folders() -> Path:
    """Make the folders that the processes write to, theirs; return that of their logs."""
    for name in ("run", "inbox", "demo", "demo/hosts", "home"):
        (state_folder() / name).mkdir(parents=True, exist_ok=True)
    sheets = state_folder() / "sheets"
    sheets.mkdir(mode=0o700, exist_ok=True)
    written = [state_folder() / name for name in ("run", "inbox", "demo", "home")]
    give_to_service(state_folder() / "state.json", sheets, *sheets.iterdir())
    for folder in written:
        give_to_service(folder, *folder.rglob("*"))
    return state_folder() / "run"


def service_environment(*, is_demo: bool) -> dict[str, str]:
    """Return the environment of the processes, with a home that their user may enter."""
    return {
        **os.environ,
        **_demo_reach(is_demo=is_demo),
        MARK: str(state_folder()),
        "KEEL_STATE": str(state_folder()),
        "HOME": str(state_folder() / "home"),
    }


def _demo_reach(*, is_demo: bool) -> dict[str, str]:
    """What only the demo's feeds may reach: loopback, and hosts that are files."""
    if not is_demo:
        return {}
    return {
        "KEEL_FEED_NETWORKS": "127.0.0.0/8,::1/128",
        "KEEL_FEED_TEST_FILES": str(hosts_folder()),
    }


def stop_processes() -> int:
    """End what carries our mark and nothing else; return how many processes that were."""
    ours = _ours()
    for pid in ours:
        _signal(pid, signal.SIGTERM)
    until = time.monotonic() + WAIT_SECONDS
    while (left := _ours()) and time.monotonic() < until:
        time.sleep(0.1)
    for pid in left:
        _signal(pid, signal.SIGKILL)
    _socket_path().unlink(missing_ok=True)
    return len(ours)


def standins_command(state: State) -> list[str]:
    """Return the command of the stand-ins for this state's demo."""
    return [
        sys.executable, "-m", "standins", "serve", "--size", state.demo_size or "demo",
        "--anchor", str(state.demo_anchor), "--port", str(state.standins_port),
        "--out", str(hosts_folder()), "--told", str(inbox_folder() / "records"),
        "--kept", str(set_limits_file()),
    ]  # fmt: skip


def _web_command(state: State) -> list[str]:
    return [
        sys.executable, "-m", "uvicorn", "keelmark.config.asgi:application", "--host",
        "127.0.0.1", "--port", str(state.web_port), "--workers", str(WEB_WORKERS),
        "--log-level", "warning", "--no-server-header", "--lifespan", "off",
        "--http", "keelmark.config.server:PatientProtocol", "--timeout-keep-alive", "30",
        "--limit-concurrency", "400", "--no-proxy-headers", "--ws", "none",
        "--timeout-graceful-shutdown", "3",  # who listens for events would never hang up
    ]  # fmt: skip


def _config(programs: dict[str, list[str]], *, folder: Path) -> str:
    parts = [
        "[supervisord]",
        f"logfile={folder / 'supervisord.log'}",
        f"pidfile={folder / 'supervisord.pid'}",
        "logfile_maxbytes=5MB",
        "[unix_http_server]",
        f"file={_socket_path()}",
        "chmod=0700",
        "[rpcinterface:supervisor]",
        "supervisor.rpcinterface_factory=supervisor.rpcinterface:make_main_rpcinterface",
    ]
    for name, command in programs.items():
        quoted = " ".join(f'"{part}"' for part in command)
        parts += [
            f"[program:{name}]",
            f"command={quoted}".replace("%", "%%"),
            f"directory={PROJECT}",
            f"stdout_logfile={folder / name}.log",
            "redirect_stderr=true",
            "stdout_logfile_maxbytes=5MB",
            "autorestart=true",
            "startsecs=1",
            "startretries=1000",
            "stopasgroup=true",
            "killasgroup=true",
            "stopwaitsecs=8",
        ]
        if name == "worker":
            parts += [f"numprocs={N_WORKERS}", "process_name=worker-%(process_num)d"]
    return "\n".join(parts) + "\n"


def _config_path() -> Path:
    return state_folder() / "run" / "supervisord.conf"


def _socket_path() -> Path:
    """Outside the project: a socket's path may have 107 characters only."""
    digest = hashlib.sha256(str(state_folder()).encode()).hexdigest()[:12]
    return Path(tempfile.gettempdir()) / f"keel-{os.geteuid()}-{digest}.sock"


def _tool(name: str) -> str:
    return str(Path(sys.executable).with_name(name))


def _ours() -> list[int]:
    wanted = f"{MARK}={state_folder()}".encode()
    found = []
    for folder in Path("/proc").iterdir():
        if not folder.name.isdigit() or int(folder.name) == os.getpid():
            continue
        try:
            environment = (folder / "environ").read_bytes()
            is_zombie = ") Z " in (folder / "stat").read_text()
        except OSError:
            continue
        if wanted in environment.split(b"\0") and not is_zombie:
            found.append(int(folder.name))
    return found


def _signal(pid: int, number: int) -> None:
    try:
        os.kill(pid, number)
    except ProcessLookupError:
        return
