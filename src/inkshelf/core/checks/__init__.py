"""All checks; importing this package registers them."""

from inkshelf.core.checks import disk, people, room, start
from inkshelf.core.checks.registry import Finding, answer, apply_remedy, findings, know

__all__ = ["Finding", "answer", "apply_remedy", "disk", "findings", "know", "people", "room", "start"]
