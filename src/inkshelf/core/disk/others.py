"""File systems and containers that are recognised by their marks: kind, label, UUID, size where the mark says it."""

from __future__ import annotations

import uuid

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.source import ByteSource, Layout
from inkshelf.core.texts import shown, zero_ended

SWAP = Layout("swap header", "<", last=(1028, "I"), uuid=(1036, "16s"), label=(1052, "16s"))
SWAP_MARK = b"SWAPSPACE2"
LUKS = Layout("LUKS header", ">", mark=(0, "6s"), version=(6, "H"), label=(24, "48s"), uuid=(168, "40s"))
LUKS_MARK, LABELLED = b"LUKS\xba\xbe", 2
APFS = Layout("APFS container", "<", mark=(32, "4s"), uuid=(72, "16s"))
ISO = Layout(
    "ISO 9660 descriptor", "<", mark=(1, "5s"), label=(40, "32s"), blocks=(80, "I"), block=(128, "H"), date=(813, "16s")
)
ISO_AT = 32_768
SLOTS_AT, SLOT, SLOT_IN_USE = 208, 48, 0x00AC71F3  # of version 1: eight in its head
LARGEST_AREA, MOST_SLOTS = 4 << 20, 32  # bytes of version 2's area of JSON; key slots
KDFS = {"pbkdf2", "argon2i", "argon2id"}


def probe_swap(source: ByteSource) -> FileSystem | None:
    """Linux swap area: its mark ends the first page; label and UUID stand behind the first KiB."""
    for page in (4096, 8192, 16384, 65536):
        head = source.read(0, page)
        if len(head) == page and head.endswith(SWAP_MARK):
            own = SWAP.of(head)
            return FileSystem(
                kind="swap",
                size_bytes=(own.last + 1) * page,
                label=zero_ended(own.label),
                uuid=str(uuid.UUID(bytes=own.uuid)),
                used_bytes=page,
                smallest_why="swap is made anew, not shrunk",
                dirty=False,
                hibernated=False,
                cluster_bytes=page,
            )
    return None


def probe_luks(source: ByteSource) -> FileSystem | None:
    """LUKS on-disk format: version 1 (1.2.3) has no label; version 2 (1.1.1, section 2.1) keeps one behind its sequence number."""
    head = source.read(0, 4096)
    if len(head) < 4096 or not head.startswith(LUKS_MARK):
        return None
    own = LUKS.of(head)
    return FileSystem(
        kind="luks",
        size_bytes=source.size,
        label=zero_ended(own.label) if own.version == LABELLED else "",
        uuid=shown(own.uuid.split(b"\0")[0].decode("ascii", "replace")),
        smallest_why="inside first",
        slots=_slots(source, own.version, head),
    )


def _slots(source: ByteSource, version: int, head: bytes) -> tuple[str, ...]:
    """How each key slot that is in use makes its key; nothing where that cannot be read (version 1: 2.3; version 2: 3.1 and 3.2.3)."""
    if version != LABELLED:
        marks = (int.from_bytes(head[at : at + 4], "big") for at in range(SLOTS_AT, SLOTS_AT + 8 * SLOT, SLOT))
        return tuple("pbkdf2" for mark in marks if mark == SLOT_IN_USE)
    length = int.from_bytes(head[8:16], "big") - 4096
    if not 0 < length <= LARGEST_AREA:
        return ()
    import json  # few disks hold one, and every command that looks waits for what is loaded

    try:
        area = json.loads(source.read(4096, length).split(b"\0", 1)[0])
        found = [area["keyslots"][key]["kdf"]["type"] for key in sorted(area["keyslots"])]
    except (ValueError, KeyError, TypeError, RecursionError):
        return ()
    return tuple(one if one in KDFS else "unknown" for one in found[:MOST_SLOTS])


def probe_apfs(source: ByteSource) -> FileSystem | None:
    """The container's super block: its mark and its UUID."""
    head = source.read(0, 128)
    if len(head) < APFS.size or APFS.of(head).mark != b"NXSB":
        return None
    own = str(uuid.UUID(bytes=APFS.of(head).uuid))
    return FileSystem(kind="apfs", size_bytes=source.size, uuid=own, smallest_why="its own system only")


def probe_hfs(source: ByteSource) -> FileSystem | None:
    """The volume header's mark."""
    if source.read(1024, 2) not in {b"H+", b"HX"}:
        return None
    return FileSystem(kind="hfsplus", size_bytes=source.size, smallest_why="its own system only")


def probe_iso(source: ByteSource) -> FileSystem | None:
    """ISO 9660 primary volume descriptor (ECMA-119, 8.4): volume identifier, space in logical blocks, creation date as its name."""
    raw = source.read(ISO_AT, 2048)
    if len(raw) < ISO.size or ISO.of(raw).mark != b"CD001":
        return None
    own = ISO.of(raw)
    date = own.date.decode("ascii", "replace")
    name = "-".join((date[:4], *(date[at : at + 2] for at in range(4, 16, 2)))) if date.isdigit() else ""
    size = own.blocks * own.block
    return FileSystem(
        kind="iso9660",
        size_bytes=size,
        label=shown(own.label.decode("ascii", "replace").strip()),
        uuid=name,
        used_bytes=size,
        smallest_why="an image is written whole",
    )
