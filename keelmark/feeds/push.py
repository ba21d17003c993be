"""Documents that are sent to us: NDJSON lines, all good or all refused."""

from keelmark.estate.documents import AnyDocument, CompleteDocument, Header, Thing
from keelmark.feeds.errors import PushBodyError
from keelmark.feeds.estate_file import read_line
from keelmark.feeds.far_end import Collection

MAX_BODY_BYTES = 64 << 20


def documents_in(body: bytes) -> tuple[list[tuple[int, AnyDocument]], list[str]]:
    """Return the documents of a body with their lines, and what is wrong with its others."""
    documents: list[tuple[int, AnyDocument]] = []
    problems = []
    for number, raw in enumerate(body.split(b"\n"), start=1):
        document, problem = read_line(raw, number=number)
        if problem:
            problems.append(problem)
        elif document is not None:
            documents.append((number, document))
    return documents, problems


def collect_body(body: bytes) -> Collection:
    """Return the documents of a pushed body; a full one completes its source."""
    numbered, problems = documents_in(body)
    if problems:
        raise PushBodyError(problems=problems)
    documents = [document for _, document in numbered]
    is_full = any(isinstance(d, Header) and d.scope == "full" for d in documents)
    read = [d.read_at for d in documents if isinstance(d, Thing)]
    if is_full and read:
        documents.append(CompleteDocument(read_at=max(read)))
    return Collection(documents=documents)
