"""All checks; importing this package registers them."""

from inkshelf.core.checks import (
    built,
    clones,
    disk,
    entries,
    firmware,
    handling,
    leads,
    mbr,
    people,
    room,
    sharing,
    sizes,
    start,
    sticks,
    wishes,
)
from inkshelf.core.checks.registry import Finding, answer, apply_remedy, findings, know

__all__ = [
    "Finding",
    "answer",
    "apply_remedy",
    "built",
    "clones",
    "disk",
    "entries",
    "findings",
    "firmware",
    "handling",
    "know",
    "leads",
    "mbr",
    "people",
    "room",
    "sharing",
    "sizes",
    "start",
    "sticks",
    "wishes",
]
