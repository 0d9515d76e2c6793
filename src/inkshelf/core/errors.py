"""The one family of errors that a person may see: what is wrong, and what to do."""

from __future__ import annotations


class InkshelfError(Exception):
    """Something a person can act on.

    ``what`` says what is wrong in one sentence, ``remedy`` what to do about it.
    """

    def __init__(self, what: str, remedy: str = "") -> None:
        self.what = what
        self.remedy = remedy
        super().__init__(f"{what} {remedy}".strip())


class SizeError(InkshelfError):
    """A size that has no sense: wrong unit, no unit, not above zero, too large."""


class TableError(InkshelfError):
    """A partition table that cannot be read; names the field and its byte offset."""

    def __init__(self, what: str, remedy: str = "", *, field: str = "", offset: int = -1) -> None:
        self.field = field
        self.offset = offset
        super().__init__(what, remedy)


class FormatError(InkshelfError):
    """A structure inside a volume that cannot be read."""


class StepError(InkshelfError):
    """A step that cannot be applied to the state it meets."""


class PlanError(InkshelfError):
    """An aim that cannot be planned on this machine."""


class JobError(InkshelfError):
    """A job file that cannot be read or written."""


class BenchError(InkshelfError):
    """The bench cannot do what was asked."""


class StopsError(BenchError):
    """A plan that findings stop, and that nobody answered for in writing."""


class CancelledError(BenchError):
    """A person cancelled; the source is untouched and the bench copy can be gone on with or thrown away."""


class CaptureError(InkshelfError):
    """Captured text that cannot be read."""
