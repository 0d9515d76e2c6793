"""Boot variables as files, one a variable, as the Linux family's kernel shows them: four bytes of attributes, then the value; the name ends in the vendor's GUID."""

from __future__ import annotations

import hashlib
import os
import re
from collections.abc import Mapping
from pathlib import Path

from inkshelf.core.boot.entries import firmware_of
from inkshelf.core.boot.keys import NAMES, parse_lists
from inkshelf.core.disk.signatures import certificate
from inkshelf.core.errors import CaptureError, FormatError
from inkshelf.core.machine.state import Firmware, KeyList
from inkshelf.core.texts import shown
from inkshelf.core.value import replace
from inkshelf.data import exact

WANTED = re.compile(r"^(Boot[0-9A-F]{4}|BootOrder|BootNext|SecureBoot|Timeout|PK|KEK|db|dbx)-([0-9A-Fa-f-]{36})$")
LARGEST, MOST = 256 << 10, 4096  # bytes of a variable; files that are looked at
LATER = {"db", "dbx"}
"""Variables of another vendor than the specification's own."""


def read_folder(folder: Path) -> Firmware:
    """Return the firmware that a folder of variables says; raises ``CaptureError`` where it holds none, or one that cannot be read."""
    variables: dict[str, bytes] = {}
    try:
        names = sorted(os.listdir(folder))[:MOST]  # noqa: PTH208 - names only
    except OSError as error:
        raise CaptureError(f"{folder} cannot be read: {error.strerror}.", "Copy it to a folder of yours.") from None
    for name in names:
        match = WANTED.match(name)
        vendor = exact("firmware", "key_vendor" if match and match.group(1) in LATER else "global")
        if match and match.group(2).lower() == vendor:
            variables[match.group(1)] = _value(folder / name)
    if not any(name.startswith("Boot") for name in variables):
        raise CaptureError(
            f"{folder} holds no boot variables.",
            "Copy /sys/firmware/efi/efivars/Boot* and SecureBoot-* of the machine into it.",
        )
    try:
        return replace(firmware_of(variables), keys=keys_of(variables))
    except FormatError as error:
        raise CaptureError(f"{error.what}", "Copy that variable again.") from None


def keys_of(variables: Mapping[str, bytes]) -> tuple[KeyList, ...]:
    """Return what Secure Boot goes by, of variables by their names; raises ``FormatError`` with the name of one that cannot be read."""
    found = []
    for name in NAMES:
        if name not in variables:
            continue
        try:
            lists = parse_lists(variables[name])
        except FormatError as error:
            raise FormatError(f"{name}: {error.what}") from None
        certificates = tuple(certificate_name(one) for held in lists for one in held.certificates)
        sums = tuple(one.hex() for held in lists for one in held.sums)
        others = sum(len(held.entries) for held in lists) - len(certificates) - len(sums)
        marks = tuple(mark for held in lists for one in held.certificates for mark in _marks(one))
        found.append(KeyList(name, certificates, sums, others, marks))  # type: ignore[arg-type]
    return tuple(found)


def _marks(raw: bytes) -> tuple[str, ...]:
    try:
        read = certificate(raw)
    except ValueError:
        return (hashlib.sha256(raw).hexdigest(),)
    return (read.itself, read.subject)


def certificate_name(raw: bytes) -> str:
    """Return whose a certificate is, as it says itself; its own sum where it cannot be read here."""
    sum_of = f"certificate {hashlib.sha256(raw).hexdigest()[:16]}"
    try:
        from cryptography import x509  # late, and only where it is installed: few captures hold keys
    except ImportError:
        return sum_of
    try:
        return shown(x509.load_der_x509_certificate(raw).subject.rfc4514_string())[:200] or sum_of
    except ValueError:
        return sum_of


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
