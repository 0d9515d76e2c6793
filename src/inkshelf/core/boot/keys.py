"""What Secure Boot goes by: lists of certificates and sums, as firmware keeps them in PK, KEK, db and dbx (UEFI specification 2.10, 32.4.1).

A list has a type, a head of its own and entries of one length, each with its owner; lists of a type that is not known stay as they are.
"""

from __future__ import annotations

import struct
import uuid
from collections.abc import Sequence

from inkshelf.core.errors import FormatError
from inkshelf.core.value import Value
from inkshelf.data import exact

HEAD = struct.Struct("<16sIII")  # type, length of the list, of its head, of an entry
OWNER = 16  # bytes of an entry's owner
SUM = 32  # bytes of a SHA-256
X509, SHA256 = exact("firmware", "list_x509"), exact("firmware", "list_sha256")
NAMES = ("PK", "KEK", "db", "dbx")


class Signed(Value, frozen=True):
    """One entry: its owner's GUID, and a certificate (DER), a sum, or what its list's type says."""

    owner: str
    data: bytes


class SignatureList(Value, frozen=True):
    """One list. ``type``: its GUID; ``head``: bytes of its own, of which no type that is known has any. ``each``: bytes of an entry with its owner (0: as the first one is)."""

    type: str
    entries: tuple[Signed, ...]
    head: bytes = b""
    each: int = 0

    @property
    def sums(self) -> tuple[bytes, ...]:
        """The sums (SHA-256) that it names programs by; none in a list of another type."""
        return tuple(one.data for one in self.entries) if self.type == SHA256 else ()

    @property
    def certificates(self) -> tuple[bytes, ...]:
        """The certificates, as DER; none in a list of another type."""
        return tuple(one.data for one in self.entries) if self.type == X509 else ()


def parse_lists(raw: bytes) -> tuple[SignatureList, ...]:
    """Return the lists of a variable's value; raises ``FormatError`` where the bytes are none."""
    found, at = [], 0
    while at < len(raw):
        if len(raw) - at < HEAD.size:
            raise FormatError("A list of keys that ends in its head.")
        kind, length, head, each = HEAD.unpack_from(raw, at)
        body = length - HEAD.size - head
        if length < HEAD.size or at + length > len(raw) or body < 0:
            raise FormatError("A list of keys whose length cannot be.")
        if each <= OWNER or body % each:
            raise FormatError("A list of keys whose entries do not fill it.")
        name = str(uuid.UUID(bytes_le=kind))
        if name == SHA256 and each != OWNER + SUM:
            raise FormatError("A list of sums of another length.")
        begin = at + HEAD.size
        places = range(begin + head, at + length, each)
        entries = tuple(
            Signed(str(uuid.UUID(bytes_le=raw[one : one + OWNER])), raw[one + OWNER : one + each]) for one in places
        )
        found.append(SignatureList(name, entries, raw[begin : begin + head], each))
        at += length
    return tuple(found)


def build_lists(lists: Sequence[SignatureList]) -> bytes:
    """Return the bytes of lists; raises ``FormatError`` for one whose entries have several lengths, or none."""
    parts = []
    for one in lists:
        sizes = {OWNER + len(entry.data) for entry in one.entries} | ({one.each} if one.each else set())
        if len(sizes) != 1 or min(sizes) <= OWNER:
            raise FormatError("A list of keys has entries of one length.")
        each = sizes.pop()
        body = b"".join(uuid.UUID(entry.owner).bytes_le + entry.data for entry in one.entries)
        length = HEAD.size + len(one.head) + len(body)
        parts.append(HEAD.pack(uuid.UUID(one.type).bytes_le, length, len(one.head), each) + one.head + body)
    return b"".join(parts)
