"""The number drill: thirty seconds, which number goes into this box."""

from __future__ import annotations

from random import Random

from inkshelf.core.boxes import BOXES, meaning
from inkshelf.core.errors import SizeError
from inkshelf.core.size import GB, GIB, MIB, grouped
from inkshelf.core.value import Value

SECONDS = 30
ASKS = {
    "mib": "a box labelled MB, which takes MiB",
    "gib": "a box labelled GB, which takes GiB",
    "mb": "a box that takes decimal MB",
    "gb": "a box that takes decimal GB",
    "sectors": "a box that takes sectors of 512 bytes",
}
"""The boxes that are asked for; keys of ``core.boxes``."""
CLOSE = MIB
"""Bytes that a number may be more than what is wanted: what boxes round to."""


class Number(Value, frozen=True):
    """One question: ``story``, the box, the bytes that are wanted at least, how many more are taken."""

    story: str
    box: str
    wanted: int
    most: int


class Said(Value, frozen=True):
    """Whether a number is right, and what it comes to in words."""

    right: bool
    words: str


def number(draw: Random, level: int) -> Number:
    """Return a question; higher levels ask for sizes in one unit and boxes in another, and for what a shrink takes away."""
    box = draw.choice(["mib", "gib"] if level == 1 else list(ASKS))
    if level == 1:
        size, said = (value := draw.randint(20, 200)) * GIB, f"{value} GiB"
    elif draw.random() < 0.5:
        size, said = (value := draw.randint(20, 400)) * GB, f"{value} GB (decimal)"
    else:
        size, said = (value := draw.randint(20, 400)) * GIB, f"{value} GiB"
    if level == 3 and box == "mib":
        whole = draw.randint(size // GIB + 20, size // GIB + 300) * GIB
        left = whole - size
        story = f"A volume of {whole // GIB} GiB is to keep {grouped(left // MIB)} MiB. The shrink box says MB: how much is taken away?"
        return Number(story, box, size if size % MIB == 0 else whole - left // MIB * MIB, 2 * MIB)
    return Number(f"{said} at least, into {ASKS[box]}.", box, size, max(CLOSE, _step(box)))


def _step(box: str) -> int:
    """What a digit less in that box comes to: a number may be rounded up to the next one, or to two places."""
    return {"mib": MIB, "gib": GIB // 100, "mb": 10**6, "gb": GB // 100, "sectors": MIB}[box]


def answer(asked: Number) -> str:
    """Return the smallest number that is right."""
    unit = BOXES[asked.box].unit or 512
    if asked.box in {"gib", "gb"}:
        hundredths = -(-asked.wanted * 100 // unit)
        return f"{hundredths // 100}.{hundredths % 100:02}".removesuffix(".00")
    return str(-(-asked.wanted // unit))


def judge(asked: Number, text: str) -> Said:
    """Say what a number comes to in that box, and whether it is right; what is no number is said, and is not right."""
    try:
        meant = meaning(text, asked.box, sector=512)
    except SizeError as error:
        return Said(False, f"{error.what} {answer(asked)} is right.")
    over = meant.size - asked.wanted
    right = 0 <= over <= asked.most
    if right:
        return Said(True, f"{meant.said}.")
    short = f"{grouped(abs(over) // MIB)} MiB {'more' if over > 0 else 'less'} than is wanted"
    return Said(False, f"{meant.said}: {short}. {answer(asked)} is right.")
