"""Where the program begins: the window, or one command."""

from __future__ import annotations

import sys


def main() -> int:
    """Run the program and return its exit status."""
    from inkshelf.cli import run

    return run(sys.argv[1:])


if __name__ == "__main__":
    sys.exit(main())
