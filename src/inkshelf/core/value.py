"""The base of every value in the program: frozen, comparable, hashable, quick to copy, and known to the job file.

``replace`` returns a copy with some fields changed.
"""

from __future__ import annotations

from msgspec import Struct, field
from msgspec.structs import replace

__all__ = ["Value", "field", "replace"]


class Value(Struct, frozen=True, forbid_unknown_fields=True):
    """A frozen value; equal when its fields are."""
