"""Files that are made from code and committed: API schema, its client, the file's schema."""

import json
import subprocess
import sys
import tempfile
from pathlib import Path

from keelmark.cli.django import ready_django
from keelmark.config.state import PROJECT
from keelmark.estate.documents import published_schema

OPENAPI = Path("docs/openapi.json")
CLIENT = Path("web/src/lib/api/schema.d.ts")
ESTATE_FILE = Path("docs/estate-file-v1.schema.json")


def make(folder: Path) -> None:
    """Write all generated files below a folder."""
    ready_django()
    from drf_spectacular.generators import SchemaGenerator

    for path in (OPENAPI, CLIENT, ESTATE_FILE):
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
    generator = SchemaGenerator()  # type: ignore[no-untyped-call]  # theirs has no types
    schema = generator.get_schema(request=None, public=True)  # type: ignore[no-untyped-call]
    _write(folder / OPENAPI, body=schema)
    _write(folder / ESTATE_FILE, body=published_schema())
    subprocess.run(  # noqa: S603  # our own locked package
        [str(PROJECT / "web/node_modules/.bin/openapi-typescript"), str(folder / OPENAPI),
         "-o", str(folder / CLIENT)],
        check=True, capture_output=True,
    )  # fmt: skip


def stale() -> list[Path]:
    """Return the generated files that do not say what the code says."""
    with tempfile.TemporaryDirectory() as name:
        fresh = Path(name)
        make(fresh)
        return [
            path
            for path in (OPENAPI, CLIENT, ESTATE_FILE)
            if not (PROJECT / path).exists()
            or (PROJECT / path).read_bytes() != (fresh / path).read_bytes()
        ]


def _write(path: Path, *, body: object) -> None:
    path.write_text(json.dumps(body, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")


if __name__ == "__main__":
    if "--check" in sys.argv:
        wrong = stale()
        for path in wrong:
            sys.stderr.write(f"{path} is stale: python -m keelmark.cli.generated\n")
        sys.exit(1 if wrong else 0)
    make(PROJECT)
