"""What is copied of an image into a volume: which files, from where, a payload in parts, menus that say that changes are kept."""

from __future__ import annotations

import re
from collections.abc import Iterator

from inkshelf.core.disk.source import ByteSource
from inkshelf.core.errors import FormatError
from inkshelf.core.media import iso as iso9660
from inkshelf.core.media import udf as udf_volume
from inkshelf.core.media.entries import Entry
from inkshelf.core.media.image import menus_among
from inkshelf.core.media.material import FAT32_MOST, Image, among
from inkshelf.core.media.splitting import parts
from inkshelf.core.value import Value
from inkshelf.data import exact
from inkshelf.data import table as figures

Piece = bytes | tuple[int, int]
"""Bytes as they are, or (first byte, length) in the image."""


class File(Value, frozen=True):
    """One file that is wanted: ``path`` with ``/`` from the root, its size, its contents in pieces, its time in seconds since 1970, UTC.

    ``folder``: a folder, made with nothing in it.
    """

    path: str
    size: int
    pieces: tuple[Piece, ...]
    time: int = 0
    folder: bool = False


def listed(source: ByteSource) -> tuple[Entry, ...]:
    """Return every file and every empty folder of an image; raises ``FormatError`` where it is none whose files can be listed."""
    udf = udf_volume.open_udf(source)
    if udf is not None:
        return tuple(udf_volume.entries(source, udf, empty=True))
    iso = iso9660.open_iso(source)
    if iso is None:
        raise FormatError("The files of this image cannot be listed.", "Write it as it is, or get another one.")
    return tuple(iso9660.entries(source, iso, empty=True))


def wanted(
    source: ByteSource, image: Image, tops: tuple[str, ...] | None, *, part: int = 0, keeps: bool = False
) -> Iterator[File]:
    """Yield the files of an image as they go into a volume: those of the ``tops``, in the image's order."""
    entries = listed(source)
    menus = (
        {one.path.lower() for one in menus_among(tuple(one for one in entries if not one.folder))}
        if keeps and image.live
        else set[str]()
    )
    way = image.live.family if image.live else ""
    for one in entries:
        if not among(one.path, tops, image):
            continue
        if part and one.size > FAT32_MOST:
            yield from split(source, one, part)
        elif one.path.lower() in menus:
            text = keeping(one.read(source), way)
            yield File(one.path, len(text), (text,), one.time)
        else:
            yield File(one.path, one.size, tuple(_cut(one)), one.time, one.folder)


def _cut(entry: Entry) -> Iterator[tuple[int, int]]:
    """The extents up to the file's own size."""
    left = entry.size
    for at, length in entry.extents:
        if left <= 0:
            return
        yield at, min(length, left)
        left -= length


def split(source: ByteSource, entry: Entry, part: int) -> Iterator[File]:
    """Yield the parts of a payload that its own installer joins: the first one bears the name without a number."""
    stem, _, _ = entry.path.rpartition(".")
    for number, pieces in enumerate(parts(source, entry, part), 1):
        size = sum(len(one) if isinstance(one, bytes) else one[1] for one in pieces)
        yield File(f"{stem}{number if number > 1 else ''}{exact('media', 'part_ending')}", size, pieces, entry.time)


def keeping(text: bytes, way: str) -> bytes:
    """Return a menu whose live systems keep their changes: the family's option is added where its kernel is loaded, and is not there."""
    own = figures("exact_strings")["live_families"].get(way, {})
    if not own.get("option"):
        return text
    kernel = "|".join(exact("media", "kernel_words").split()).encode()
    mark, option = bytes(own["mark"].encode()), bytes(own["option"].encode())

    def added(found: re.Match[bytes]) -> bytes:
        line = bytes(found.group(0))
        words = line.split()
        if option in words or not any(one == mark or one.startswith(mark + b"=") for one in words):
            return line
        return line.rstrip() + b" " + option

    return re.sub(rb"(?im)^[ \t]*(?:" + kernel + rb"|append)[ \t][^\r\n]*", added, text)
