"""Exact bytes, the two families of units, alignment, and the number to type.

Inside the program every size is an exact ``int`` of bytes. Makers sell decimal GB (10^9); most boxes on screens take
binary MiB or GiB and often call them "MB" or "GB". Both are always shown.
"""

from __future__ import annotations

import re
from decimal import Decimal, InvalidOperation

from inkshelf.core.errors import SizeError
from inkshelf.core.value import Value

KIB, MIB, GIB, TIB = 1 << 10, 1 << 20, 1 << 30, 1 << 40
GB = 10**9
LARGEST = 1 << 70  # 1 ZiB: beyond what a 64-bit LBA of 512 bytes can name on any disk made

BINARY = {"KiB": KIB, "MiB": MIB, "GiB": GIB, "TiB": TIB, "PiB": 1 << 50, "EiB": 1 << 60}
DECIMAL = {"kB": 10**3, "MB": 10**6, "GB": 10**9, "TB": 10**12, "PB": 10**15, "EB": 10**18}
UNITS = {"B": 1, **BINARY, **DECIMAL}
_FOLDED = {name.lower(): name for name in UNITS}
_SIZE = re.compile(r"\s*([+-]?[\d_ ,]*\.?\d*(?:[eE][+-]?\d+)?)\s*([A-Za-z]*)\s*")


def parse_size(text: str) -> int:
    """Return the exact bytes that ``text`` names, for example ``"120 GiB"`` or ``"512.1GB"``.

    A unit is required, because "80000" is where the wrong-unit mistakes begin. The result is rounded down to a byte.
    Raises ``SizeError`` with the near match where there is one.
    """
    match = _SIZE.fullmatch(text)
    number, unit = (match.group(1).strip(), match.group(2)) if match else ("", "")
    if not match or not number:
        raise SizeError(f"“{text.strip()}” is not a size.", "Write a number and a unit, for example 120 GiB.")
    try:
        value = Decimal(number.replace("_", "").replace(" ", "").replace(",", ""))
    except InvalidOperation:
        raise SizeError(f"“{number}” is not a number.", "Write it like 120 or 1.5.") from None
    if value <= 0:
        raise SizeError(f"“{text.strip()}” is not above zero.", "A size must be larger than 0.")
    factor = UNITS[_unit(text, number, unit)]
    if value > Decimal(LARGEST):
        raise SizeError(f"“{text.strip()}” is larger than any disk.", "Check the number and the unit.")
    size = int(value * factor)
    if not 0 < size <= LARGEST:
        raise SizeError(f"“{text.strip()}” is not a size a disk can have.", "Check the number and the unit.")
    return size


def _unit(text: str, number: str, unit: str) -> str:
    if not unit:
        raise SizeError(f"“{text.strip()}” has no unit.", f"Write {number} GiB (binary) or {number} GB (decimal).")
    known = _FOLDED.get(unit.lower())
    if known:
        return known
    import difflib

    near = {"k": "KiB", "m": "MiB", "g": "GiB", "t": "TiB", "p": "PiB"}.get(unit.lower())
    near = near or next(iter(difflib.get_close_matches(unit, UNITS, 1, 0.6)), "GiB")
    raise SizeError(f"“{unit}” is not a unit of size.", f"Did you mean {number} {near}?")


def align_up(value: int, unit: int) -> int:
    """Return the smallest multiple of ``unit`` that is not below ``value``."""
    return -(-value // unit) * unit


def align_down(value: int, unit: int) -> int:
    """Return the largest multiple of ``unit`` that is not above ``value``."""
    return value // unit * unit


def grouped(value: int) -> str:
    """Return ``value`` with a narrow no-break space between groups of three digits."""
    return f"{value:,}".replace(",", "\u202f")


def _scaled(value: int, units: dict[str, int], digits: int) -> str:
    name, factor = next(((n, f) for n, f in reversed(units.items()) if abs(value) >= f), next(iter(units.items())))
    scaled = Decimal(value) / factor
    text = f"{scaled:.{digits}f}"
    return f"{text.rstrip('0').rstrip('.') if '.' in text else text} {name}"


def binary(value: int, digits: int = 1) -> str:
    """Return ``value`` bytes in the largest fitting binary unit, for example ``"318.1 GiB"``."""
    return "0 B" if value == 0 else (f"{value} B" if abs(value) < KIB else _scaled(value, BINARY, digits))


def decimal(value: int, digits: int = 1) -> str:
    """Return ``value`` bytes in the largest fitting decimal unit, for example ``"341.6 GB"``."""
    return "0 B" if value == 0 else (f"{value} B" if abs(value) < 1000 else _scaled(value, DECIMAL, digits))


def both(value: int) -> str:
    """Return ``value`` in both families, the way it stands on the sheet."""
    return f"{decimal(value)} = {binary(value)}"


class Typed(Value, frozen=True):
    """One kind of input box and the exact text that goes into it."""

    box: str
    text: str
    hint: str


def mib_to_type(value: int) -> int:
    """Return the number for a box that takes MiB, whatever its label says: at least ``value`` bytes, so it is rounded up."""
    return -(-value // MIB)


def apart(one: int, other: int) -> tuple[str, str]:
    """Return two sizes in binary units with as many digits as it takes to tell them apart; in bytes where nothing else does."""
    for digits in range(1, 5):
        said = binary(one, digits), binary(other, digits)
        if said[0] != said[1] or one == other:
            return said
    return f"{grouped(one)} B", f"{grouped(other)} B"


def to_type(value: int, whole: int | None = None, sector: int = 512) -> tuple[Typed, ...]:
    """Return what to type for at least ``value`` bytes into each kind of box that the field knows.

    ``whole`` is the size that a percentage speaks of; boxes for which the value is not exact say so in the hint.
    """
    mib = mib_to_type(value)
    more = mib * MIB - value
    boxes = [
        Typed("box labelled MB (it takes MiB)", str(mib), f"rounded up by {grouped(more)} B" if more else ""),
        Typed(
            "box labelled GB (it takes GiB)",
            f"{Decimal(value) / GIB:.{2 if value >= GIB else 4}f}",
            "rounded" if value % GIB else "",
        ),
        Typed("number with suffix", f"{value}B" if more else f"{mib}MiB", ""),
        Typed("decimal MB", str(-(-value // 10**6)), "rounded up" if value % 10**6 else ""),
        Typed(f"sectors of {sector}", str(-(-value // sector)), ""),
    ]
    if whole:
        share = Decimal(100 * value) / whole
        places = max(2, 1 - share.adjusted())  # of a small share two digits that are not zero
        boxes.append(Typed("percent", f"{share:.{places}f}", "rounded"))
    return tuple(boxes)
