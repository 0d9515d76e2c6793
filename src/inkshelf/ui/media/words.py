"""What stands on slips and under sticks, in a few words."""

from __future__ import annotations

from inkshelf.core.media.material import FAT32_MOST, Image
from inkshelf.core.sheet.media import StickPlan
from inkshelf.core.size import decimal


def asked_words(step: int, titles: str) -> str:
    """Say that a job asks for a stick which it could make itself."""
    what = f"a stick that installs {titles}" if titles else "a stick to start from"
    return f"Step {step} of the sheet asks for {what}. Made in this job, it comes first, with its sum, its stick, its times and its checks on the sheet."


def starts_words(image: Image) -> str:
    """Return how an image starts, as short as it can be said; what is unusual about it first."""
    if image.fault:
        return "cannot be read"
    if image.missing:
        return f"cut short by {decimal(image.missing)}"
    if image.kind == "packed":
        return f"compressed ({image.packing.packing if image.packing else ''}): unpack it first"
    parts = ["uefi"] if image.loaders else []
    parts += ["legacy"] if image.legacy else []
    if image.loaders:
        parts.append("signed" if any(one.signed for one in image.loaders) else "not signed")
    if image.largest and image.largest[1] > FAT32_MOST:
        parts.append(f"one file of {decimal(image.largest[1])}")
    return " \N{MIDDLE DOT} ".join(parts) or ("told, not here yet" if image.told else "starts nothing that is known")


def state_words(image: Image) -> tuple[str, str]:
    """Return how an image stands against its published sum, and the colour of that."""
    if image.told and not image.path:
        return "not here yet", "pencil"
    return {"agrees": ("sum agrees", "ok"), "differs": ("SUM DIFFERS", "stop"), "": ("no sum yet", "warn")}[image.checked]


def span(seconds: float) -> str:
    """Return a time as a person reads it."""
    whole = max(1, round(seconds))
    return f"{whole // 60} min {whole % 60:02} s" if whole >= 60 else f"{whole} s"


def map_lines(plan: StickPlan) -> list[str]:
    """Return which folder of an image lies on which volume of a stick in two parts, a line each volume."""
    lines = []
    for one in plan.images:
        for call in dict.fromkeys(place for _, place in one.map):
            label = next((own.filesystem.label for own in plan.volumes if own.call == call and own.filesystem), "")
            names = ", ".join(name for name, place in one.map if place == call)
            lines.append(f"on {call} “{label}”: {names}")
    return lines
