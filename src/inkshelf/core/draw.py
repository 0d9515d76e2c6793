"""Random values that a plan needs, drawn once from its seed, so that prediction and read-back can be equal."""

from __future__ import annotations

from functools import cache


@cache
def _drawn(words: str) -> bytes:
    import hashlib

    return hashlib.sha256(words.encode()).digest()


def guid(seed: str, purpose: str) -> str:
    """Return a version 4 GUID, upper case, the same for the same seed and purpose."""
    import uuid

    raw = _drawn(f"{seed}/{purpose}")[:16]
    return str(uuid.UUID(bytes=raw, version=4)).upper()


def file_system_uuid(seed: str, purpose: str) -> str:
    """Return a UUID as the Linux family writes it, lower case."""
    return guid(seed, f"fs/{purpose}").lower()


def fat_serial(seed: str, purpose: str) -> str:
    """Return a FAT volume serial in the form ``1A2B-3C4D``."""
    raw = _drawn(f"{seed}/fat/{purpose}")
    return f"{raw[0]:02X}{raw[1]:02X}-{raw[2]:02X}{raw[3]:02X}"


def serial64(seed: str, purpose: str) -> str:
    """Return a volume serial of 64 bits as sixteen hexadecimal digits."""
    return _drawn(f"{seed}/ntfs/{purpose}")[:8].hex().upper()
