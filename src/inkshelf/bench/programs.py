"""Programs that firmware really runs: stand-ins for loaders, which say who they are on the console and then stop, go back, or fail.

PE32+ for x86-64 (the portable executable format, revision 11; UEFI specification 2.10, sections 2.1.1 and 4.3): one section, nothing to relocate.
"""

from __future__ import annotations

import re
import struct
from typing import Literal

from inkshelf.core.disk.start_code import CORE_AT

Ends = Literal["stops", "returns", "fails"]
"""Shuts the machine down; goes back with success; goes back with an error."""
PAGE, FILE_ALIGN = 0x1000, 0x200
X64, IA32, ARM64 = 0x8664, 0x14C, 0xAA64
CONSOLE, PRINT, RUNTIME, RESET = (
    0x40,
    0x08,
    0x58,
    0x68,
)  # in the system table, the console's and the runtime table (4.3, 12.4, 8.1)
NOT_FOUND = (1 << 63) | 14
BEGIN = bytes.fromhex("53 48 83 ec 30 48 89 d3 48 8b 4b") + bytes([CONSOLE]) + bytes.fromhex("48 8d 15")
"""push rbx; sub rsp, 48; mov rbx, rdx; mov rcx, [rbx+CONSOLE]; lea rdx, [rip+...] (the words)"""
SAY = bytes.fromhex("ff 51") + bytes([PRINT])
STOP = (
    bytes.fromhex("48 8b 43")
    + bytes([RUNTIME])
    + bytes.fromhex("b9 02 00 00 00 31 d2 45 31 c0 45 31 c9 ff 50")
    + bytes([RESET])
) + bytes.fromhex("eb fe")
"""mov rax, [rbx+RUNTIME]; ResetSystem(shut down, success, 0, nothing); and wait, should that ever come back"""


def program(words: str, ends: Ends = "stops", *, machine: int = X64, size: int = 0, certificate: bytes = b"") -> bytes:
    """Return a program that prints ``words`` and a line's end; ``size``: filled up to so many bytes; ``certificate``: behind it, as a signature is."""
    code = BEGIN + struct.pack("<i", 0) + SAY
    if ends == "stops":
        code += STOP
    else:
        code += b"\x48\xb8" + struct.pack("<Q", NOT_FOUND if ends == "fails" else 0) + bytes.fromhex("48 83 c4 30 5b c3")
    text = f"{words}\r\n".encode("utf-16-le") + b"\0\0"
    at = len(BEGIN) + 4
    code = code[: len(BEGIN)] + struct.pack("<i", len(code) - at) + code[at:]
    return _whole(code + text, machine, size, certificate)


Acts = Literal["starts", "menu", "boot-data", "entries"]
"""Starts the file that it is given; reads it as a menu's configuration; only looks whether it is there; reads it as the settings of entry files."""
LETTERS: dict[Acts, str] = {"starts": "s", "menu": "m", "boot-data": "n", "entries": "e"}


def acting(words: str, acts: Acts, reads: str, *, size: int = 0, certificate: bytes = b"") -> bytes:
    """Return a program that says ``words`` and does as a loader of its kind does with ``reads``: a file beside it, or by its path (with ``\\``).

    A menu starts what its configuration lists first, or its default, by chain; where a kernel would begin, and where a person would have to
    do something, it says so and stops.
    """
    from inkshelf.bench.stand_in_code import CODE  # late: few starts of the program need it

    behind = "".join((LETTERS[acts], words, "\0", reads, "\0")).encode("utf-16-le")
    return _whole(CODE + behind, X64, size, certificate)


BEGAN = re.compile(r"^stand-in: begins '(.*)'$")
WAITS = "; it waits"


def begun(said: tuple[str, ...]) -> str:
    """Return the title of what a stand-in of a menu said that it begins (empty: nothing)."""
    return next((one.group(1) for one in map(BEGAN.match, reversed(said)) if one), "")


def _whole(code: bytes, machine: int, size: int, certificate: bytes) -> bytes:
    body = code.ljust(-(-len(code) // FILE_ALIGN) * FILE_ALIGN, b"\0")
    whole = FILE_ALIGN + len(body)
    filled = max(whole, size - len(certificate))
    head = _head(machine, body, filled, len(certificate))
    return (head + body).ljust(filled, b"\0") + certificate


CODE_ROOM = 440  # bytes of the first sector before the disk's signature
SECTOR, CORE_SECTORS = 512, 2
BOOT_CODE_AT, BOOT_CODE_END = 0x54, 0x1FE
"""Where a boot sector of NTFS has its code: behind the numbers of its file system, up to its mark."""
Side = Literal["linux", "nt", "started"]


def sector_code(words: str, side: Side = "started", mark: bytes = b"", core: int = 0) -> bytes:
    """Return the code of a first sector that says ``words`` and goes on as ``side`` does; ``mark`` stands at its end, and does nothing.

    ``core``: the sector where the Linux family's code looks for its core. ``started``: it says its words, and stops.
    """
    code = bytearray(_code(side))
    if side == "linux":
        struct.pack_into("<Q", code, CORE_AT, core)
    text = f"{words}\r\n".encode("ascii", "replace")[: CODE_ROOM - len(code) - 1 - len(mark)]
    return (bytes(code) + text + b"\0").ljust(CODE_ROOM - len(mark), b"\0") + mark


def core(words: str) -> bytes:
    """Return what a first sector reads and starts: a few sectors that say ``words``, and stop."""
    return sector_code(words).ljust(CORE_SECTORS * SECTOR, b"\0")


def boot_code(words: str) -> bytes:
    """Return the code of a volume's boot sector, from ``BOOT_CODE_AT`` to ``BOOT_CODE_END``: it says ``words``, and stops."""
    text = _code("started") + f"{words}\r\n".encode("ascii", "replace") + b"\0"
    return text.ljust(BOOT_CODE_END, b"\0")[BOOT_CODE_AT:BOOT_CODE_END]


def words_of_sector(raw: bytes) -> str:
    """Return what the code of a first sector would say (empty: it is none of these)."""
    sides: tuple[Side, ...] = ("linux", "nt", "started")
    for side in sides:
        code = _code(side)
        if raw[:CORE_AT] == code[:CORE_AT] and raw[CORE_AT + 8 : len(code)] == code[CORE_AT + 8 :]:
            return raw[len(code) : CODE_ROOM].split(b"\0")[0].decode("ascii", "replace").strip()
    return ""


def _code(side: Side) -> bytes:
    from inkshelf.bench.stand_in_code import SECTOR_CODE  # late: few starts of the program need it

    return SECTOR_CODE[side]


def _head(machine: int, body: bytes, certificate_at: int, certificate_bytes: int) -> bytes:
    """The headers: a stub, the COFF header, the optional header with its directories, one section."""
    image = PAGE + -(-len(body) // PAGE) * PAGE
    optional = struct.pack("<HBBIIIII", 0x20B, 0, 0, len(body), 0, 0, PAGE, PAGE)
    optional += struct.pack("<QIIHHHHHHIIIIHH", 0, PAGE, FILE_ALIGN, 0, 0, 0, 0, 0, 0, 0, image, FILE_ALIGN, 0, 10, 0)
    optional += struct.pack("<QQQQII", 0, 0, 0, 0, 0, 16)
    directories = bytearray(16 * 8)
    if certificate_bytes:
        struct.pack_into("<II", directories, 4 * 8, certificate_at, certificate_bytes)
    coff = struct.pack("<HHIIIHH", machine, 1, 0, 0, 0, len(optional) + len(directories), 0x22)
    section = struct.pack("<8sIIIIIIHHI", b".text", len(body), PAGE, len(body), FILE_ALIGN, 0, 0, 0, 0, 0xE0000020)
    stub = b"MZ" + bytes(58) + struct.pack("<I", 64)
    return (stub + b"PE\0\0" + coff + optional + directories + section).ljust(FILE_ALIGN, b"\0")
