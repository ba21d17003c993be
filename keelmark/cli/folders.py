"""Folders of an installation beside its database."""

from pathlib import Path

from keelmark.config.state import state_folder


def hosts_folder() -> Path:
    """Return where the demo's hosts stand as files for libvirt's own test driver."""
    return Path(state_folder()) / "demo" / "hosts"


def inbox_folder() -> Path:
    """Return the folder in which folders of feeds lie."""
    return Path(state_folder()) / "inbox"


def set_limits_file() -> Path:
    """Return the file in which the demo's arrays remember what was set on them."""
    return Path(state_folder()) / "demo" / "limits.json"
