"""What a stick is good for, by its speed: a live system, one that keeps changes, or a whole system that is installed on it."""

from __future__ import annotations

from inkshelf.core.machine.state import Disk
from inkshelf.core.size import decimal
from inkshelf.data import table


def good_for(disk: Disk) -> str:
    """Return in words what a stick is good for, with the reason; small pieces decide, as a running system writes those."""
    facts, least = disk.stick, table("defaults")["stick_speed"]
    if disk.failing:
        return "good for nothing: it reports errors"
    if facts and 0 < facts.real_size < disk.size:
        return "good for nothing: it holds less than it says"
    if facts is None or not facts.small:
        return "measure it first: its speed decides between live, keeping and a whole system"
    slows = f", and {decimal(facts.slow)} a second in the end" if facts.slow else ""
    words = f"{decimal(facts.small)} a second in small pieces{slows}"
    steady = facts.slow or facts.writes
    if facts.small >= int(least["system_small"]) and steady >= int(least["system_steady"]):
        return f"good for a whole system, for keeping changes, and for images: {words}"
    if facts.small >= int(least["keeping_small"]):
        return f"good for keeping changes and for images, not for a whole system: {words}"
    return f"good for images and a live system only: {words}"
