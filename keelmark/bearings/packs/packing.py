"""Arrow tables to and from the bytes in which they are kept."""

import hashlib
from typing import Final

import pyarrow as pa
import pyarrow.ipc

COMPRESSION: Final = "zstd"
OUTLOOK = "outlook"  # beside the table of a kind: what is known of its futures
PAIR = "pairs"


def packed(table: pa.Table) -> bytes:
    """Return a table as an Arrow stream, compressed."""
    sink = pa.BufferOutputStream()
    options = pa.ipc.IpcWriteOptions(compression=COMPRESSION)
    whole = table.combine_chunks()
    with pa.ipc.new_stream(sink, whole.schema, options=options) as writer:
        writer.write_table(whole)
    content: bytes = sink.getvalue().to_pybytes()
    return content


def unpacked(content: bytes | memoryview) -> pa.Table:
    """Return the table that was packed."""
    with pa.ipc.open_stream(pa.py_buffer(content)) as reader:
        return reader.read_all().combine_chunks()


def digest_of(content: bytes, *, name: str) -> str:
    """Return what tells two packs apart; empty ones of two names are two."""
    return hashlib.sha256(name.encode() + b"\0" + content).hexdigest()
