"""Count entries and bits of tables and bitmaps by arithmetic on one long number: as quick as a library that takes longer to load."""

from __future__ import annotations

from functools import lru_cache

PIECE = 48 << 10  # bytes: whole entries of every width; short numbers stay near the processor
ONES, ZEROS = b"\xff" * PIECE, bytes(PIECE)


def bits_set(data: bytes) -> int:
    """Return how many bits are set. What is all ones or all zeros, as much of a bitmap is, is compared only."""
    if len(data) > PIECE:
        return sum(bits_set(data[at : at + PIECE]) for at in range(0, len(data), PIECE))
    if data == ONES[: len(data)]:
        return 8 * len(data)
    return 0 if data == ZEROS[: len(data)] else int.from_bytes(data, "little").bit_count()


def entries_in_use(data: bytes, width: int, mask: int) -> int:
    """Return how many entries of ``width`` bits (12, 16 or 32, little-endian, in a row) have a bit of ``mask`` set; a part of one at the end is left out."""
    if len(data) > PIECE:
        return sum(entries_in_use(data[at : at + PIECE], width, mask) for at in range(0, len(data), PIECE))
    count = len(data) * 8 // width
    number = int.from_bytes(data, "little") & _each(width, count, mask)
    low = (1 << width - 1) - 1
    # what is not zero below the highest bit carries into it when the largest number of that length is added
    carried = (number & _each(width, count, low)) + _each(width, count, low) | number
    return (carried & _each(width, count, low + 1)).bit_count()


@lru_cache(maxsize=16)
def _each(width: int, count: int, value: int) -> int:
    """The number that holds ``value`` in each of ``count`` entries."""
    pair = (value | value << width).to_bytes(width * 2 // 8, "little")
    return int.from_bytes(pair * -(-count // 2), "little") & (1 << width * count) - 1
