"""Whose signatures a program bears: the certificates in its attribute certificate table. Read only.

What a signature names as the program's sum is compared; that its signer's key made it is not verified here.

PE format, attribute certificate table; PKCS #7 as Authenticode has it (RFC 5652, 5: signed data); certificates (RFC 5280, 4.1), in DER (X.690).
"""

from __future__ import annotations

import struct
from collections.abc import Iterator

from inkshelf.core.texts import shown
from inkshelf.core.value import Value

PKCS = 2  # the table's kind of entry that holds signed data
SEQUENCE, SET, OBJECT, CONTEXT_0, CONTEXT_1 = 0x30, 0x31, 0x06, 0xA0, 0xA1
NAMES = (bytes.fromhex("550403"), bytes.fromhex("55040a"))  # common name, organization (RFC 5280, appendix A)
OCTETS = 0x04
INDIRECT, SHA256 = bytes.fromhex("2b060104018237020104"), bytes.fromhex("608648016503040201")  # what is signed; its kind of sum
WIDE = 0x1E  # text of 16 bits a character
ISSUER, SUBJECT = 2, 4  # places in a certificate's own part, behind its version
MOST = 16  # certificates of one signature that are looked at


class Certificate(Value, frozen=True):
    """A certificate: its subject's common name or organization, and what tells it and its issuer from others: sums (SHA-256) of itself, its subject's and its issuer's name."""

    name: str
    itself: str
    subject: str
    issuer: str


def _parts(raw: bytes) -> Iterator[tuple[int, bytes, bytes]]:
    """Yield the tag, the whole and the contents of each element; ``ValueError`` where the bytes are none."""
    at = 0
    while at < len(raw):
        if at + 2 > len(raw):
            raise ValueError("cut off")
        tag, length, begin = raw[at], raw[at + 1], at + 2
        if length & 0x80:
            more = length & 0x7F
            if not 1 <= more <= 4 or begin + more > len(raw):
                raise ValueError("a length that cannot be")
            length, begin = int.from_bytes(raw[begin : begin + more], "big"), begin + more
        if begin + length > len(raw):
            raise ValueError("longer than what it stands in")
        yield tag, raw[at : begin + length], raw[begin : begin + length]
        at = begin + length


def _only(raw: bytes, tag: int) -> bytes:
    """The contents of the first element, which has this tag."""
    found = next(_parts(raw), (0, b"", b""))
    if found[0] != tag:
        raise ValueError("another kind of element")
    return found[2]


def certificate(raw: bytes) -> Certificate:
    """Return what a certificate (DER) says; raises ``ValueError`` where the bytes are none."""
    fields = list(_parts(_only(_only(raw, SEQUENCE), SEQUENCE)))
    fields = fields[1:] if fields and fields[0][0] == CONTEXT_0 else fields
    if len(fields) <= SUBJECT or {fields[ISSUER][0], fields[SUBJECT][0]} != {SEQUENCE}:
        raise ValueError("no certificate")
    whole = next(_parts(raw))[1]
    return Certificate(_named(fields[SUBJECT][2]), _sum(whole), _sum(fields[SUBJECT][1]), _sum(fields[ISSUER][1]))


def _sum(raw: bytes) -> str:
    import hashlib  # late: it takes long to load, and few files are signed

    return hashlib.sha256(raw).hexdigest()


def _named(name: bytes) -> str:
    """The common name among a name's parts, else its organization; empty where it has neither."""
    found: dict[bytes, str] = {}
    for tag, _, one in _parts(name):
        for _, _, pair in _parts(one) if tag == SET else ():
            both = list(_parts(pair))
            if len(both) == 2 and both[0][0] == OBJECT and both[0][2] in NAMES:
                found[both[0][2]] = both[1][2].decode("utf-16-be" if both[1][0] == WIDE else "utf-8", "replace")
    return shown(next((found[key] for key in NAMES if found.get(key)), ""))[:200]


def signers(program: bytes) -> tuple[Certificate, ...]:
    """Return the certificates that a program's signatures bring along, in their order; none where there is no signature that could be read."""
    try:
        held = [one for data in _signed_data(program) for one in _brought(data)]
        return tuple(certificate(one) for one in held[:MOST])
    except (ValueError, struct.error, StopIteration):
        return ()


def altered(program: bytes, digest: str) -> bool:
    """Tell whether a program is another than its signatures were made of: each of them names a sum, and none of these is ``digest`` (SHA-256, hexadecimal).

    A signature that names another kind of sum, or none that can be read, says nothing.
    """
    try:
        sums = [_promised(data) for data in _signed_data(program)]
    except (ValueError, struct.error, StopIteration, IndexError):
        return False
    return bool(sums) and all(sums) and digest not in sums


def _promised(data: bytes) -> str:
    """The sum in signed data: what is signed is a sequence of what it is about, and of a sum's kind with the sum (Authenticode, SpcIndirectDataContent)."""
    signed = list(_parts(_only(list(_parts(_only(data, SEQUENCE)))[1][2], SEQUENCE)))
    about = list(_parts(signed[2][2]))
    if about[0][2] != INDIRECT or about[1][0] != CONTEXT_0:
        return ""
    both = list(_parts(list(_parts(_only(about[1][2], SEQUENCE)))[1][2]))
    kind = next(_parts(both[0][2]))
    return both[1][2].hex() if (kind[0], kind[2], both[1][0]) == (OBJECT, SHA256, OCTETS) else ""


def _signed_data(program: bytes) -> Iterator[bytes]:
    """The signed data of every entry of the certificate table."""
    at = int(struct.unpack_from("<I", program, 60)[0])
    wide = program[at + 24 : at + 26] == b"\x0b\x02"
    begin, length = struct.unpack_from("<II", program, at + 24 + (112 if wide else 96) + 4 * 8)
    end = min(begin + length, len(program))
    while begin > 0 and begin + 8 <= end:
        size, _, kind = struct.unpack_from("<IHH", program, begin)
        if size < 8 or begin + size > end:
            return
        if kind == PKCS:
            yield program[begin + 8 : begin + size]
        begin += -(-size // 8) * 8


def _brought(data: bytes) -> list[bytes]:
    """The certificates in signed data: its fourth part where that is one of context 0."""
    content = list(_parts(_only(data, SEQUENCE)))
    inner = list(_parts(_only(content[1][2], SEQUENCE))) if len(content) > 1 and content[1][0] == CONTEXT_0 else []
    return [whole for tag, _, body in inner[3:4] if tag == CONTEXT_0 for kind, whole, _ in _parts(body) if kind == SEQUENCE]


def marks_of(held: tuple[Certificate, ...]) -> tuple[str, ...]:
    """Return what firmware's lists are searched for: each certificate itself, and whose name it was issued in."""
    return tuple(dict.fromkeys(mark for one in held for mark in (one.itself, one.issuer)))
