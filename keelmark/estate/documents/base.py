"""What all estate documents share: their types, identity and header."""

from datetime import datetime
from typing import Annotated, Literal

import msgspec

VERSION = 1
MAX_DAYS = 40_000
MAX_STEPS = 105_120  # a year of five minutes
# The top of an int64, which a bound of ours could not name: larger numbers do not decode.
Bytes = Annotated[int, msgspec.Meta(ge=0, le=2**63 - 1, description="exact bytes")]
Count = Annotated[int, msgspec.Meta(ge=0, le=2**53)]
Amount = Annotated[float, msgspec.Meta(ge=0)]
UID_FORM = r"^(serial|uuid|naa|eui|nguid|wwn|iqn|id|path)\.[A-Za-z0-9._:/@+-]+$"
Uid = Annotated[
    str,
    msgspec.Meta(
        pattern=UID_FORM,
        max_length=400,
        description="worldwide name, UUID, serial, own id or native path, its kind first",
    ),
]
Name = Annotated[str, msgspec.Meta(min_length=1, max_length=200)]
Text = Annotated[str, msgspec.Meta(max_length=400)]
Moment = Annotated[datetime, msgspec.Meta(tz=True, description="ISO 8601 with its offset")]
Label = Annotated[str, msgspec.Meta(pattern=r"^[^\s:]{1,60}:[^\s]{1,120}$")]  # name:value
Labels = Annotated[list[Label], msgspec.Meta(max_length=64)]
Uids = Annotated[list[Uid], msgspec.Meta(max_length=4096)]


class Document(
    msgspec.Struct, tag_field="doc", forbid_unknown_fields=True, omit_defaults=True, kw_only=True
):
    """One line of an estate file."""


class Thing(Document, tag="", kw_only=True):
    """What every inventoried thing has: its identity, its other names, when it was read."""

    uid: Uid
    name: Name
    read_at: Moment
    also: Uids = []


class Header(Document, tag="header", kw_only=True):
    """First line: what the file is; a full file names all that its source knows."""

    format: Literal["keelmark-estate"]
    version: Literal[0, 1]
    source: Name
    scope: Literal["full", "delta"] = "delta"
