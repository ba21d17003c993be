"""Lists object storage bucket by bucket and counts what is there by tier and age.

Of objects only the counts are kept, the largest of each bucket by name, and where a broken-off
listing of a bucket stopped. Options: ``account`` (name of the owner), ``tenant_uid``,
``buckets`` (only these), ``tiers`` (storage class → hot, warm or cold), ``relist_hours``.
"""

from collections import Counter
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from heapq import heappush, heapreplace
from tempfile import NamedTemporaryFile
from typing import Any

import boto3
from botocore.config import Config
from botocore.exceptions import BotoCoreError, ClientError

from keelmark.estate.documents import (
    AccountDocument,
    AnyDocument,
    BucketDocument,
    BucketShare,
    CompleteDocument,
    LargeObject,
)
from keelmark.estate.uids import safe_uid
from keelmark.feeds.bounded import BoundedSession
from keelmark.feeds.errors import AnswerError, CollectError, SignInError, UnreachableError
from keelmark.feeds.far_end import (
    CERTIFICATE_WHY,
    Collection,
    FarEnd,
    Progress,
    is_distrust,
    trust_of,
)

AGES_DAYS = (0, 30, 90, 365)  # a share counts from one to the next
TIERS: dict[str, str] = {
    "STANDARD": "hot", "EXPRESS_ONEZONE": "hot", "REDUCED_REDUNDANCY": "hot",
    "STANDARD_IA": "warm", "ONEZONE_IA": "warm", "INTELLIGENT_TIERING": "warm",
    "GLACIER_IR": "warm", "GLACIER": "cold", "DEEP_ARCHIVE": "cold",
}  # fmt: skip
PAGE_OBJECTS = 1000
MAX_KEY = 1024
MOST_LARGEST = 25  # that are kept by name
DEFAULT_RELIST_HOURS = 20.0
CONNECT_SECONDS = 5
MAX_SECONDS = 240.0  # of one run; the next goes on where it stopped


Large = tuple[int, str, str, str]  # bytes, key, tier, when it was written


@dataclass(slots=True, kw_only=True)
class Count:
    """The objects of one bucket as far as they are counted."""

    n_objects: Counter[tuple[str, int]] = field(default_factory=Counter)
    n_bytes: Counter[tuple[str, int]] = field(default_factory=Counter)
    largest: list[Large] = field(default_factory=list)  # a heap, the smallest of them first
    after: str = ""  # the last key that is counted
    begun_at: str = ""

    def add(
        self, listed: Mapping[str, Any], *, tiers: Mapping[str, str], now: datetime
    ) -> None:  # Any: the protocol's
        """Count one object."""
        tier = tiers.get(str(listed.get("StorageClass") or "STANDARD"), "hot")
        age_days = (now - listed["LastModified"]).days
        key = tier, max(age for age in AGES_DAYS if age <= max(age_days, 0))
        self.n_objects[key] += 1
        size = int(listed["Size"])
        self.n_bytes[key] += size
        self.after = str(listed["Key"])
        one = (size, self.after, tier, listed["LastModified"].astimezone(UTC).isoformat())
        if len(self.largest) < MOST_LARGEST:
            heappush(self.largest, one)
        elif one > self.largest[0]:
            heapreplace(self.largest, one)

    def stored(self) -> dict[str, Any]:  # Any: JSON
        """Return what lets a later run go on."""
        return {
            "after": self.after,
            "begun_at": self.begun_at,
            "largest": [list(one) for one in self.largest],
            "counts": [
                [tier, days, n, self.n_bytes[tier, days]]
                for (tier, days), n in self.n_objects.items()
            ],
        }

    @classmethod
    def restored(cls, stored: Mapping[str, Any]) -> "Count":  # Any: JSON
        """Return a count as it was stored."""
        count = cls(after=stored["after"], begun_at=stored["begun_at"])
        # A listing broken off before they were kept begins without them.
        count.largest = [(n, key, tier, at) for n, key, tier, at in stored.get("largest", ())]
        for tier, days, n_objects, n_bytes in stored["counts"]:
            count.n_objects[tier, days] = n_objects
            count.n_bytes[tier, days] = n_bytes
        return count


def collect_buckets(far_end: FarEnd, progress: Progress) -> Collection:
    """Return the account with its buckets, as far as one run's time goes."""
    try:
        with _authority(far_end) as verify:
            return _Listing(far_end, progress=progress, verify=verify).collected()
    except ClientError as exc:
        code = str(exc.response.get("Error", {}).get("Code"))
        if code in ("InvalidAccessKeyId", "SignatureDoesNotMatch", "AccessDenied", "403"):
            raise SignInError(url=far_end.address, user=far_end.user) from exc
        raise AnswerError(url=far_end.address, why=code) from exc
    except BotoCoreError as exc:
        refused = _refused_inside(exc)
        if refused is not None:
            raise refused from exc
        why = CERTIFICATE_WHY if is_distrust(exc) else str(exc).rstrip(".")
        raise UnreachableError(url=far_end.address, why=why) from exc


def _refused_inside(exc: BaseException) -> CollectError | None:
    """Our own refusal, where the package wrapped it."""
    inner: BaseException | None = exc
    while inner is not None:
        if isinstance(inner, CollectError):
            return inner
        inner = inner.__cause__ or inner.__context__
    return None


@contextmanager
def _authority(far_end: FarEnd) -> Iterator[str | bool]:
    """The own authority as the file that the package wants, or the system's."""
    if not far_end.ca_certificate:
        yield True
        return
    trust_of(far_end)
    with NamedTemporaryFile("w", suffix=".pem") as file:
        file.write(far_end.ca_certificate)
        file.flush()
        yield file.name


class _Listing:
    def __init__(self, far_end: FarEnd, *, progress: Progress, verify: str | bool) -> None:
        self.far_end, self.progress = far_end, progress
        self.now = datetime.now(UTC)
        self.tiers = {**TIERS, **far_end.options.get("tiers", {})}
        self.client = boto3.client(
            "s3",
            endpoint_url=far_end.address,
            verify=verify,
            aws_access_key_id=far_end.user,
            aws_secret_access_key=far_end.password,
            region_name=str(far_end.options.get("region") or "us-east-1"),
            config=Config(
                connect_timeout=CONNECT_SECONDS,
                read_timeout=far_end.timeout_seconds,
                retries={"max_attempts": 4, "mode": "standard"},
                s3={"addressing_style": "path"},
                proxies={},
            ),
        )
        session = BoundedSession(
            is_guarded=far_end.is_guarded,
            verify=verify,
            proxies={},
            timeout=(CONNECT_SECONDS, far_end.timeout_seconds),
        )
        self.client.meta.events.register("before-send.s3", session.answer_to)
        self.warnings: list[str] = []
        self.bookmark: dict[str, Any] = dict(far_end.options.get("bookmark") or {})  # Any: JSON

    def collected(self) -> Collection:
        """List what is due, bucket by bucket, until the time is up."""
        account = self._account()
        names = [str(b["Name"]) for b in self.client.list_buckets().get("Buckets", [])]
        only = self.far_end.options.get("buckets")
        names = [n for n in names if not only or n in only]
        documents: list[AnyDocument] = [account]
        for name in names:
            if self._is_out_of_time():
                self.warnings.append("Not all buckets were listed; the next run goes on.")
                break
            if (told := self._bucket(name, account_uid=account.uid)) is not None:
                documents.append(told)
        gone = self._gone(names, account_uid=account.uid)
        return Collection(
            documents=[*documents, *gone], warnings=self.warnings, bookmark=self.bookmark
        )

    def _account(self) -> AccountDocument:
        name = str(self.far_end.options.get("account") or self.far_end.user)
        return AccountDocument(
            uid=f"id.account/{safe_uid(name)}",
            name=name,
            tenant_uid=self.far_end.options.get("tenant_uid"),
            site=self.far_end.options.get("site"),
            read_at=self.now,
        )

    def _is_out_of_time(self) -> bool:
        return datetime.now(UTC) - self.now > timedelta(seconds=MAX_SECONDS)

    def _bucket(self, name: str, *, account_uid: str) -> BucketDocument | None:
        """Count a bucket that is due; None where it was counted lately or is not at its end."""
        state = self.bookmark.get(name) or {}
        hours = float(self.far_end.options.get("relist_hours") or DEFAULT_RELIST_HOURS)
        done_at = state.get("done_at")
        if done_at and self.now - datetime.fromisoformat(done_at) < timedelta(hours=hours):
            return None
        count = Count.restored(state["open"]) if "open" in state else Count(
            begun_at=self.now.isoformat()
        )  # fmt: skip
        n_listed = 0
        for page in self._pages(name, after=count.after):
            for listed in page:
                count.add(listed, tiers=self.tiers, now=self.now)
            n_listed += len(page)
            self.progress(f"bucket {name}", n_listed)
            if self._is_out_of_time():
                self.bookmark[name] = {"open": count.stored()}
                self.warnings.append(f"Bucket {name} is counted up to “{count.after}”.")
                return None
        self.bookmark[name] = {"done_at": self.now.isoformat()}
        return self._document(name, count=count, account_uid=account_uid)

    def _pages(
        self, name: str, *, after: str
    ) -> Iterator[list[Mapping[str, Any]]]:  # Any: the protocol's
        while True:
            page = self.client.list_objects_v2(
                Bucket=name, MaxKeys=PAGE_OBJECTS, **({"StartAfter": after} if after else {})
            )
            listed = page.get("Contents") or []
            if listed:
                yield listed
                after = str(listed[-1]["Key"])
            if not page.get("IsTruncated"):
                return

    def _document(self, name: str, *, count: Count, account_uid: str) -> BucketDocument:
        return BucketDocument(
            uid=f"id.bucket/{safe_uid(account_uid.partition('/')[2])}/{safe_uid(name)}",
            name=name,
            account_uid=account_uid,
            n_objects=sum(count.n_objects.values()),
            used_bytes=sum(count.n_bytes.values()),
            age_since="write",
            shares=[
                BucketShare(
                    tier=tier,  # type: ignore[arg-type]  # one of the three
                    from_days=days,
                    n_objects=n,
                    n_bytes=count.n_bytes[tier, days],
                )
                for (tier, days), n in sorted(count.n_objects.items())
            ],
            largest=[
                LargeObject(
                    key=key[:MAX_KEY],
                    n_bytes=n_bytes,
                    tier=tier,  # type: ignore[arg-type]  # one of the three
                    written_at=datetime.fromisoformat(at),
                )
                for n_bytes, key, tier, at in sorted(count.largest, reverse=True)
            ],
            read_at=self.now,
        )

    def _gone(self, names: list[str], *, account_uid: str) -> list[AnyDocument]:
        """Only a run that counts every bucket anew may say that others are gone."""
        for name in self.bookmark.keys() - set(names):
            del self.bookmark[name]
        is_whole = all(
            self.bookmark.get(name, {}).get("done_at") == self.now.isoformat() for name in names
        )
        return [CompleteDocument(of_uid=account_uid, read_at=self.now)] if is_whole else []
