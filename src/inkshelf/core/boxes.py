"""Boxes on screens that take a size: what a number in them means. The other way round, the number for a size, is ``size.to_type``."""

from __future__ import annotations

import re
from collections.abc import Callable
from decimal import Decimal, InvalidOperation

from inkshelf.core.errors import SizeError
from inkshelf.core.size import GB, GIB, LARGEST, MIB, binary, decimal, parse_size
from inkshelf.core.texts import shown as one_line_of
from inkshelf.core.value import Value

SUFFIX = re.compile(r"\s*([\d_ .,]+?)\s*([KMGTP])\s*", re.IGNORECASE)
BARE = "KMGTP"


class Box(Value, frozen=True):
    """One kind of box. ``unit``: bytes that one of its numbers stands for; ``None``: it follows from the disk, or from what is typed.

    ``mistaken``: the unit that it is taken for by mistake, with the word for it.
    """

    key: str
    title: str
    unit: int | None
    mistaken: tuple[int, str] | None = None


BOXES: dict[str, Box] = {
    one.key: one
    for one in (
        Box("mib", "a box labelled MB or MiB, which takes MiB", MIB, (10**6, "decimal MB")),
        Box("gib", "a box labelled GB or GiB, which takes GiB", GIB, (GB, "decimal GB")),
        Box("mb", "a box that takes decimal MB", 10**6, (MIB, "MiB")),
        Box("gb", "a box that takes decimal GB", GB, (GIB, "GiB")),
        Box("suffix", "a number with its suffix", None),
        Box("sectors", "a number of sectors", None),
        Box("percent", "percent of the disk", None),
        Box("bytes", "a number of bytes", 1),
    )
}


class Ground(Value, frozen=True):
    """What a number of sectors or a percentage speaks of: the disk's bytes (``None``: not known) and its sectors' bytes."""

    whole: int | None
    sector: int


class Meant(Value, frozen=True):
    """What a number in a box comes to. ``size`` in bytes; ``beside``: the same number in the unit it is taken for, and the word for it."""

    box: str
    text: str
    size: int
    beside: int | None = None
    beside_words: str = ""

    @property
    def said(self) -> str:
        """The size in both families of units, to two digits."""
        return f"{binary(self.size, 2)} = {decimal(self.size, 2)}"

    @property
    def mistake(self) -> str:
        """What the same number would be in the unit that the box is taken for; empty where there is none."""
        if self.beside is None or self.beside == self.size:
            return ""
        more = "more" if self.beside > self.size else "less"
        return f"{self.text} {self.beside_words} would be {binary(abs(self.beside - self.size), 2)} {more}"


def meaning(text: str, box: str, *, whole: int | None = None, sector: int = 512) -> Meant:
    """Return what ``text`` means in a box; ``whole``: the disk's bytes, which a percentage speaks of.

    Raises ``SizeError`` where the text is no number for that box.
    """
    kind = BOXES.get(box)
    if kind is None:
        raise SizeError(f"“{box}” is not a kind of box.", f"Choose one of: {', '.join(BOXES)}.")
    shown = one_line_of(text.strip())
    size = READ[box](shown, Ground(whole, sector)) if box in READ else _scaled(shown, kind.unit or 1)
    if not 0 < size <= LARGEST:
        raise SizeError(f"“{shown}” is not a size a disk can have.", "Check the number and the box.")
    number = None if kind.mistaken is None else _scaled(shown, kind.mistaken[0])
    return Meant(box, shown, size, number, kind.mistaken[1] if kind.mistaken else "")


def _number(text: str) -> Decimal:
    """Return a number as people write one: blanks and underscores between groups, a dot or one comma for the fraction."""
    plain = re.sub(r"[\s_\u202f]", "", text)
    if plain.count(",") == 1 and "." not in plain and len(plain.rsplit(",", 1)[1]) != 3:
        plain = plain.replace(",", ".")
    try:
        value = Decimal(plain)
    except InvalidOperation:
        raise SizeError(f"“{text}” is not a number.", "Write digits only, as they stand in the box.") from None
    if not value.is_finite() or value <= 0 or value > LARGEST:
        raise SizeError(f"“{text}” is not a size a disk can have.", "Check the number.")
    return value


def _scaled(text: str, unit: int) -> int:
    return int(_number(text) * unit)


def _suffix(text: str, ground: Ground) -> int:
    """Bare letters are binary, as partition and volume utilities take them; MiB and MB are what they say; without one it is sectors."""
    bare = SUFFIX.fullmatch(text)
    if bare:
        return _scaled(bare.group(1), 1024 ** (BARE.index(bare.group(2).upper()) + 1))
    if re.fullmatch(r"[\d_ ]+", text):
        return _sectors(text, ground)
    return parse_size(text)


def _sectors(text: str, ground: Ground) -> int:
    number = _number(text)
    if number != int(number):
        raise SizeError(f"“{text}” is not a whole number of sectors.", "Write digits only.")
    return int(number) * ground.sector


def _percent(text: str, ground: Ground) -> int:
    if ground.whole is None:
        raise SizeError("A percentage of what is not known.", "Say how large the whole is, or name a volume of a job.")
    number = _number(text.removesuffix("%"))
    if number > 100:
        raise SizeError(f"“{text}” is more than all of it.", "A percentage goes up to 100.")
    return int(number * ground.whole / 100)


READ: dict[str, Callable[[str, Ground], int]] = {"suffix": _suffix, "sectors": _sectors, "percent": _percent}
