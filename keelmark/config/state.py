"""Where this installation keeps its state: folder, database address, secrets."""

import json
import os
import secrets
import shutil
from dataclasses import asdict, dataclass
from pathlib import Path

from cryptography.fernet import Fernet

PROJECT = Path(__file__).resolve().parents[2]


@dataclass(slots=True, kw_only=True)
class State:
    """What must be the same at the next start; kept in ``state.json``, readable by its owner."""

    database_port: int
    database_password: str
    secret_key: str
    feed_key: str
    database_folder: str
    database_name: str = "keelmark"
    database_user: str = "keelmark"
    demo_anchor: str | None = None
    demo_size: str | None = None
    web_port: int | None = None
    standins_port: int | None = None


SERVICE_USER = "keelmark"  # whom web, workers and stand-ins run as when root starts them


def give_to_service(*paths: Path) -> None:
    """Have the service's user own files and folders, where root works for it."""
    if os.geteuid() != 0:
        return
    for path in paths:
        if path.exists():
            shutil.chown(path, user=SERVICE_USER, group=SERVICE_USER)


def as_service(command: list[str]) -> list[str]:
    """Return the command as the service's user runs it: root hands over, anybody else is it.

    The command takes the place of the one that hands over, so that signals reach it.
    """
    if os.geteuid() != 0:
        return command
    user = ["--reuid", SERVICE_USER, "--regid", SERVICE_USER, "--init-groups"]
    return ["setpriv", *user, "--", *command]


def state_folder() -> Path:
    """Return the folder of the state, `.keel` in the project unless KEEL_STATE says otherwise."""
    return Path(os.environ.get("KEEL_STATE", PROJECT / ".keel"))


def load_state() -> State | None:
    """Return the kept state, or None before the first set-up."""
    path = state_folder() / "state.json"
    if not path.exists():
        return None
    return State(**json.loads(path.read_text(encoding="utf-8")))


def save_state(state: State) -> None:
    """Keep the state: written beside and renamed, so that a crash leaves the old one."""
    folder = state_folder()
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / "state.json"
    beside = path.with_suffix(".new")
    beside.touch(mode=0o600)
    beside.write_text(json.dumps(asdict(state), indent=1), encoding="utf-8")
    give_to_service(beside)
    beside.replace(path)


def fresh_state(*, database_port: int, database_folder: Path) -> State:
    """Return a state with new secrets."""
    return State(
        database_port=database_port,
        database_folder=str(database_folder),
        database_password=secrets.token_urlsafe(24),
        secret_key=secrets.token_urlsafe(48),
        feed_key=Fernet.generate_key().decode(),
    )
