"""The real stack: `keel demo` with a state of its own, a browser in front of it."""

import json
import math
import os
import re
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import httpx
import pytest
from playwright.sync_api import Browser, ConsoleMessage, Page, expect
from playwright.sync_api import Error as PlaywrightError

from keelmark.config.state import PROJECT
from tests.browser.pages.sign_in import SignInPage

CHROMIUM = "/usr/bin/chromium"
FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
]  # fmt: skip
expect.set_options(timeout=15_000)  # a busy machine is slow, not wrong
BESIDE_A_LOOP = "DJANGO_ALLOW_ASYNC_UNSAFE"
RECOVERY_SECONDS, CALLS_IN_A_ROW = 90.0, 20
CALM_MINUTES = 20
KEPT_SECONDS = 240.0  # a password counts for longer where it is asked for again
OF_REFUSALS = ("Failed to load resource", "Not found: /")


@dataclass(frozen=True)
class Stack:
    url: str
    folder: Path

    @property
    def state(self) -> dict[str, Any]:
        kept: dict[str, Any] = json.loads((self.folder / "state.json").read_text())
        return kept

    def keel(self, *arguments: str) -> str:
        own = {name: told for name, told in os.environ.items() if name != BESIDE_A_LOOP}
        done = subprocess.run(
            [sys.executable, "-m", "keelmark.cli", *arguments],
            env={**own, "KEEL_STATE": str(self.folder), "KEEL_STALLED_SECONDS": "30"},
            capture_output=True, text=True, cwd=PROJECT, check=False,
        )  # fmt: skip
        assert done.returncode == 0, done.stdout + done.stderr
        return done.stdout

    def tell_array(self, index: int, *, what: str, **body: object) -> None:
        port = self.state["standins_port"] + index
        url = f"http://127.0.0.1:{port}/standin/{what}"
        httpx.post(url, json=body, trust_env=False).raise_for_status()

    def wait_until_it_answers(self, somebody: Page) -> None:
        """Wait until many calls in a row are answered: each web process has its own lines.

        Only who is signed in is looked up in the database.
        """
        theirs = {each["name"]: each["value"] for each in somebody.context.cookies()}
        until = time.monotonic() + RECOVERY_SECONDS
        n_good = 0
        while n_good < CALLS_IN_A_ROW and time.monotonic() < until:
            try:
                answer = httpx.get(f"{self.url}/api/v1/session", cookies=theirs, trust_env=False)
                is_good = answer.is_success and answer.json()["is_signed_in"]
                n_good = n_good + 1 if is_good else 0
            except httpx.HTTPError:
                n_good = 0
            time.sleep(0.1)
        assert n_good == CALLS_IN_A_ROW

    def processes(self, command: str) -> list[int]:
        """Pids of this stack's own processes whose command line has these words."""
        mark = f"KEEL_STACK={self.folder}".encode()
        found = []
        for folder in Path("/proc").iterdir():
            try:
                is_ours = mark in (folder / "environ").read_bytes().split(b"\0")
                line = (folder / "cmdline").read_bytes().replace(b"\0", b" ").decode()
            except OSError:
                continue
            if is_ours and line.rstrip().endswith(command):
                found.append(int(folder.name))
        return found


def calm_feeds(stack: Stack) -> None:
    """Have feeds looked at rarely: tests collect when they want to, and all else is only slow.

    The recorder's weeks are left to come some minutes later, as they do for anybody: while they
    are written others wait.
    """
    with httpx.Client(base_url=f"{stack.url}/api/v1/", trust_env=False, timeout=60) as client:

        def send(method: str, path: str, **body: object) -> None:
            own = {"X-CSRFToken": client.cookies.get("csrftoken") or "", "Referer": stack.url}
            answer = client.request(method, path, json=body, headers={**own, "If-Match": "*"})
            answer.raise_for_status()

        client.get("session")
        send("POST", "session", name="keeper", password="spring-tide")
        for feed in client.get("feeds").json():
            if feed["protocol"] in ("push", "file"):
                continue
            minutes = CALM_MINUTES * max(1, feed["every_minutes"] // CALM_MINUTES)
            send("PATCH", f"feeds/{feed['id']}", every_minutes=minutes)
        send("DELETE", "session")


@pytest.fixture(scope="session")
def stack() -> Iterator[Stack]:
    folder = Path(os.environ.get("KEEL_STATE", PROJECT / ".keel")) / "browser-tests"
    unborn = Stack(url="", folder=folder)
    told = unborn.keel("demo", "--size", "demo", "--fresh")
    match = re.search(r"http://127\.0\.0\.1:\d+", told)
    assert match, told
    # The browser's driver leaves its loop in this process; what runs here later calls the
    # database as ever, one call after the other.
    os.environ[BESIDE_A_LOOP] = "true"
    stack = Stack(url=match.group(), folder=folder)
    calm_feeds(stack)
    yield stack
    unborn.keel("stop")


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args: dict[str, Any]) -> dict[str, Any]:
    return {**browser_type_launch_args, "executable_path": CHROMIUM, "args": FLAGS}


@pytest.fixture(scope="session")
def browser_context_args(browser_context_args: dict[str, Any], stack: Stack) -> dict[str, Any]:
    return {
        **browser_context_args,
        "viewport": {"width": 1280, "height": 800},
        "base_url": stack.url,
    }


@pytest.fixture
def refusals() -> None:
    """For a test that is refused something: of that the browser complains, sooner or later."""


@pytest.fixture
def complaints(request: pytest.FixtureRequest) -> Iterator[list[str]]:
    """What the console complains of; only where a test is refused something there is any."""
    heard: list[str] = []
    yield heard
    is_refused = "refusals" in request.fixturenames
    other = [one for one in heard if not any(words in one for words in OF_REFUSALS)]
    assert (other if is_refused else heard) == []


@contextmanager
def listening(page: Page, heard: list[str]) -> Iterator[None]:
    """Hear what the console complains of."""

    def hear(message: ConsoleMessage) -> None:
        if message.type == "error":
            heard.append(f"{message.text} {message.location['url']}")

    def hear_error(error: PlaywrightError) -> None:
        heard.append(str(error))

    page.on("console", hear)
    page.on("pageerror", hear_error)
    yield
    page.remove_listener("console", hear)
    page.remove_listener("pageerror", hear_error)


@pytest.fixture
def page(page: Page, complaints: list[str]) -> Iterator[Page]:
    """A page of nobody, in a browser that has seen nothing yet."""
    with listening(page, complaints):
        yield page


class People:
    """Keeps a page for everybody who was here before, each in a browser of their own.

    The program is not read and compiled anew for every test, and to open a window costs a browser
    as much as to show three pages; what a test kept is forgotten.
    """

    def __init__(self, browser: Browser, asked: dict[str, Any]) -> None:
        self._browser, self._asked = browser, asked
        self._pages: dict[str, Page] = {}
        self._begun: dict[str, float] = {}

    @contextmanager
    def opened(self, name: str, *, heard: list[str], is_home: bool = True) -> Iterator[Page]:
        page = self._pages.get(name)
        if page is None:
            page = self._pages[name] = self._browser.new_context(**self._asked).new_page()
        elif page.is_closed():
            page = self._pages[name] = page.context.new_page()
        with listening(page, heard):
            self._sign_in(page, name, is_home=is_home)
            yield page
        self._leave(page)

    def _leave(self, page: Page) -> None:
        """Forget what a test did; a page that cannot be left is closed."""
        for one in page.context.pages:
            if one != page:
                one.close()
        try:
            page.unroute_all(behavior="ignoreErrors")
            with suppress(PlaywrightError):  # it may have gone nowhere
                page.evaluate("localStorage.clear(); sessionStorage.clear()")
            page.mouse.move(0, 0)
            page.set_viewport_size(self._asked["viewport"])
            page.goto("about:blank")
        except PlaywrightError:
            page.close()

    def _sign_in(self, page: Page, name: str, *, is_home: bool) -> None:
        """Sign in as a person does, but not anew for every test while that would change nothing."""
        context = page.context
        is_lately = time.monotonic() - self._begun.get(name, -math.inf) < KEPT_SECONDS
        if is_lately and context.request.get("/api/v1/session").json()["is_signed_in"]:
            if is_home:
                SignInPage(page).come_back()
            return
        context.clear_cookies()
        SignInPage(page).sign_in(name, "spring-tide")
        self._begun[name] = time.monotonic()


@pytest.fixture(scope="session")
def people(browser: Browser, browser_context_args: dict[str, Any]) -> People:
    return People(browser, browser_context_args)


@pytest.fixture
def signed_in(people: People, complaints: list[str]) -> Iterator[Page]:
    with people.opened("planner", heard=complaints) as page:
        yield page


@pytest.fixture
def known(people: People, complaints: list[str]) -> Iterator[Page]:
    """The same, for a test that goes somewhere by its address: nothing need be open yet."""
    with people.opened("planner", heard=complaints, is_home=False) as page:
        yield page


@pytest.fixture
def operating(people: People, complaints: list[str]) -> Iterator[Page]:
    """Signed in as who carries changes out."""
    with people.opened("deckhand", heard=complaints) as page:
        yield page
