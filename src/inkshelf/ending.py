"""How a run ends: its exit status, and one clear line on standard error where something was wrong."""

from __future__ import annotations

import sys
from collections.abc import Callable

from inkshelf.core.errors import InkshelfError, StopsError

STATUS_STOP, STATUS_BAD = 1, 2


def status(work: Callable[[], int]) -> int:
    """Do the work and return its exit status; an error that a person can act on becomes a line and status 2."""
    try:
        return work()
    except StopsError as error:
        bad(str(error))
        return STATUS_STOP
    except InkshelfError as error:
        return bad(str(error))
    except KeyboardInterrupt:
        return bad("Stopped.")
    except BrokenPipeError:
        return 0
    except OSError as error:
        return bad(f"{error.filename or 'The system'}: {error.strerror}. Check the place and your rights.")


def bad(line: str) -> int:
    """Say what is wrong in one line and return the status for it."""
    print(" ".join(line.split()), file=sys.stderr)
    return STATUS_BAD
