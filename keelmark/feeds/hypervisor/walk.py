"""Collects a cluster's hosts; one that does not answer leaves the others their say."""

import importlib.util
import json
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from pathlib import Path, PurePosixPath
from urllib.parse import urlsplit

from keelmark.feeds.addresses import with_user
from keelmark.feeds.errors import AnswerError, MissingPackageError, UnreachableError
from keelmark.feeds.far_end import Collection, FarEnd, Progress
from keelmark.feeds.hypervisor.facts import ClusterFacts, Raw

MAX_CONCURRENT = 4
PROJECT = Path(__file__).parents[3]
READER = "keelmark.feeds.hypervisor.host_reader"


def collect_hosts(far_end: FarEnd, progress: Progress) -> Collection:
    """Return everything of the hosts that answer; raise only where none does.

    Options: ``cluster`` and ``site``, which the protocol does not know.
    """
    if importlib.util.find_spec("libvirt") is None:
        raise MissingPackageError(protocol="libvirt", package="libvirt-python")
    facts = ClusterFacts(
        cluster=str(far_end.options.get("cluster") or host_name(far_end.address)),
        site=far_end.options.get("site"),
        read_at=datetime.now(UTC),
    )
    answers: dict[str, Raw | str] = {}
    with ThreadPoolExecutor(MAX_CONCURRENT) as pool:
        reads = {a: pool.submit(_read, a, far_end=far_end) for a in far_end.addresses}
        for address, read in reads.items():
            progress(f"host {host_name(address)}", len(answers))
            answers[address] = read.result()
    failed = {a: told for a, told in answers.items() if isinstance(told, str)}
    if len(failed) == len(answers):
        first = far_end.address
        raise UnreachableError(url=first, why=failed[first].rstrip("."))
    for address, told in answers.items():
        if isinstance(told, str):
            facts.warnings.append(
                f"Host {host_name(address)} left out, its last good state stands: {told}"
            )
        else:
            facts.add_host(host_name(address), raw=told)
    progress("done", len(answers))
    documents = facts.documents(is_whole=not failed)
    return Collection(documents=documents, warnings=facts.warnings)


def host_name(address: str) -> str:
    """Return the name of the host that an address leads to."""
    parts = urlsplit(address)
    return parts.hostname or PurePosixPath(parts.path).stem


def _read(address: str, *, far_end: FarEnd) -> Raw | str:
    """Return what a host tells, or in words why not."""
    uri = with_user(address, user=far_end.user)
    request = {"uri": uri, "user": far_end.user, "password": far_end.password}
    try:
        done = subprocess.run(  # noqa: S603  # our own module
            [sys.executable, "-m", READER],
            input=json.dumps(request),
            capture_output=True,
            text=True,
            timeout=far_end.timeout_seconds,
            check=False,
            cwd=PROJECT,
        )
    except subprocess.TimeoutExpired:
        return f"no answer within {far_end.timeout_seconds:g} s"
    if done.returncode != 0:
        return f"the reader ended with {done.returncode}"
    try:
        told: Raw = json.loads(done.stdout)
    except ValueError as exc:
        raise AnswerError(url=address, why="it is cut off") from exc
    return _without_folder(str(told["error"]), address=address) if "error" in told else told


def _without_folder(told: str, *, address: str) -> str:
    """Leave the name of a file: in which folder it lies is the address's to say."""
    folder = f"{PurePosixPath(urlsplit(address).path).parent}/"
    return told if folder == "//" else told.replace(folder, "")
