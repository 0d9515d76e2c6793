"""Device paths, both ways (UEFI specification 2.10, section 10.3): what a boot variable names a disk, a partition and a file by.

A node that is not known here is kept byte for byte. Numbers are little-endian; places and sizes of partitions are sectors.
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from typing import Literal
from uuid import UUID

from inkshelf.core.errors import FormatError
from inkshelf.core.texts import shown
from inkshelf.core.value import Value

HARDWARE, ACPI, MESSAGING, MEDIA, BBS, END = 1, 2, 3, 4, 5, 0x7F
WHOLE, INSTANCE = 0xFF, 0x01  # of an end: the whole path, or this one of several
HEAD = struct.Struct("<BBH")
DRIVE = struct.Struct("<IQQ16sBB")
SPREAD = 64 << 10  # more than any variable holds
MOST = 256  # nodes


class Node(Value, frozen=True):
    """A node as it is: its type, its subtype, and the bytes behind its head."""

    type: int
    subtype: int
    data: bytes = b""

    @property
    def raw(self) -> bytes:
        """The node's bytes (10.3.1)."""
        return HEAD.pack(self.type, self.subtype, HEAD.size + len(self.data)) + self.data


class Drive(Value, frozen=True):
    """A partition (10.3.5.1): its number, first sector, sectors; its GUID, or its disk's signature of 32 bits; ``""`` for neither."""

    number: int
    start: int
    size: int
    scheme: Literal["gpt", "mbr", ""]
    identity: str


Path = tuple[Node, ...]


def drive_node(drive: Drive) -> Node:
    """Return a partition as a node."""
    kind = {"gpt": 2, "mbr": 1, "": 0}[drive.scheme]
    mark = int(drive.identity, 16) if drive.scheme == "mbr" else 0
    own = UUID(drive.identity).bytes_le if drive.scheme == "gpt" else struct.pack("<I", mark).ljust(16, b"\0")
    return Node(MEDIA, 1, DRIVE.pack(drive.number, drive.start, drive.size, own, 2 if kind == 2 else 1, kind))


def drive_of(path: Path) -> Drive | None:
    """Return the partition that a path names, or ``None``."""
    found = next((one for one in path if (one.type, one.subtype) == (MEDIA, 1) and len(one.data) == DRIVE.size), None)
    if found is None:
        return None
    number, start, size, own, _, kind = DRIVE.unpack(found.data)
    if kind == 2:
        return Drive(number, start, size, "gpt", str(UUID(bytes_le=own)).upper())
    if kind == 1:
        return Drive(number, start, size, "mbr", f"{int.from_bytes(own[:4], 'little'):08X}")
    return Drive(number, start, size, "", "")


def file_node(path: str) -> Node:
    """Return a file as a node (10.3.5.4)."""
    return Node(MEDIA, 4, path.encode("utf-16-le") + b"\0\0")


def file_of(path: Path) -> str:
    """Return the file that a path names, exactly as it stands there; several nodes follow each other. Empty: none."""
    parts = [_text(one.data) for one in path if (one.type, one.subtype) == (MEDIA, 4)]
    return "".join(parts)


def _text(raw: bytes) -> str:
    return shown(raw[: len(raw) // 2 * 2].decode("utf-16-le", "replace").split("\0")[0])


def parse(raw: bytes) -> tuple[Path, ...]:
    """Return the paths of a list, each without its end; raises ``FormatError`` where a node cannot be."""
    found: list[Path] = []
    nodes: list[Node] = []
    at = count = 0
    while at < len(raw):
        if at + HEAD.size > len(raw):
            raise FormatError("A device path ends in the middle of a node.")
        kind, subtype, length = HEAD.unpack_from(raw, at)
        count += 1
        if length < HEAD.size or at + length > len(raw) or count > MOST:
            raise FormatError("A device path has a node that cannot be.")
        if kind == END:
            if subtype not in {WHOLE, INSTANCE} or length != HEAD.size:
                raise FormatError("A device path ends in a way that cannot be.")
            found.append(tuple(nodes))
            nodes = []
        else:
            nodes.append(Node(kind, subtype, raw[at + HEAD.size : at + length]))
        at += length
    if nodes:
        raise FormatError("A device path has no end.")
    return tuple(found)


def build(paths: tuple[Path, ...]) -> bytes:
    """Return the bytes of a list of paths, each with its end."""
    end = Node(END, WHOLE).raw
    return b"".join(b"".join(one.raw for one in path) + end for path in paths)


def _guid(raw: bytes) -> str:
    return str(UUID(bytes_le=raw))


def _drive_words(node: Node) -> str:
    drive = drive_of((node,))
    if drive is None:
        return ""
    scheme = {"gpt": f"GPT,{drive.identity.lower()}", "mbr": f"MBR,0x{drive.identity.lower()}", "": "None,"}[drive.scheme]
    return f"HD({drive.number},{scheme},0x{drive.start:x},0x{drive.size:x})"


def _vendor(name: str) -> Callable[[Node], str]:
    def words(node: Node) -> str:
        more = f",{node.data[16:].hex()}" if node.data[16:] else ""
        return f"{name}({_guid(node.data[:16])}{more})"

    return words


def _numbers(name: str, form: str, *, pattern: str) -> Callable[[Node], str]:
    own = struct.Struct(form)

    def words(node: Node) -> str:
        return f"{name}({pattern.format(*own.unpack(node.data[: own.size]))})"

    return words


def _acpi(node: Node) -> str:
    hid, uid = struct.unpack("<II", node.data[:8])
    if hid == 0x0A0341D0:
        return f"PciRoot(0x{uid:x})"
    if hid == 0x0A0841D0:
        return f"PcieRoot(0x{uid:x})"
    return f"Acpi(0x{hid:08x},0x{uid:x})"


def _nvme(node: Node) -> str:
    (space,) = struct.unpack("<I", node.data[:4])
    return f"NVMe(0x{space:x},{'-'.join(f'{one:02X}' for one in node.data[4:12][::-1])})"


def _mac(node: Node) -> str:
    kind = node.data[32] if len(node.data) > 32 else 0
    return f"MAC({node.data[: 6 if kind in {0, 1} else 32].hex()},{kind})"


BBS_KINDS = {1: "Floppy", 2: "HDD", 3: "CDROM", 4: "PCMCIA", 5: "USB", 6: "Network", 0x80: "BEV"}


def _bbs(node: Node) -> str:
    kind, status = struct.unpack("<HH", node.data[:4])
    title = shown(node.data[4:].split(b"\0")[0].decode("ascii", "replace"))
    return f"BBS({BBS_KINDS.get(kind, f'0x{kind:x}')},{title},0x{status:x})"


WORDS: dict[tuple[int, int], tuple[int, Callable[[Node], str]]] = {
    (HARDWARE, 1): (2, lambda node: f"Pci(0x{node.data[1]:x},0x{node.data[0]:x})"),
    (HARDWARE, 4): (16, _vendor("VenHw")),
    (ACPI, 1): (8, _acpi),
    (MESSAGING, 1): (4, _numbers("Ata", "<BBH", pattern="{0},{1},{2}")),
    (MESSAGING, 2): (4, _numbers("Scsi", "<HH", pattern="{0},{1}")),
    (MESSAGING, 5): (2, _numbers("USB", "<BB", pattern="{0},{1}")),
    (MESSAGING, 10): (16, _vendor("VenMsg")),
    (MESSAGING, 11): (33, _mac),
    (MESSAGING, 15): (11, _numbers("UsbClass", "<HHBBB", pattern="0x{0:x},0x{1:x},{2},{3},{4}")),
    (MESSAGING, 18): (6, _numbers("Sata", "<HHH", pattern="{0},{1},{2}")),
    (MESSAGING, 23): (12, _nvme),
    (MEDIA, 1): (DRIVE.size, _drive_words),
    (MEDIA, 2): (20, _numbers("CDROM", "<IQQ", pattern="0x{0:x},0x{1:x},0x{2:x}")),
    (MEDIA, 3): (16, _vendor("VenMedia")),
    (MEDIA, 4): (2, lambda node: f"File({_text(node.data)})"),
    (MEDIA, 6): (16, lambda node: f"FvFile({_guid(node.data[:16])})"),
    (MEDIA, 7): (16, lambda node: f"Fv({_guid(node.data[:16])})"),
    (BBS, 1): (5, _bbs),
}
"""The kinds of node that have words: the least of bytes they need, and the words (10.6.1.2 has those forms)."""


def words_of(path: Path) -> str:
    """Return a path in words, the nodes with a stroke between them; one without words by its numbers and its bytes."""
    return "/".join(_words(one) for one in path)


def _words(node: Node) -> str:
    least, known = WORDS.get((node.type, node.subtype), (1 << 16, None))
    if known is None or len(node.data) < least:
        return f"Path({node.type},{node.subtype},{node.data.hex()})"
    return known(node)
