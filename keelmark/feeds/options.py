"""Options of feeds: what each protocol takes, checked by name and form before it is kept."""

from typing import Annotated, Any

import msgspec

from keelmark.estate.documents.base import Uid
from keelmark.estate.models import Protocol
from keelmark.feeds.errors import CollectError, FeedFormError

KEPT = ("bookmark",)  # where a run goes on; it writes that itself
Options = dict[str, Any]  # Any: JSON
Word = Annotated[str, msgspec.Meta(min_length=1, max_length=200, pattern=r"^[^\x00-\x1f]+$")]
Words = Annotated[list[Word], msgspec.Meta(max_length=1000)]


class RuleOption(msgspec.Struct, forbid_unknown_fields=True, kw_only=True):
    """Which samples of an exporter fill which field."""

    metric: Word
    fills: Word
    label: Word = "uid"
    form: Annotated[str, msgspec.Meta(pattern=r"^[a-z]{0,10}$")] = ""
    kind: Annotated[str, msgspec.Meta(max_length=20)] = ""
    scale: Annotated[float, msgspec.Meta(gt=0, le=2.0**60)] = 1.0


class HypervisorOptions(msgspec.Struct, forbid_unknown_fields=True, kw_only=True):
    cluster: Word | None = None
    site: Word | None = None


class MetricsOptions(msgspec.Struct, forbid_unknown_fields=True, kw_only=True):
    rules: Annotated[list[RuleOption], msgspec.Meta(min_length=1, max_length=1000)]


class ObjectsOptions(msgspec.Struct, forbid_unknown_fields=True, kw_only=True):
    account: Word | None = None
    tenant_uid: Uid | None = None
    site: Word | None = None
    region: Annotated[str, msgspec.Meta(pattern=r"^[A-Za-z0-9-]{1,60}$")] | None = None
    buckets: Words | None = None
    tiers: dict[Word, Word] | None = None
    relist_hours: Annotated[float, msgspec.Meta(gt=0, le=8760)] | None = None


class FolderOptions(msgspec.Struct, forbid_unknown_fields=True, kw_only=True):
    folder: Annotated[str, msgspec.Meta(pattern=r"^[A-Za-z0-9._ -]{1,100}$")]


class TableOptions(FolderOptions, forbid_unknown_fields=True, kw_only=True):
    mapping_id: Annotated[int, msgspec.Meta(ge=1, le=2**53)] | None = None
    bad_rows: Annotated[str, msgspec.Meta(pattern=r"^(refuse|skip)$")] = "refuse"


class PushOptions(msgspec.Struct, forbid_unknown_fields=True, kw_only=True):
    """What a push may tell of things that others brought; of its own it may tell everything."""

    of_others: Annotated[list[str], msgspec.Meta(max_length=20)] = []


class NoOptions(msgspec.Struct, forbid_unknown_fields=True, kw_only=True):
    pass


FORMS: dict[Protocol, type[msgspec.Struct]] = {
    Protocol.REDFISH: NoOptions,
    Protocol.LIBVIRT: HypervisorOptions,
    Protocol.OPENMETRICS: MetricsOptions,
    Protocol.S3: ObjectsOptions,
    Protocol.FILE: FolderOptions,
    Protocol.TABLE: TableOptions,
    Protocol.PUSH: PushOptions,
}


def check_options(protocol: Protocol, *, options: Options) -> None:
    """Raise FeedFormError unless a feed of this protocol can have these options."""
    settable = settable_options(options)
    try:
        msgspec.convert(settable, FORMS[protocol], strict=True)
    except msgspec.ValidationError as exc:
        raise FeedFormError(field="options", why=str(exc)) from exc
    try:
        _check_meaning(protocol, options=settable)
    except CollectError as exc:
        raise FeedFormError(field="options", why=str(exc)) from exc


def _check_meaning(protocol: Protocol, *, options: Options) -> None:
    if protocol == Protocol.OPENMETRICS:
        from keelmark.feeds.metrics.scrape import rules_of

        rules_of(options.get("rules"))
    if protocol == Protocol.PUSH:
        from keelmark.feeds.bounds import sorts_of

        sorts_of(options)


def settable_options(options: Options) -> Options:
    """Return the options that people set."""
    return {name: told for name, told in options.items() if name not in KEPT}


def kept_options(options: Options) -> Options:
    """Return what runs keep among the options."""
    return {name: told for name, told in options.items() if name in KEPT}
