"""From an empty folder to the first date: `keel serve`, one table, and what ends first.

    python -m bench.first_date

Eight pools × 300 days in one CSV, sent, looked over and brought in as a browser does it. Budget:
the first date a minute after the table was dropped.
"""

import os
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx
import numpy as np

from keelmark.cli.database import free_port, stop_database
from keelmark.config.state import PROJECT

N_POOLS, N_DAYS = 8, 300
PACE = 0.012  # TiB a day
NAME, PASSWORD = "keeper", "first-tide-of-all"  # gone with its folder
SECONDS_AT_MOST = 180


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        Path(folder).chmod(0o755)  # the service's user enters it too
        os.environ["KEEL_STATE"] = folder
        port = free_port(first=8500, last=8599)
        environment = {
            **os.environ,
            "KEEL_FIRST_PERSON": NAME,
            "KEEL_FIRST_PASSWORD": PASSWORD,
        }
        begun = time.perf_counter()
        log = Path(folder, "serve.log")
        with log.open("w") as file:
            serving = subprocess.Popen(  # noqa: S603  # our own command
                [sys.executable, "-m", "keelmark.cli", "serve", "--port", str(port)],
                cwd=PROJECT, env=environment, stdin=subprocess.DEVNULL, stdout=file, stderr=file,
            )  # fmt: skip
        try:
            _measure(f"http://127.0.0.1:{port}", serving=serving, begun=begun)
        except Exception:
            print(log.read_text()[-3000:])
            raise
        finally:
            serving.send_signal(signal.SIGINT)
            serving.wait(30)
            stop_database()  # of the folder, as KEEL_STATE says


def _measure(url: str, *, serving: "subprocess.Popen[bytes]", begun: float) -> None:
    with httpx.Client(base_url=url, trust_env=False, timeout=30) as client:

        def answers() -> bool:
            if serving.poll() is not None:
                raise RuntimeError(f"keel serve ended with {serving.returncode}")
            try:
                return client.get("/api/v1/session").status_code < httpx.codes.BAD_REQUEST
            except httpx.TransportError:
                return False

        _until(answers)
        print(f"serve answers {time.perf_counter() - begun:.1f} s after an empty folder")
        _send(client, "POST", "/session", name=NAME, password=PASSWORD)
        dropped = time.perf_counter()

        def told(what: str) -> None:
            print(f"  {time.perf_counter() - dropped:5.1f} s: {what}")

        answer = client.post(
            "/api/v1/sheets", files={"file": ("pools.csv", table())}, headers=_token(client)
        )
        sheet = answer.raise_for_status().json()
        told("looked over")
        path, mapping = f"/sheets/{sheet['key']}", sheet["mapping"]
        checked = _send(client, "POST", f"{path}/check", **mapping)
        told(f"{checked['n_good']:,} rows are good, {checked['n_problems']} bad")
        run = _send(client, "POST", f"{path}/import", mapping=mapping)

        def is_in() -> bool:
            seen = client.get(f"/api/v1/runs/{run['id']}").raise_for_status().json()
            if seen["state"] == "failed":
                raise RuntimeError(str(seen))
            return bool(seen["state"] == "done")

        _until(is_in)
        told("brought in")
        _until(lambda: bool(_dates(client)))
        first = _dates(client)[0]
        told(f"first date: {first['name']} is full on {first['limit']['likely_on']}")
        _until(lambda: len(_dates(client)) == N_POOLS - 1)  # one does not grow
        told(f"all {N_POOLS - 1} dates")


def table() -> bytes:
    """Pools that grow at paces of their own, but one that stays, up to yesterday."""
    rng, today = np.random.default_rng(8), datetime.now(UTC).date()
    lines = ["Pool,Array,Day,Used (TiB),Size (TiB),Class"]
    for day in range(N_DAYS):
        on = today - timedelta(days=N_DAYS - day)
        for pool in range(N_POOLS):
            used = 50 + (PACE * (3 + pool) * day + rng.normal(0, 0.05) if pool else 0)
            lines.append(f"swift-{pool},tern-{pool % 2},{on},{used:.3f},100,Swift")
    return "\n".join(lines).encode()


def _dates(client: httpx.Client) -> list[dict[str, Any]]:
    pools = client.get("/api/v1/pools").raise_for_status().json()["results"]
    return [pool for pool in pools if pool["limit"] and pool["limit"]["likely_on"]]


def _token(client: httpx.Client) -> dict[str, str]:
    token = next((c.value for c in client.cookies.jar if c.name.endswith("csrftoken")), None)
    return {"X-CSRFToken": token or ""}


def _send(client: httpx.Client, method: str, path: str, **body: Any) -> dict[str, Any]:
    answer = client.request(method, f"/api/v1{path}", json=body, headers=_token(client))
    if answer.is_error:
        raise RuntimeError(f"{path}: {answer.status_code} {answer.text[:500]}")
    told: dict[str, Any] = answer.json() if answer.content else {}
    return told


def _until(is_so: Callable[[], bool]) -> None:
    until = time.perf_counter() + SECONDS_AT_MOST
    while not is_so():
        if time.perf_counter() > until:
            raise TimeoutError
        time.sleep(0.25)


if __name__ == "__main__":
    main()
