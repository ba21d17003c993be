"""From a click to painted rows: the list of all VMs in a browser, on what bench.large kept.

    python -m bench.large 1 8 keep && python -m bench.painting

Serves the kept estate on loopback, signs in with headless Chromium and takes the time, by the
browser's own clock, from each click to the frame in which other rows are drawn. Also prints how
much script the first route loads, beside its budget.
"""

import gzip
import os
import re
import secrets
import subprocess
import sys
import time

import httpx
from playwright.sync_api import Page, sync_playwright

from bench.database import DATABASE, bench_database
from bench.sizes import size

ROUNDS = size(10, tiny=1)
CHROMIUM = "/usr/bin/chromium"
FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
]  # fmt: skip
BUDGET_KB, BUDGET_MS = 180, 100
WAIT_SECONDS = 60.0
# Resolves with the milliseconds from a click to the frame after the rows are others; rows that
# are in that order already are given up after five seconds.
CLICK = """([selector, at]) => new Promise((done) => {
  const rows = () => [...document.querySelectorAll('[data-row] a')].map((a) => a.href).join();
  const before = rows();
  const begun = performance.now();
  const look = () => (rows() === before && performance.now() < begun + 5000
    ? requestAnimationFrame(look)
    : requestAnimationFrame(() => done(performance.now() - begun)));
  document.querySelectorAll(selector)[at].click();
  requestAnimationFrame(look);
})"""
SCROLL = """(to) => new Promise((done) => {
  const box = document.querySelector('[data-place^="table "]');
  const rows = () => document.querySelector('[data-row] a')?.href;
  const before = rows();
  const begun = performance.now();
  const look = () => (rows() === before && performance.now() < begun + 5000
    ? requestAnimationFrame(look)
    : requestAnimationFrame(() => done(performance.now() - begun)));
  box.scrollTop = to;
  requestAnimationFrame(look);
})"""


def main() -> None:
    with bench_database(is_kept=True, is_fresh=False):
        from keelmark.access.clock import now
        from keelmark.access.models import Role
        from keelmark.access.services.people import ensure_person
        from keelmark.bearings.packs.building import build_revision
        from keelmark.cli.database import free_port

        password = secrets.token_urlsafe()
        ensure_person(name="painter", password=password, role=Role.PLANNER)
        build_revision(now=now())
        port = free_port(first=8450, last=8499)
        server = subprocess.Popen(  # noqa: S603  # our own server
            [sys.executable, "-m", "uvicorn", "keelmark.config.asgi:application", "--host",
             "127.0.0.1", "--port", str(port), "--log-level", "error"],
            env={**os.environ, "KEEL_DATABASE": DATABASE},
        )  # fmt: skip
        try:
            url = f"http://127.0.0.1:{port}"
            _wait(f"{url}/api/v1/session")
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
                page = browser.new_page(base_url=url, viewport={"width": 1280, "height": 800})
                _first_route(page)
                _sign_in(page, password=password)
                _list(page)
                browser.close()
        finally:
            server.terminate()
            server.wait()


def _wait(url: str) -> None:
    until = time.monotonic() + WAIT_SECONDS
    while time.monotonic() < until:
        try:
            if httpx.get(url, trust_env=False).is_success:
                return
        except httpx.HTTPError:
            pass
        time.sleep(0.1)
    sys.exit("the server does not answer")


def _first_route(page: Page) -> None:
    held: dict[str, int] = {}

    def weigh(told: object) -> None:
        url = told.url  # type: ignore[attr-defined]  # Playwright's
        if re.search(r"\.js($|\?)", url):
            held[url] = len(gzip.compress(told.body()))  # type: ignore[attr-defined]

    page.on("response", weigh)
    page.goto("/")
    page.wait_for_load_state("networkidle")
    page.remove_listener("response", weigh)
    kib = sum(held.values()) / 1000
    print(f"script of the first route: {kib:.0f} kB gzip in {len(held)} files (budget {BUDGET_KB})")


def _sign_in(page: Page, *, password: str) -> None:
    page.get_by_label("Name").fill("painter")
    page.get_by_label("Password").fill(password)
    page.keyboard.press("Enter")
    page.get_by_role("navigation").first.wait_for()


def _list(page: Page) -> None:
    page.goto("/estate?view=list&kind=vm")
    page.locator("[data-row='5']").wait_for()
    told = page.get_by_role("table").first.get_attribute("aria-rowcount")
    print(f"the list has {int(told or 1) - 1:,} VMs")
    heads = "[role=columnheader] button"  # of the name first: by it no two are alike
    _told("sorted by a column", [page.evaluate(CLICK, [heads, 0]) for _ in range(ROUNDS)])
    _told("scrolled by 400 px", [page.evaluate(SCROLL, 400 * (at + 1)) for at in range(ROUNDS)])


def _told(name: str, took: list[float]) -> None:
    rest = sorted(took[1:]) or took
    print(
        f"{name}: painted after {took[0]:.0f} ms at first, then {rest[len(rest) // 2]:.0f} at the "
        f"median, {rest[-1]:.0f} at most (a filter is to show in {BUDGET_MS})"
    )


if __name__ == "__main__":
    main()
