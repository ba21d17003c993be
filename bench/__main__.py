"""Several measurements one after the other, in one process.

python -m bench scenario placement "forecast 1"
"""

import runpy
import sys


def main() -> None:
    """Run each; the first that fails ends it."""
    for one in sys.argv[1:]:
        name, *arguments = one.split()
        print(f"── {one}", flush=True)
        sys.argv = [name, *arguments]
        runpy.run_module(f"bench.{name}", run_name="__main__", alter_sys=True)


if __name__ == "__main__":
    main()
