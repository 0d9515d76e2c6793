"""The base of every value in the program: frozen, comparable, hashable, quick to copy, and known to the job file.

``replace`` returns a copy with some fields changed.
"""

from __future__ import annotations

import sys

if missing := "typing_extensions" not in sys.modules:
    sys.modules["typing_extensions"] = None  # type: ignore[assignment]
from msgspec import Meta, Struct, field  # it takes what it needs from ``typing`` then: a tenth of the time of a short command
from msgspec.structs import replace

if missing:
    del sys.modules["typing_extensions"]

__all__ = ["Meta", "Value", "field", "replace"]


class Value(Struct, frozen=True, forbid_unknown_fields=True):
    """A frozen value; equal when its fields are."""
