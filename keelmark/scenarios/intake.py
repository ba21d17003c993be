"""Workloads read from a table, a row each, or from an OVF descriptor (DMTF DSP0243)."""

import csv
import io
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any, Final
from xml.etree.ElementTree import Element, ParseError

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring

from keelmark.core.errors import QuantityError
from keelmark.core.units import MAX_BYTES, PERCENT, parse_bytes

MOST_TEXT: Final = 5_000_000
MOST_ROWS: Final = 1_000
MOST_FAULTS: Final = 200
MOST_NAME: Final = 100
MOST_COUNT: Final = 100_000
CPU, MEMORY, DISK = "3", "4", "17"  # resource types of CIM, as OVF has them

Draft = dict[str, Any]  # Any: JSON of a workload as the API takes it
DiskDraft = dict[str, int | bool]


@dataclass(frozen=True, slots=True, kw_only=True)
class Fault:
    """What cannot be read, where: a row (from 1, the header too) or a path, and its field."""

    where: str
    field: str
    says: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Intake:
    """What was read, and what was not."""

    workloads: list[Draft] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)


def read_intake(text: str, *, file: str) -> Intake:
    """Return the workloads of a file; what is wrong with some of it costs nothing of the rest."""
    if len(text) > MOST_TEXT:
        return _nothing("file", f"{file}: more than {MOST_TEXT:,} characters")
    if text.lstrip("\ufeff \r\n\t").startswith("<"):
        return _read_ovf(text, file=file)
    return _read_table(text, file=file)


def _nothing(name: str, says: str) -> Intake:
    return Intake(faults=[Fault(where="file", field=name, says=says)])


# A table


@dataclass(frozen=True, slots=True)
class _Column:
    names: tuple[str, ...]
    read: Callable[[str], Any]  # Any: of each column its own
    is_wanted: bool = False


def _read_table(text: str, *, file: str) -> Intake:
    text = text.lstrip("\ufeff")
    first = text.split("\n", 1)[0]
    delimiter = max("\t;,", key=first.count)
    rows = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    try:
        header = [_plain(one) for one in next(rows, [])]
        at = {
            key: header.index(name)
            for key, column in _COLUMNS.items()
            for name in column.names
            if name in header
        }
        lacking = [c.names[0] for key, c in _COLUMNS.items() if c.is_wanted and key not in at]
        if lacking:
            return _nothing("header", f"{file}: its first row names no column {', '.join(lacking)}")
        told = Intake()
        for number, row in enumerate(rows, start=2):
            if not any(cell.strip() for cell in row):
                continue
            if number > MOST_ROWS + 1:
                fault = Fault(where=f"row {number}", field="", says=f"more than {MOST_ROWS:,} rows")
                told.faults.append(fault)
                break
            _read_row(row, at=at, number=number, into=told, has_comma=delimiter == ";")
    except csv.Error as exc:
        return _nothing("file", f"{file}: {exc}")
    return Intake(workloads=told.workloads, faults=told.faults[:MOST_FAULTS])


def _read_row(
    row: list[str], *, at: dict[str, int], number: int, into: Intake, has_comma: bool
) -> None:
    draft: Draft = {}
    faults: list[Fault] = []
    for key, place in at.items():
        text = row[place].strip() if place < len(row) else ""
        if not text:
            continue
        try:
            draft[key] = _COLUMNS[key].read(text.replace(",", ".") if has_comma else text)
        except (QuantityError, ValueError) as exc:
            faults.append(Fault(where=f"row {number}", field=_COLUMNS[key].names[0], says=str(exc)))
    for key, column in _COLUMNS.items():
        if (
            column.is_wanted
            and key not in draft
            and not any(one.field == column.names[0] for one in faults)
        ):
            faults.append(Fault(where=f"row {number}", field=column.names[0], says="is wanted"))
    if faults:
        into.faults.extend(faults)
        return
    sizes: list[int] = draft.pop("sizes")
    each = {
        "written_percent": draft.pop("written_percent", PERCENT),
        "min_iops": draft.pop("min_iops", 0) // len(sizes),
        "busy_iops": draft.pop("busy_iops", 0) // len(sizes),
    }
    growth = draft.pop("bytes_a_week", 0)
    whole = sum(sizes)
    draft["disks"] = [
        {"size_bytes": size, "bytes_a_week": growth * size // whole, "is_thick": False, **each}
        for size in sizes
    ]
    into.workloads.append({"n_vms": 1, **draft})


def _plain(text: str) -> str:
    return re.sub(r"[^a-z]+", " ", text.lower()).strip()


def _name(text: str) -> str:
    if len(text) > MOST_NAME:
        raise ValueError(f"at most {MOST_NAME} characters")
    return text


def _whole(least: int, most: int) -> Callable[[str], int]:
    def read(text: str) -> int:
        plain = text.replace(" ", "").replace("\u202f", "")
        if not plain.isascii() or not plain.isdigit() or not least <= int(plain) <= most:
            raise ValueError(f"a whole number from {least:,} to {most:,}, not {text}")
        return int(plain)

    return read


def _percent(text: str) -> int:
    return _whole(0, PERCENT)(text.rstrip("% "))


def _size(text: str) -> int:
    """An amount with its unit, to the nearest byte: nobody means the fraction of one."""
    match = _AMOUNT.match(text)
    if match is None:
        raise ValueError(f"a size with its unit, such as 1.5 TiB, not {text}")
    number, unit = match.groups()
    amount = round(Decimal(number) * parse_bytes(f"1 {unit}"))
    if amount > MAX_BYTES:
        raise ValueError(f"at most 8 EiB, not {text}")
    return amount


_AMOUNT: Final = re.compile(r"^\s*(\d{1,15}(?:\.\d{1,15})?)\s*([A-Za-z]{1,3})\s*$")


def _sizes(text: str) -> list[int]:
    told = [_size(one) for one in text.split("+")]
    if 0 in told or sum(told) > MAX_BYTES:
        raise ValueError("each disk has a size, together at most 8 EiB")
    return told


_COLUMNS: Final[dict[str, _Column]] = {
    "name": _Column(("name", "workload", "called"), _name, is_wanted=True),
    "n_vms": _Column(("vms", "how many", "count", "number"), _whole(1, MOST_COUNT)),
    "sizes": _Column(("disks", "disk", "size", "capacity"), _sizes, is_wanted=True),
    "written_percent": _Column(("written", "written percent", "fill", "filled"), _percent),
    "bytes_a_week": _Column(("growth a week", "growth", "growth per week"), _size),
    "min_iops": _Column(("least iops", "min iops", "minimum iops"), _whole(0, 10**9)),
    "busy_iops": _Column(("busy iops", "iops"), _whole(0, 10**9)),
    "n_cpus": _Column(("cpus", "cpu", "vcpus"), _whole(0, 100_000)),
    "memory_bytes": _Column(("memory", "ram"), _size),
    "service_class": _Column(("service class", "class"), _name),
    "tenant": _Column(("tenant", "for"), _name),
}


# An OVF descriptor


def _read_ovf(text: str, *, file: str) -> Intake:
    try:
        root = fromstring(text)
    except (ParseError, DefusedXmlException) as exc:
        return _nothing("file", f"{file}: no XML that is read here: {exc}")
    if _tag(root) != "Envelope":
        return _nothing("file", f"{file}: it begins with {_tag(root)}, not with an Envelope")
    disks, faults = _disks_in(root)
    told = Intake(faults=faults)
    systems = [one for one in root.iter() if _tag(one) == "VirtualSystem"]
    if not systems:
        faults.append(Fault(where="file", field="VirtualSystem", says="there is none"))
    for number, system in enumerate(systems[:MOST_ROWS], start=1):
        name = _system_name(system) or f"system {number}"
        draft, wrong = _system(system, name=name, disks=disks)
        faults += wrong
        if not wrong:
            told.workloads.append(draft)
    return told


def _disks_in(root: Element) -> tuple[dict[str, DiskDraft], list[Fault]]:
    """Disks by the id by which hardware names them."""
    told: dict[str, DiskDraft] = {}
    faults: list[Fault] = []
    for one in root.iter():
        if _tag(one) != "Disk":
            continue
        facts = {_tag_of(name): value for name, value in one.attrib.items()}
        key = facts.get("diskId", "")
        try:
            size = _units(facts.get("capacityAllocationUnits", "byte")) * int(facts["capacity"])
            held = int(facts.get("populatedSize", size))
        except (KeyError, ValueError) as exc:
            faults.append(
                Fault(where=f"disk {key}", field="capacity", says=f"cannot be read: {exc}")
            )
            continue
        if not 0 < size <= MAX_BYTES:
            faults.append(Fault(where=f"disk {key}", field="capacity", says=f"{size:,} bytes"))
            continue
        filled = min(-(-PERCENT * held // size), PERCENT)
        told[key] = {
            "size_bytes": size, "written_percent": filled, "bytes_a_week": 0, "is_thick": False,
            "min_iops": 0, "busy_iops": 0,
        }  # fmt: skip
    return told, faults


def _system(
    system: Element, *, name: str, disks: dict[str, DiskDraft]
) -> tuple[Draft, list[Fault]]:
    draft: Draft = {"name": name[:MOST_NAME], "n_vms": 1, "disks": []}
    faults: list[Fault] = []
    for item in system.iter():
        if _tag(item) not in ("Item", "StorageItem"):
            continue
        facts = {_tag(one): (one.text or "").strip() for one in item}
        kind = facts.get("ResourceType")
        try:
            if kind == CPU:
                draft["n_cpus"] = draft.get("n_cpus", 0) + int(facts["VirtualQuantity"])
            elif kind == MEMORY:
                amount = int(facts["VirtualQuantity"]) * _units(
                    facts.get("AllocationUnits", "byte * 2^20")
                )
                draft["memory_bytes"] = draft.get("memory_bytes", 0) + amount
            elif kind == DISK:
                key = facts.get("HostResource", "").rpartition("/")[2]
                draft["disks"].append(disks[key])
        except (KeyError, ValueError) as exc:
            field_name = {CPU: "CPUs", MEMORY: "memory"}.get(str(kind), "disk")
            faults.append(Fault(where=name, field=field_name, says=f"cannot be read: {exc}"))
    if not draft["disks"] and not faults:
        faults.append(Fault(where=name, field="disk", says="it has none"))
    return draft, faults


def _system_name(system: Element) -> str:
    named = next((one.text for one in system if _tag(one) == "Name" and one.text), None)
    facts = {_tag_of(name): value for name, value in system.attrib.items()}
    return (named or facts.get("id") or "").strip()


_UNITS: Final = re.compile(r"^\s*byte(?:s)?\s*(?:\*\s*(\d+)\s*\^\s*(\d+))?\s*$", re.IGNORECASE)


def _units(told: str) -> int:
    """A programmatic unit of DSP0004, such as ``byte * 2^30``."""
    known = {"megabytes": 1024**2, "gigabytes": 1024**3, "kilobytes": 1024, "": 1}
    if told.strip().lower() in known:
        return known[told.strip().lower()]
    match = _UNITS.match(told)
    if match is None:
        raise ValueError(f"the unit {told} is not known")
    base, power = match.groups()
    most_base, most_power = 1024, 80
    if power is not None and (int(power) > most_power or int(base) > most_base):
        raise ValueError(f"the unit {told} is too large")
    return int(base) ** int(power) if base else 1


def _tag(of: Element) -> str:
    return _tag_of(str(of.tag))


def _tag_of(name: str) -> str:
    return name.rpartition("}")[2]
