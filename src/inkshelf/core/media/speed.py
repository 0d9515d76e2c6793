"""What a stick is good for, by its speed: a live system, one that keeps changes, or a whole system that is installed on it."""

from __future__ import annotations

from inkshelf.core.machine.state import Disk
from inkshelf.core.size import decimal
from inkshelf.data import table

SHORT = {
    "errors": "nothing: it reports errors",
    "lies": "nothing: it holds less than it says",
    "unknown": "not measured yet",
    "system": "a whole system, keeping, images",
    "keeping": "keeping changes, images",
    "images": "images, a live system",
}
"""What each grade comes to, in the words of a table."""


def grade(disk: Disk) -> str:
    """Return what a stick is good for: a key of ``SHORT``; small pieces decide, as a running system writes those."""
    facts, least = disk.stick, table("defaults")["stick_speed"]
    if disk.failing:
        return "errors"
    if facts and 0 < facts.real_size < disk.size:
        return "lies"
    if facts is None or not facts.small:
        return "unknown"
    steady = facts.slow or facts.writes
    if facts.small >= int(least["system_small"]) and steady >= int(least["system_steady"]):
        return "system"
    return "keeping" if facts.small >= int(least["keeping_small"]) else "images"


def good_for(disk: Disk) -> str:
    """Return in words what a stick is good for, with the reason."""
    facts = disk.stick
    small = decimal(facts.small) if facts else ""
    slows = f", and {decimal(facts.slow)} a second in the end" if facts and facts.slow else ""
    speed = f"{small} a second in small pieces{slows}"
    return {
        "errors": "good for nothing: it reports errors",
        "lies": "good for nothing: it holds less than it says",
        "unknown": "measure it first: its speed decides between live, keeping and a whole system",
        "system": f"good for a whole system, for keeping changes, and for images: {speed}",
        "keeping": f"good for keeping changes and for images, not for a whole system: {speed}",
        "images": f"good for images and a live system only: {speed}",
    }[grade(disk)]
