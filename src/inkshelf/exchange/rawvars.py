"""Boot variables as files, one a variable, as the Linux family's kernel shows them: four bytes of attributes, then the value; the name ends in the vendor's GUID."""

from __future__ import annotations

import os
import re
from pathlib import Path

from inkshelf.core.boot.entries import firmware_of
from inkshelf.core.errors import CaptureError, FormatError
from inkshelf.core.machine.state import Firmware
from inkshelf.data import exact

WANTED = re.compile(r"^(Boot[0-9A-F]{4}|BootOrder|BootNext|SecureBoot|Timeout)-([0-9A-Fa-f-]{36})$")
LARGEST, MOST = 64 << 10, 4096  # bytes of a variable; files that are looked at


def read_folder(folder: Path) -> Firmware:
    """Return the firmware that a folder of variables says; raises ``CaptureError`` where it holds none, or one that cannot be read."""
    variables: dict[str, bytes] = {}
    try:
        names = sorted(os.listdir(folder))[:MOST]  # noqa: PTH208 - names only
    except OSError as error:
        raise CaptureError(f"{folder} cannot be read: {error.strerror}.", "Copy it to a folder of yours.") from None
    for name in names:
        match = WANTED.match(name)
        if match and match.group(2).lower() == exact("firmware", "global"):
            variables[match.group(1)] = _value(folder / name)
    if not any(name.startswith("Boot") for name in variables):
        raise CaptureError(
            f"{folder} holds no boot variables.",
            "Copy /sys/firmware/efi/efivars/Boot* and SecureBoot-* of the machine into it.",
        )
    try:
        return firmware_of(variables)
    except FormatError as error:
        raise CaptureError(f"{error.what}", "Copy that variable again.") from None


def _value(path: Path) -> bytes:
    try:
        fd = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC | os.O_NONBLOCK)
        try:
            raw = os.read(fd, LARGEST + 1)
        finally:
            os.close(fd)
    except OSError as error:
        raise CaptureError(f"{path} cannot be read: {error.strerror}.", "Copy it to a folder of yours.") from None
    if not 4 <= len(raw) <= LARGEST:
        raise CaptureError(f"{path.name} is no variable: it has {len(raw)} bytes.", "Copy it again.")
    return raw[4:]
