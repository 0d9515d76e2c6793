"""Where the program begins: the window, or one command."""

from __future__ import annotations

import sys


def main() -> int:
    """Run the program and return its exit status."""
    arguments = sys.argv[1:]
    if arguments in ([], ["--demo"]):
        return _window(demo=bool(arguments))
    return _command(arguments)


def _command(arguments: list[str]) -> int:
    """Run one command. It ends at once: nothing is open, and taking thousands of objects apart takes longer than some commands do."""
    import gc
    import os

    gc.disable()  # what is loaded now stays
    from inkshelf.cli import run

    gc.freeze()
    gc.enable()
    status = run(arguments)
    try:
        sys.stdout.flush()
        sys.stderr.flush()
    except BrokenPipeError:
        pass
    os._exit(status)


def _window(*, demo: bool) -> int:
    """Open the window without the command line's library, and without a search for garbage while everything is being made."""
    import gc

    from inkshelf.ending import status

    gc.disable()  # the window turns it on again when it is there

    def open_it() -> int:
        import inkshelf.core.value  # noqa: F401 - before everything else: whoever loads the model's library first says how quickly
        from inkshelf.ui.start import open_window

        return open_window(demo=demo)

    return status(open_it)


if __name__ == "__main__":
    sys.exit(main())
