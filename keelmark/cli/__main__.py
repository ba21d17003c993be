"""`python -m keelmark.cli`."""

import sys

from keelmark.cli.app import app
from keelmark.cli.console import CommandError, err
from keelmark.core.errors import CoreError

if __name__ == "__main__":
    try:
        app()
    except (CommandError, CoreError) as exc:
        err.print(f"keel: {exc}", markup=False)
        sys.exit(2)
