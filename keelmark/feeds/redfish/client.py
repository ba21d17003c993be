"""A patient Redfish reader: session with re-login, paging, retries, bounded concurrency."""

import asyncio
import ssl
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from email.utils import parsedate_to_datetime
from typing import Any
from urllib.parse import urljoin

import httpx

from keelmark.feeds.bounded import is_of_host, sent_within
from keelmark.feeds.errors import (
    AnswerError,
    BusyError,
    CollectError,
    MissingError,
    RefusedError,
    SignInError,
    UnreachableError,
)
from keelmark.feeds.far_end import CERTIFICATE_WHY, DEFAULT_TIMEOUT_SECONDS, is_distrust
from keelmark.feeds.peers import check_peer_async

Resource = dict[str, Any]  # Any: JSON of whatever shape the array sends
MAX_CONCURRENT = 8
MAX_TRIES = 4
FIRST_BACK_OFF_SECONDS = 0.5
MAX_WAIT_SECONDS = 30.0
MAX_PAGES = 10_000
MAX_CLOCK_SKEW = timedelta(minutes=5)
CONNECT_SECONDS = 5.0
ROOT = "/redfish/v1/"
SESSIONS = "/redfish/v1/SessionService/Sessions"
RETRIED_STATUSES = frozenset({408, 425, 429, 500, 502, 503, 504})


@dataclass(frozen=True, slots=True, kw_only=True)
class Answered:
    """What came of a change that was sent."""

    is_of_version: bool = True  # False: it is of another version, and nothing was done
    is_task: bool = False  # it goes on
    place: str = ""  # of the task, or of what was made


@dataclass(slots=True)
class RedfishReader:
    """Reads resources of one service; use through :func:`open_reader`."""

    base_url: str
    user: str
    password: str
    http: httpx.AsyncClient
    back_off_seconds: float = FIRST_BACK_OFF_SECONDS
    warnings: list[str] = field(default_factory=list)
    n_read: int = 0
    _token: str | None = None
    _session_path: str | None = None
    _is_basic: bool = False
    _is_clock_checked: bool = False
    _bound: asyncio.Semaphore = field(default_factory=lambda: asyncio.Semaphore(MAX_CONCURRENT))
    _login: asyncio.Lock = field(default_factory=asyncio.Lock)

    async def sign_in(self) -> None:
        """Open a session, or fall back to basic authentication where there are no sessions."""
        answer = await self._send(
            "POST", SESSIONS, json={"UserName": self.user, "Password": self.password}
        )
        if answer.status_code in (400, 401, 403):
            raise SignInError(url=self.base_url, user=self.user)
        token = answer.headers.get("X-Auth-Token")
        if answer.status_code in (200, 201) and token:
            self._token = token
            self._session_path = answer.headers.get("Location")
        else:
            self._is_basic = True

    async def sign_out(self) -> None:
        """Close the session if there is one; a failure here harms nobody."""
        if self._session_path is None:
            return
        try:
            await self.http.delete(self._url(self._session_path), headers=self._headers())
        except (httpx.HTTPError, CollectError):
            self._session_path = None

    async def read(self, path: str) -> Resource:
        """Return one resource; raise a CollectError once patience is at its end."""
        return (await self.read_with_version(path))[0]

    async def change(
        self, method: str, path: str, *, body: Resource | None = None, version: str = "",
        is_repeatable: bool = True,
    ) -> Answered:  # fmt: skip
        """Have something changed, made (POST) or deleted, where it is still of a version.

        What is repeatable is sent again after a lost answer: the version is another one once it
        was done. Raise RefusedError with the array's own words where it will not.
        """
        for _ in range(MAX_TRIES):
            token = self._token
            answer = await self._send(
                method, path, json=body, version=version, n_tries=MAX_TRIES if is_repeatable else 1
            )
            if answer.status_code == httpx.codes.UNAUTHORIZED:
                await self._sign_in_again(after=token)
                continue
            if answer.status_code == httpx.codes.PRECONDITION_FAILED:
                return Answered(is_of_version=False)
            if answer.status_code >= httpx.codes.BAD_REQUEST:
                raise RefusedError(
                    url=self._url(path), status=answer.status_code, why=_message_of(answer)
                )
            return Answered(
                is_task=answer.status_code == httpx.codes.ACCEPTED,
                place=str(answer.headers.get("Location") or ""),
            )
        raise SignInError(url=self.base_url, user=self.user)

    async def read_with_version(self, path: str) -> tuple[Resource, str]:
        """Return one resource and the version it is of, empty where the array tells none."""
        for attempt in range(1, MAX_TRIES + 1):
            async with self._bound:
                token = self._token
                answer = await self._send("GET", path)
            if answer.status_code == httpx.codes.UNAUTHORIZED:
                await self._sign_in_again(after=token)
                continue
            if answer.status_code >= httpx.codes.BAD_REQUEST:
                is_missing = answer.status_code in (httpx.codes.NOT_FOUND, httpx.codes.GONE)
                raise (MissingError if is_missing else AnswerError)(
                    url=self._url(path), why=f"status {answer.status_code}{_message_of(answer)}"
                )
            body = _json_of(answer)
            if body is not None:
                self.n_read += 1
                self._check_clock(answer)
                return body, str(answer.headers.get("ETag") or body.get("@odata.etag") or "")
            if attempt < MAX_TRIES:
                await asyncio.sleep(self.back_off_seconds * 2 ** (attempt - 1))
        if answer.status_code == httpx.codes.UNAUTHORIZED:
            raise SignInError(url=self.base_url, user=self.user)
        raise AnswerError(url=self._url(path), why="it is cut off or is not a JSON object")

    async def members(self, path: str, *, is_expanding: bool) -> list[Resource]:
        """Return every member of a collection over all its pages, each read in full."""
        found: list[Resource] = []
        page_path: str | None = f"{path}?$expand=." if is_expanding else path
        seen: set[str] = set()
        while page_path is not None:
            if page_path in seen or len(seen) >= MAX_PAGES:
                raise AnswerError(url=self._url(page_path), why="its pages never end")
            seen.add(page_path)
            page = await self.read(page_path)
            members = page.get("Members")
            if not isinstance(members, list):
                raise AnswerError(url=self._url(page_path), why="it has no Members")
            found += [member for member in members if isinstance(member, dict)]
            page_path = page.get("Members@odata.nextLink")
        return list(await asyncio.gather(*(self._in_full(member) for member in found)))

    async def _in_full(self, member: Resource) -> Resource:
        is_only_link = set(member) == {"@odata.id"}
        return await self.read(str(member["@odata.id"])) if is_only_link else member

    async def _sign_in_again(self, *, after: str | None) -> None:
        async with self._login:
            if self._token == after:  # nobody else has signed in meanwhile
                await self.sign_in()

    async def _send(
        self, method: str, path: str, *, json: Resource | None = None, version: str = "",
        n_tries: int = MAX_TRIES,
    ) -> httpx.Response:  # fmt: skip
        """Send until an answer comes that more patience would not better."""
        url = self._url(path)
        headers = self._headers() | ({"If-Match": version} if version else {})
        for attempt in range(1, n_tries + 1):
            wait = self.back_off_seconds * 2 ** (attempt - 1)
            try:
                request = self.http.build_request(method, url, json=json, headers=headers)
                answer = await sent_within(self.http, request, auth=self._auth())
            except httpx.HTTPError as exc:
                if attempt == n_tries:
                    raise UnreachableError(url=url, why=_why(exc)) from exc
            else:
                if answer.status_code not in RETRIED_STATUSES:
                    return answer
                if attempt == n_tries:
                    raise BusyError(url=url, status=answer.status_code, n_tries=n_tries)
                wait = max(wait, _retry_after_seconds(answer))
            await asyncio.sleep(min(wait, MAX_WAIT_SECONDS))
        raise CollectError  # unreachable: the last try returns or raises

    def _headers(self) -> dict[str, str]:
        headers = {"OData-Version": "4.0", "Accept": "application/json"}
        if self._token is not None:
            headers["X-Auth-Token"] = self._token
        return headers

    def _auth(self) -> httpx.BasicAuth | None:
        return httpx.BasicAuth(self.user, self.password) if self._is_basic else None

    def _url(self, path: str) -> str:
        """Return the address of a path; a link that leaves the array is none of its own.

        Session and secret would go along to wherever it leads.
        """
        try:
            url = urljoin(self.base_url + "/", path)
        except ValueError:
            url = ""
        if not is_of_host(url, base=self.base_url):
            raise AnswerError(url=self.base_url, why=f"it links to another host: {path[:200]}")
        return url

    def _check_clock(self, answer: httpx.Response) -> None:
        told = answer.headers.get("Date")
        if told is None or self._is_clock_checked:
            return
        self._is_clock_checked = True
        try:
            skew = parsedate_to_datetime(told) - datetime.now(UTC)
        except (TypeError, ValueError):
            return
        if abs(skew) > MAX_CLOCK_SKEW:
            side = "ahead of" if skew > timedelta(0) else "behind"
            minutes = round(abs(skew).total_seconds() / 60)
            self.warnings.append(
                f"Its clock is {minutes} min {side} ours; readings carry our time."
            )


@asynccontextmanager
async def open_reader(
    url: str,
    *,
    user: str,
    password: str,
    back_off_seconds: float = FIRST_BACK_OFF_SECONDS,
    trust: ssl.SSLContext | None = None,
    timeout_seconds: float = DEFAULT_TIMEOUT_SECONDS,
    is_guarded: bool = False,
    transport: httpx.AsyncBaseTransport | None = None,
) -> AsyncIterator[RedfishReader]:
    """Yield a signed-in reader and sign out at the end."""
    async with httpx.AsyncClient(
        timeout=httpx.Timeout(timeout_seconds, connect=CONNECT_SECONDS),
        verify=trust if trust is not None else True,
        transport=transport,
        trust_env=False,
        event_hooks={"request": [check_peer_async] if is_guarded else []},
    ) as http:
        reader = RedfishReader(
            url.rstrip("/"), user, password, http, back_off_seconds=back_off_seconds
        )
        await reader.sign_in()
        try:
            yield reader
        finally:
            await reader.sign_out()


def _json_of(answer: httpx.Response) -> Resource | None:
    try:
        body = answer.json()
    except ValueError:
        return None
    return body if isinstance(body, dict) else None


def _message_of(answer: httpx.Response) -> str:
    body = _json_of(answer) or {}
    error = body.get("error")
    message = error.get("message") if isinstance(error, dict) else None
    return f", “{message}”" if isinstance(message, str) else ""


def _retry_after_seconds(answer: httpx.Response) -> float:
    told = answer.headers.get("Retry-After", "")
    if told.isdigit():
        return float(told)
    try:
        return max(0.0, (parsedate_to_datetime(told) - datetime.now(UTC)).total_seconds())
    except (TypeError, ValueError):
        return 0.0


def _why(exc: httpx.HTTPError) -> str:
    if isinstance(exc, httpx.ConnectTimeout):
        return "no connection within 5 s"
    if isinstance(exc, httpx.TimeoutException):
        return "no answer in time"
    if is_distrust(exc):
        return CERTIFICATE_WHY
    if isinstance(exc, httpx.ConnectError):
        return "the connection is refused"
    return "the connection broke off"
