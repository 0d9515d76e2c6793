"""Ask a volume's own structures what it holds: file system, start-up files, an installed system."""

from __future__ import annotations

import struct

from inkshelf.core.disk.contents import BootFile, FileSystem, Inside, SystemRoot, Unfit
from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.disk.source import ByteSource
from inkshelf.core.errors import FormatError
from inkshelf.core.value import Value

BY_MARK = 70  # the rank from which kinds are known by a mark of their own


class Contents(Value, frozen=True):
    """What a volume holds; ``fault`` says in words what could not be read."""

    filesystem: FileSystem | None = None
    boot_files: tuple[BootFile, ...] = ()
    holds: SystemRoot | None = None
    fault: str = ""


def probe(source: ByteSource, known_guids: tuple[str, ...] = ()) -> Contents:
    """Return a volume's contents. ``known_guids``: partition GUIDs that NT boot data may name. Never raises for bad bytes.

    A kind whose own structures are damaged says so: after it only those are asked that a mark at a fixed place makes sure of.
    """
    fault = ""
    for kind in KINDS.values():
        if fault and kind.rank < BY_MARK:
            continue
        try:
            found = kind.probe(source, known_guids) if kind.probe else None
        except FormatError as error:
            fault = fault or f"{error.what} {error.remedy}".strip()
        except (struct.error, ValueError, IndexError, OverflowError) as error:
            fault = fault or f"Its structures make no sense ({error}). Let its own system check it."
        else:
            if found is not None:
                return found
    return Contents(FileSystem("damaged", source.size), fault=fault) if fault else Contents()


def physical_volume(source: ByteSource) -> Contents | None:
    """Return an LVM physical volume with what its logical volumes hold, the first system in one of them, and its menus; ``None`` where it is not one."""
    from inkshelf.core.disk import lvm

    pv = lvm.open_pv(source)
    if pv is None:
        return None
    held, found = [], Contents()
    for name, own, data, whole in lvm.logical_volumes(pv, source):
        seen = probe(data) if whole and not isinstance(source, lvm.Mapped) else Contents()
        inner = seen.filesystem
        facts = (inner.kind, inner.label, inner.uuid, inner.used_bytes) if inner else ("", "", own, None)
        held.append(Inside(name, data.size, *facts))
        found = seen if seen.holds and not found.holds else found
    return Contents(lvm.facts(pv, tuple(held)), found.boot_files, found.holds)


def pe_unfit(head: bytes) -> Unfit:
    """Return what a file is instead of a program for x86-64 (empty: it is one): by the machine that its header names (PE format, COFF header)."""
    at = struct.unpack_from("<I", head, 60)[0] if len(head) >= 64 and head[:2] == b"MZ" else len(head)
    if at + 24 > len(head) or head[at : at + 4] != b"PE\0\0":
        return "no program"
    machines: dict[int, Unfit] = {0x8664: "", 0x14C: "ia32", 0xAA64: "aa64"}
    return machines.get(struct.unpack_from("<H", head, at + 4)[0], "no program")


def pe_digest(program: bytes) -> str:
    """Return the sum that firmware knows a PE image by (SHA-256 over all of it but its checksum and what belongs to signatures); empty where it is none.

    (The PE format's attribute certificate table; UEFI specification 2.10, 32.5.)
    """
    import hashlib

    if len(program) < 64 or program[:2] != b"MZ":
        return ""
    at = int(struct.unpack_from("<I", program, 60)[0])
    if at + 24 > len(program) or program[at : at + 4] != b"PE\0\0":
        return ""
    checksum = at + 24 + 64
    entry = at + 24 + (112 if program[at + 24 : at + 26] == b"\x0b\x02" else 96) + 4 * 8
    if entry + 8 > len(program):
        return ""
    table, length = struct.unpack_from("<II", program, entry)
    end = table if table and length and entry + 8 <= table <= len(program) else len(program)
    counted = hashlib.sha256(program[:checksum] + program[checksum + 4 : entry] + program[entry + 8 : end])
    counted.update(program[table + length :] if end == table else b"")
    counted.update(bytes(-end % 8))  # it is filled up before a signature goes behind it
    return counted.hexdigest()


def pe_signed(head: bytes) -> bool:
    """Tell whether a PE image carries a signature: its security directory is not empty (PE format, optional header)."""
    if len(head) < 64 or head[:2] != b"MZ":
        return False
    at = struct.unpack_from("<I", head, 60)[0]
    if at + 24 > len(head) or head[at : at + 4] != b"PE\0\0":
        return False
    wide = head[at + 24 : at + 26] == b"\x0b\x02"
    entry = at + 24 + (112 if wide else 96) + 4 * 8
    return len(head) >= entry + 8 and bool(struct.unpack_from("<II", head, entry)[1])
