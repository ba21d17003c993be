"""Scrapes an OpenMetrics exporter; its labels say which thing a sample is of.

Options: ``rules``, a list of ``{metric, fills, label, form, kind, scale}``. `metric` is the
sample's name, `fills` the field it fills (a counter such as ``read_ops``, an amount such as
``used_bytes``), `label` the label that names the thing and `form` how: a worldwide name's kind
(naa, uuid …), or empty for a whole uid. `scale` multiplies the value.
"""

import re
from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import httpx
from prometheus_client.openmetrics.parser import text_fd_to_metric_families as openmetrics
from prometheus_client.parser import text_string_to_metric_families as plain_text

from keelmark.estate.documents import AboutDocument, CountersDocument, Document, ReadingsDocument
from keelmark.estate.documents.base import UID_FORM
from keelmark.feeds.bounded import body_of
from keelmark.feeds.errors import AnswerError, OptionsError, SignInError, UnreachableError
from keelmark.feeds.far_end import (
    CERTIFICATE_WHY,
    Collection,
    FarEnd,
    Progress,
    is_distrust,
    trust_of,
)
from keelmark.feeds.peers import check_peer

ACCEPT = "application/openmetrics-text; version=1.0.0, text/plain; version=0.0.4; q=0.5"
COUNTERS = (
    "read_ops", "write_ops", "read_bytes", "write_bytes", "busy_seconds", "array_seconds",
    "network_seconds", "queue_seconds", "qos_seconds", "read_seconds", "write_seconds",
)  # fmt: skip
DAILY = ("used_bytes", "provisioned_bytes", "capacity_bytes")
ABOUT = ("inside_bytes", "unshared_bytes", "on_array_bytes", "n_network_errors")
MAX_BODY_BYTES = 256 << 20
MAX_AMOUNT = float(2**63 - 1024)  # the largest that an int64 holds
MAX_LINES_TOLD = 5
_UID = re.compile(UID_FORM)
BEFORE = {"guest_written_bytes": "inside_bytes", "exclusive_bytes": "unshared_bytes"}
PROGRESS_EVERY = 10_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Rule:
    """Which samples fill which field of which things."""

    metric: str
    fills: str
    label: str
    form: str
    scale: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Sample:
    """One sample of an exporter."""

    name: str
    labels: dict[str, str]
    value: float


def collect_metrics(far_end: FarEnd, progress: Progress) -> Collection:
    """Return the counters and amounts that an exporter tells now."""
    rules = rules_of(far_end.options.get("rules"))
    progress("scrape", 0)
    text, content_type = scraped(far_end)
    read_at = datetime.now(UTC)
    try:
        samples, left_out = samples_in(text, content_type=content_type)
    except ValueError as exc:
        raise AnswerError(url=far_end.address, why=f"it is no OpenMetrics text: {exc}") from exc
    progress("mapping", len(samples))
    documents, warnings = documents_of(samples, rules=rules, read_at=read_at)
    return Collection(documents=documents, warnings=[*left_out, *warnings])  # type: ignore[arg-type]  # a part of them


def rules_of(told: Any) -> dict[str, list[Rule]]:  # Any: options as they were stored
    """Return the rules by metric; raise OptionsError where they cannot be used."""
    rules: dict[str, list[Rule]] = defaultdict(list)
    for one in told or ():
        if not isinstance(one, Mapping) or not one.get("metric"):
            raise OptionsError(option="rules", why="lack the name of a metric")
        fills = BEFORE.get(str(one.get("fills")), str(one.get("fills")))
        if fills not in (*COUNTERS, *DAILY, *ABOUT):
            raise OptionsError(option="rules", why=f"fill {fills}, which nothing has")
        rule = Rule(
            metric=str(one["metric"]),
            fills=fills,
            label=str(one.get("label") or "uid"),
            form=str(one.get("form") or ""),
            scale=float(one.get("scale") or 1),
        )
        rules[rule.metric].append(rule)
    if not rules:
        raise OptionsError(option="rules", why="are missing: which metric fills what?")
    return rules


def scraped(far_end: FarEnd) -> tuple[str, str]:
    """Return the text of an exporter and its content type; raise CollectError."""
    auth = httpx.BasicAuth(far_end.user, far_end.password) if far_end.user else None
    try:
        with (
            httpx.Client(
                timeout=far_end.timeout_seconds,
                verify=trust_of(far_end),
                trust_env=False,
                auth=auth,
                event_hooks={"request": [check_peer] if far_end.is_guarded else []},
            ) as http,
            http.stream("GET", far_end.address, headers={"Accept": ACCEPT}) as answer,
        ):
            if answer.status_code in (httpx.codes.UNAUTHORIZED, httpx.codes.FORBIDDEN):
                raise SignInError(url=far_end.address, user=far_end.user)
            if answer.status_code != httpx.codes.OK:
                raise AnswerError(url=far_end.address, why=f"status {answer.status_code}")
            body = body_of(answer, max_bytes=MAX_BODY_BYTES)
    except httpx.TimeoutException as exc:
        raise UnreachableError(url=far_end.address, why="no answer in time") from exc
    except httpx.HTTPError as exc:
        why = CERTIFICATE_WHY if is_distrust(exc) else "the connection is refused"
        raise UnreachableError(url=far_end.address, why=why) from exc
    return body.decode("utf-8", errors="replace"), answer.headers.get("Content-Type", "")


def samples_in(text: str, *, content_type: str) -> tuple[list[Sample], list[str]]:
    """Return the samples of a text in either exposition format, and what was left out of it.

    A text that is not all well-formed is read line by line, so that one bad sample leaves out
    that sample.
    """
    is_open = content_type.startswith("application/openmetrics-text")
    lines = text.splitlines(keepends=True)
    try:
        families = openmetrics(iter(lines)) if is_open else plain_text(text)  # type: ignore[no-untyped-call]  # the package's
        return _samples_of(families), []
    except (ValueError, KeyError, IndexError, TypeError, OverflowError):
        return _line_by_line(lines)


def _samples_of(families: Iterable[Any]) -> list[Sample]:  # Any: the package's families
    return [
        Sample(name=sample.name, labels=dict(sample.labels), value=float(sample.value))
        for family in families
        for sample in family.samples
    ]


def _line_by_line(lines: list[str]) -> tuple[list[Sample], list[str]]:
    samples: list[Sample] = []
    bad: list[int] = []
    for number, line in enumerate(lines, start=1):
        bare = line.split(" # ", 1)[0].strip()  # without its exemplar
        if not bare or bare.startswith("#"):
            continue
        try:
            samples += _samples_of(plain_text(bare + "\n"))
        except (ValueError, KeyError, IndexError, TypeError, OverflowError):
            bad.append(number)
    if not samples:
        raise ValueError("no line of it is a sample")
    told = ", ".join(map(str, bad[:MAX_LINES_TOLD])) + (" …" if len(bad) > MAX_LINES_TOLD else "")
    return samples, [f"{len(bad)} lines left out that are no samples: {told}."] if bad else []


def documents_of(
    samples: Iterable[Sample], *, rules: dict[str, list[Rule]], read_at: datetime
) -> tuple[list[Document], list[str]]:
    """Return documents of the mapped samples, and what was wrong with others."""
    told: dict[str, dict[str, float]] = defaultdict(dict)
    n_unnamed: dict[str, int] = defaultdict(int)
    for sample in samples:
        for rule in rules.get(sample.name, ()):
            name = sample.labels.get(rule.label)
            amount = sample.value * rule.scale
            uid = f"{rule.form}.{name}" if rule.form else str(name)
            if not name or not 0 <= amount <= MAX_AMOUNT or not _UID.match(uid):  # NaN is neither
                n_unnamed[sample.name] += 1
                continue
            told[uid][rule.fills] = amount
    documents: list[Document] = []
    for uid, fields in told.items():
        documents += _documents(uid, fields=fields, read_at=read_at)
    warnings = [
        f"{n} samples of {metric} left out: without a name or a usable amount."
        for metric, n in n_unnamed.items()
    ]
    return documents, warnings


def _documents(uid: str, *, fields: dict[str, float], read_at: datetime) -> list[Document]:
    documents: list[Document] = []
    counters = {name: fields[name] for name in COUNTERS if name in fields}
    if counters:
        documents.append(CountersDocument(uid=uid, read_at=read_at, **counters))
    about = {name: int(fields[name]) for name in ABOUT if name in fields}
    if about:
        documents.append(AboutDocument(uid=uid, read_at=read_at, says=about))
    if "used_bytes" in fields:
        daily = {name: [int(fields[name])] for name in DAILY if name in fields}
        documents.append(ReadingsDocument(uid=uid, first_on=read_at.date(), **daily))  # type: ignore[arg-type]  # columns by name
    return documents
