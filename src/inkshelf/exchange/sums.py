"""Checksums: what somebody published for an image, in every form that base utilities print, and what a file really has."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

from inkshelf.core.errors import CancelledError, CaptureError
from inkshelf.core.texts import shown
from inkshelf.core.value import Value

LENGTHS = {32: "md5", 40: "sha1", 64: "sha256", 96: "sha384", 128: "sha512"}
LONGEST = 4 << 20
LINE = re.compile(r"^\\?([0-9a-fA-F]{32,128})[ \t]+[* ]?(.+?)\s*$")
TAGGED = re.compile(r"^([A-Za-z0-9-]+) ?\((.+)\) ?= ?([0-9a-fA-F]{32,128})\s*$")
SIGNED = "-----BEGIN PGP SIGNED MESSAGE-----"
PIECE = 4 << 20  # bytes between two looks at progress and cancel


class Sum(Value, frozen=True):
    """A published sum: by which method, the digits in small letters, and for which file (empty: not said)."""

    method: str
    digits: str
    name: str = ""


def read_sums(text: str) -> tuple[Sum, ...]:
    """Return the sums of a list as base utilities print them, of a clear-signed one, or a pasted one alone; raises ``CaptureError`` where there is none."""
    body = text.split(SIGNED, 1)[-1].split("-----BEGIN PGP SIGNATURE-----", maxsplit=1)[0] if SIGNED in text else text
    found = []
    for line in body.splitlines()[: LONGEST // 32]:
        plain = line.strip()
        if re.fullmatch(r"[0-9a-fA-F]+", plain) and len(plain) in LENGTHS:
            found.append(Sum(LENGTHS[len(plain)], plain.lower()))
        elif (tagged := TAGGED.match(plain)) and LENGTHS.get(len(tagged[3])) == tagged[1].lower().replace("-", ""):
            found.append(Sum(LENGTHS[len(tagged[3])], tagged[3].lower(), shown(tagged[2])))
        elif (row := LINE.match(plain)) and len(row[1]) in LENGTHS:
            found.append(Sum(LENGTHS[len(row[1])], row[1].lower(), shown(row[2].rsplit("/", 1)[-1])))
    if not found:
        raise CaptureError(
            "No checksum is in this text.", "Paste the line that the image's maker publishes, or name the file of sums."
        )
    return tuple(found)


def sum_for(sums: tuple[Sum, ...], name: str) -> Sum | None:
    """Return the strongest sum that is meant for a file: by its name, or the only one that names none."""
    named = [one for one in sums if one.name == name] or ([one for one in sums if not one.name] if len(sums) == 1 else [])
    return max(named, key=lambda one: len(one.digits), default=None)


def sum_of(
    path: Path, method: str, progress: Callable[[int, int], None] | None = None, stopped: Callable[[], bool] | None = None
) -> str:
    """Return the digits of a file's sum. ``progress`` is told (bytes done, bytes in all); ``stopped``: whether somebody cancelled.

    Raises ``CancelledError`` then, and ``CaptureError`` where the file cannot be read.
    """
    if method not in LENGTHS.values():
        raise CaptureError(f"Sums of the kind {method} are not known.", f"Use one of: {', '.join(LENGTHS.values())}.")
    total, done = hashlib.new(method, usedforsecurity=False), 0
    buffer = bytearray(PIECE)
    view = memoryview(buffer)
    try:
        whole = path.stat().st_size
        with path.open("rb", buffering=0) as file:
            while count := file.readinto(buffer):
                if stopped and stopped():
                    raise CancelledError(
                        f"The checksum of {path.name} was not finished.", "Nothing was changed; begin again at any time."
                    )
                total.update(view[:count])
                done += count
                if progress:
                    progress(done, whole)
    except OSError as error:
        raise CaptureError(f"{path}: {error.strerror}.", "Copy it to a folder of yours.") from None
    return total.hexdigest()


def held_against(
    path: Path,
    published: tuple[Sum, ...],
    progress: Callable[[int, int], None] | None = None,
    stopped: Callable[[], bool] | None = None,
) -> dict[str, Any] | None:
    """Hold a file against what is published for it: method, both sums, whether they agree; ``None`` where nothing is published."""
    wanted = sum_for(published, path.name)
    if wanted is None:
        return None
    digits = sum_of(path, wanted.method, progress, stopped)
    return {"method": wanted.method, "published": wanted.digits, "found": digits, "agrees": digits == wanted.digits}
