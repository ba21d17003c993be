"""The HTTP service of one array: sessions, paging, expansion, ETags, errors and faults."""

import asyncio
import hashlib
import json
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Route

from standins.arrays import Array, Volume
from standins.estate import Estate
from standins.flow import Flow
from standins.hands import deploy
from standins.redfish.answers import error_of, is_of_the_volume, limits_in, missing
from standins.redfish.changing import TASKS, Changes, RefusalError
from standins.redfish.faults import Faults
from standins.redfish.mirroring import ASSIGN, REMOVE, Mirroring, Partners
from standins.redfish.sessions import SESSIONS, Sessions
from standins.redfish.shapes import MAKER, ROOT, Resource
from standins.redfish.tree import Tree

PAGE_MEMBERS = 25
CLOCK_AHEAD = timedelta(days=3)
OVERFLOWING_BYTES = 2**63
MOVING = ("Capacity", "IOStatistics", "RemainingCapacityPercent")
OPTIONAL = ("IOStatistics", "RemainingCapacityPercent", "CapacitySources", "Links")


class Service:
    """Answers for one array."""

    def __init__(
        self,
        estate: Estate,
        *,
        array: Array,
        user: str,
        password: str,
        now: Callable[[], datetime],
        flow: Flow | None = None,
        writer: tuple[str, str] | None = None,
        hosts_changed: Callable[[], None] = lambda: None,
        partners: Partners | None = None,
    ) -> None:
        """Serve an array of the estate at the moment that ``now`` tells."""
        self._hosts_changed = hosts_changed
        self.array = array
        flow = flow or Flow(estate, since=estate.day_of(now()))
        self.tree = Tree(estate, array=array, flow=flow)
        self.changes = Changes(self.tree.ground)
        self.mirroring = Mirroring(self.tree.ground, {} if partners is None else partners)
        self._now = now
        self.sessions = Sessions({user: password, **dict([writer] if writer else [])})
        self.writer = writer[0] if writer else ""
        self.faults = Faults(kind="busy" if array.story.is_busy else "none")

    def app(self) -> Starlette:
        """Return the ASGI application."""
        return Starlette(
            routes=[
                Route("/standin/faults", self._set_faults, methods=["POST"]),
                Route("/standin/write", self._write, methods=["POST"]),
                Route("/standin/hands", self._deploy, methods=["POST"]),
                Route("/redfish", lambda _: JSONResponse({"v1": f"{ROOT}/"})),
                Route(SESSIONS, self._sessions, methods=["GET", "POST"]),
                Route(SESSIONS + "/{session}", self._session, methods=["GET", "DELETE"]),
                Route("/{path:path}", self._read, methods=["GET", "HEAD"]),
                Route("/{path:path}", self._set, methods=["PATCH"]),
                Route("/{path:path}", self._create, methods=["POST"]),
                Route("/{path:path}", self._delete, methods=["DELETE"]),
            ]
        )

    def now(self) -> datetime:
        """Its own clock."""
        return self._now() + (CLOCK_AHEAD if self.faults.kind == "clock-ahead" else timedelta(0))

    async def _set_faults(self, request: Request) -> Response:
        try:
            self.faults.set(await request.json())
        except ValueError as exc:
            return JSONResponse({"error": str(exc)}, status_code=400)
        return JSONResponse({"kind": self.faults.kind})

    async def _write(self, request: Request) -> Response:
        wanted = await request.json()
        name = f"{wanted['pool']}-{wanted['volume']}"
        if name not in self.tree.ground.volumes:
            return JSONResponse({"error": f"no volume {name}"}, status_code=404)
        self.tree.ground.volumes[name][1].injected_bytes += int(wanted["bytes"])
        return JSONResponse({"injected_bytes": self.tree.ground.volumes[name][1].injected_bytes})

    async def _deploy(self, request: Request) -> Response:
        ground = self.tree.ground
        try:
            n_vms = deploy(ground.estate, ground=ground, told=await request.json())
        except ValueError as exc:
            return JSONResponse({"error": str(exc)}, status_code=404)
        self._hosts_changed()
        return JSONResponse({"n_vms": n_vms})

    async def _sessions(self, request: Request) -> Response:
        if request.method == "POST":
            return await self.sessions.begin(request)
        return self._refusal_of(request) or self._collection(
            SESSIONS, members=self.sessions.paths(), request=request
        )

    async def _session(self, request: Request) -> Response:
        return self._refusal_of(request) or self.sessions.one(request)

    async def _read(self, request: Request) -> Response:
        path = request.url.path.rstrip("/")
        self.faults.n_served += 1
        struck = await self._struck(path)
        if struck is not None:
            return struck
        if path != ROOT:
            refusal = self._refusal_of(request)
            if refusal is not None:
                return refusal
        self.changes.go_on()
        members = self._tasks() if path == TASKS else self.tree.members(path)
        if members is not None:
            return self._collection(path, members=members, request=request)
        body = self._resource(path)
        return missing(path) if body is None else self._answer(body, request=request)

    async def _struck(self, path: str) -> Response | None:
        if self.faults.take("slow"):
            await asyncio.sleep(self.faults.delay_seconds)
        if path == ROOT:
            return None
        if self.faults.take("busy"):
            answer = error_of(
                503, code="ServiceTemporarilyUnavailable", text="The service is busy."
            )
            if self.faults.retry_after_seconds is not None:
                answer.headers["Retry-After"] = str(self.faults.retry_after_seconds)
            return answer
        if self.faults.take("expired"):
            self.sessions.clear()
        return None

    def _refusal_of(self, request: Request) -> Response | None:
        return None if self.sessions.user_of(request) else error_of(
            401, code="NoValidSession", text="Sign in first, or anew: the session may have expired."
        )  # fmt: skip

    async def _set(self, request: Request) -> Response:
        """Set the limits of a volume: by who may, on the state that was seen, both or none."""
        path = request.url.path.rstrip("/")
        refusal = await self._struck(path) or self._refusal_of(request)
        refusal = refusal or self._refusal_to_set(request, path=path)
        told = await request.body()
        volume, body = self.tree.ground.volume_at(path), self._resource(path)
        if refusal is not None or volume is None or body is None:
            return refusal or missing(path)
        if is_of_the_volume(told):
            return self._change(volume, told, request=request)
        limits, wrong = limits_in(told)
        if limits is None:
            return wrong
        if not self.faults.take("heedless"):
            self.tree.ground.flow.set_volume(volume, limits=limits)
        if self.faults.take("hangs-up"):  # it is done, but nobody is told
            return _busy()
        return self._answer(self._resource(path) or body, request=request)

    def _change(self, volume: Volume, told: bytes, *, request: Request) -> Response:
        """Grow, rename or map a volume."""
        path = self.tree.ground.path_of(volume)

        def do(share: float = 1.0) -> str:
            self.changes.changed(volume, json.loads(told), share=share)
            return path

        return self._done(do, name=f"Change {volume.name}", request=request, status=200)

    async def _create(self, request: Request) -> Response:
        """Make a volume: at once, or as a task."""
        path = request.url.path.rstrip("/")
        refusal = await self._struck(path) or self._refusal_of(request)
        refusal = refusal or self._refusal_of_reader(request)
        if refusal is not None:
            return refusal
        place, _, action = path.rpartition("/Actions/")
        if action in (ASSIGN, REMOVE) and (volume := self.tree.ground.volume_at(place)):
            return await self._mirror(volume, action, request=request)
        if path != f"{self.tree.ground.storage}/Volumes":
            return error_of(405, code="OperationNotAllowed", text="Nothing can be made here.")
        try:
            told = await request.json()
            self.changes.check_creation(told)
        except ValueError:
            return error_of(400, code="MalformedJSON", text="The request body is not JSON.")
        except RefusalError as exc:
            return error_of(exc.status, code=exc.code, text=exc.text)

        def do(share: float = 1.0) -> str:
            return self.changes.created(told, share=share)

        return self._done(do, name=f"Create {told['Name']}", request=request, status=201)

    async def _mirror(self, volume: Volume, action: str, *, request: Request) -> Response:
        """Begin or end a mirror of a volume; half of one is none."""
        try:
            told = await request.json()
            self.mirroring.check(volume, action, told)
        except ValueError:
            return error_of(400, code="MalformedJSON", text="The request body is not JSON.")
        except RefusalError as exc:
            return error_of(exc.status, code=exc.code, text=exc.text)
        url = request.url
        source = f"{url.scheme}://{url.netloc}{self.tree.ground.path_of(volume)}"
        day = self.tree.ground.estate.day_of(self.now())

        def do(share: float = 1.0) -> str:
            if share == 1.0:
                self.mirroring.do(volume, action, told, source=source, day=day)
            return ""

        return self._done(do, name=f"{action} {volume.name}", request=request, status=204)

    async def _delete(self, request: Request) -> Response:
        """Delete a volume that nobody sees."""
        path = request.url.path.rstrip("/")
        refusal = await self._struck(path) or self._refusal_of(request)
        refusal = refusal or self._refusal_to_set(request, path=path)
        volume = self.tree.ground.volume_at(path)
        if refusal is not None or volume is None:
            return refusal or missing(path)

        def do(share: float = 1.0) -> str:
            del share
            self.changes.deleted(volume)
            return ""

        return self._done(do, name=f"Delete {volume.name}", request=request, status=204)

    def _done(
        self, do: Callable[..., str], *, name: str, request: Request, status: int
    ) -> Response:
        """Do it at once, or as a task where the array is slow; only half of it, where told so."""
        if self.faults.take("refuses"):
            return error_of(409, code="ResourceExhaustion", text="The array has no room for it.")
        if self.faults.take("slow-task", "failing-task", "half-done"):
            kind = self.faults.kind
            share = 0.5 if kind == "half-done" else 1.0
            task = self.changes.begin(
                name, seconds=self.faults.delay_seconds,
                do=(lambda: "") if kind == "failing-task" else lambda: do(share),
                fails="" if kind == "slow-task" else "The array gave it up.",
            )  # fmt: skip
            told = self.changes.task_told(task.number) or {}
            headers = {"Location": f"{TASKS}/{task.number}"}
            return JSONResponse(told, status_code=202, headers=headers)
        try:
            path = do()
        except RefusalError as exc:
            return error_of(exc.status, code=exc.code, text=exc.text)
        if self.faults.take("hangs-up"):  # it is done, but nobody is told
            return _busy()
        if not path:
            return Response(status_code=204)
        answer = self._answer(self._resource(path) or {}, request=request)
        answer.status_code = status
        answer.headers["Location"] = path
        return answer

    def _tasks(self) -> list[str]:
        return [f"{TASKS}/{number}" for number in self.changes.tasks]

    def _refusal_of_reader(self, request: Request) -> Response | None:
        if self.sessions.user_of(request) == self.writer:
            return None
        return error_of(403, code="InsufficientPrivilege", text="This account may read only.")

    def _refusal_to_set(self, request: Request, *, path: str) -> Response | None:
        body, seen = self._resource(path), request.headers.get("If-Match")
        if (refusal := self._refusal_of_reader(request)) is not None:
            return refusal
        if body is not None and self.tree.ground.volume_at(path) is None:
            return error_of(405, code="OperationNotAllowed", text="Nothing of this can be set.")
        if self.faults.take("locked"):
            return error_of(409, code="ResourceInUse", text="The volume is being moved.")
        if seen and seen != self._etag_of(body or {}):
            return error_of(412, code="PreconditionFailed", text="The resource is another by now.")
        return None

    def _resource(self, path: str) -> Resource | None:
        body = self._task_at(path) or self.tree.resource(path, moment=self.now())
        if body is None:
            return None
        if self.faults.kind == "sparse":
            body = {name: fact for name, fact in body.items() if name not in OPTIONAL}
            if "Volumes/" in path:
                body["Oem"] = {MAKER: {"Unheard": [1, {"of": None}]}}
        wrong = {"oversized": 2**52, "negative": -4096, "overflow": OVERFLOWING_BYTES}
        if "/Volumes/" in path and self.faults.take(*wrong):
            body["Capacity"]["Data"]["ConsumedBytes"] = wrong[self.faults.kind]
        return body

    def _task_at(self, path: str) -> Resource | None:
        if path == f"{ROOT}/TaskService":
            return self.changes.task_service()
        place, _, number = path.rpartition("/")
        if place != TASKS or not number.isdecimal():
            return None
        return self.changes.task_told(int(number))

    def _etag_of(self, body: Resource) -> str:
        """The version of what can be set or named: what is counted moves by itself."""
        told = {name: fact for name, fact in body.items() if name not in MOVING}
        if self.faults.take("restless"):
            told["at"] = time.monotonic()
        return f'W/"{hashlib.sha256(json.dumps(told).encode()).hexdigest()[:16]}"'

    def _collection(self, path: str, *, members: list[str], request: Request) -> Response:
        try:
            skip = int(request.query_params.get("$skip", "0"))
            top = int(request.query_params.get("$top", str(PAGE_MEMBERS)))
        except ValueError:
            return error_of(400, code="QueryParameterValueTypeError", text="$skip, $top: integers.")
        top = max(0, min(top, PAGE_MEMBERS))
        page = members[skip : skip + top]
        is_expanded = "$expand" in request.query_params
        shown = [
            (self._resource(member) if is_expanded else None) or {"@odata.id": member}
            for member in page
        ]
        kind = path.rsplit("/", 1)[-1].rstrip("s")
        body: dict[str, Any] = {
            "@odata.type": f"#{kind}Collection.{kind}Collection",
            "@odata.id": path,
            "Name": f"{kind} collection",
            "Members@odata.count": len(members),
            "Members": shown,
        }
        if top and skip + top < len(members):
            expand = f"&$expand={request.query_params['$expand']}" if is_expanded else ""
            body["Members@odata.nextLink"] = f"{path}?$skip={skip + top}&$top={top}{expand}"
        return self._answer(body, request=request)

    def _answer(self, body: Resource, *, request: Request) -> Response:
        text = json.dumps(body).encode()
        if self.faults.take("truncated"):
            text = text[: len(text) * 2 // 3]
        elif self.faults.take("garbage"):
            text = b"<html>It is dark and the tide is out.</html>"
        etag = self._etag_of(body)
        date = self.now().astimezone(UTC).strftime("%a, %d %b %Y %H:%M:%S GMT")
        headers = {"ETag": etag, "OData-Version": "4.0", "Date": date}
        if request.headers.get("If-None-Match") == etag and not set(body) & set(MOVING):
            return Response(status_code=304, headers=headers)
        return Response(text, media_type="application/json", headers=headers)


def _busy() -> Response:
    return error_of(503, code="ServiceTemporarilyUnavailable", text="The service is busy.")
