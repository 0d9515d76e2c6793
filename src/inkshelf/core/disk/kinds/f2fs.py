"""F2FS: a log on flash. Its super block and checkpoints as the format's own description lays them out; it is not resized here."""

from __future__ import annotations

import math
import uuid as uuids
import zlib
from types import SimpleNamespace
from typing import TYPE_CHECKING

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.kinds.base import Kind, Make
from inkshelf.core.disk.source import Layout
from inkshelf.core.draw import file_system_uuid
from inkshelf.core.errors import FormatError
from inkshelf.core.size import MIB
from inkshelf.core.texts import shown

if TYPE_CHECKING:
    from inkshelf.core.disk.probe import Contents
    from inkshelf.core.disk.source import ByteSource

MAGIC = 0xF2F52010
BLOCK, SEGMENT = 4096, 512  # bytes in a block, blocks in a segment
SUPER_AT = 1024
SMALLEST_WHY = "F2FS cannot be shrunk"
SUPER = Layout(
    "F2FS super block",
    "<",
    magic=(0, "I"),
    log_block=(16, "I"),
    log_segment=(20, "I"),
    blocks=(36, "Q"),
    checkpoints=(76, "I"),
    uuid=(108, "16s"),
    name=(124, "1024s"),
)
CHECKPOINT = Layout(
    "F2FS checkpoint", "<", version=(0, "Q"), user=(8, "Q"), valid=(16, "Q"), flags=(132, "I"), sum_at=(164, "I")
)
CLEAN = 0x1  # the checkpoint was written at unmounting


def _checkpoint(source: ByteSource, block: int) -> SimpleNamespace | None:
    """Return a checkpoint whose sum is right: the CRC of what stands before it, begun with the magic number."""
    raw = source.read(block * BLOCK, BLOCK)
    if len(raw) < BLOCK:
        return None
    found = CHECKPOINT.of(raw)
    if not CHECKPOINT.size <= found.sum_at <= BLOCK - 4:
        return None
    said = int.from_bytes(raw[found.sum_at : found.sum_at + 4], "little")
    return found if ~zlib.crc32(raw[: found.sum_at], ~MAGIC & 0xFFFFFFFF) & 0xFFFFFFFF == said else None


def super_block(source: ByteSource) -> SimpleNamespace | None:
    """Return the first of the two copies that has its mark."""
    for at in (SUPER_AT, BLOCK + SUPER_AT):
        raw = source.read(at, SUPER.size)
        if len(raw) == SUPER.size and int.from_bytes(raw[:4], "little") == MAGIC:
            return SUPER.of(raw)
    return None


def _probe(source: ByteSource, known_guids: tuple[str, ...]) -> Contents | None:
    from inkshelf.core.disk.probe import Contents

    head = super_block(source)
    if head is None:
        return None
    if (head.log_block, head.log_segment) != (12, 9):
        raise FormatError("F2FS: its blocks are of another size than 4096 bytes, and it is not read.")
    packs = [_checkpoint(source, head.checkpoints + at) for at in (0, SEGMENT)]
    newest = max((one for one in packs if one), key=lambda one: one.version, default=None)
    used = None
    if newest and newest.valid <= newest.user <= head.blocks:
        used = (head.blocks - newest.user + newest.valid) * BLOCK
    return Contents(
        FileSystem(
            kind="f2fs",
            size_bytes=head.blocks * BLOCK,
            label=shown(head.name.decode("utf-16-le", "replace").split("\0")[0]),
            uuid=str(uuids.UUID(bytes=head.uuid)),
            used_bytes=used,
            smallest_why=SMALLEST_WHY,
            dirty=not newest.flags & CLEAN if newest else None,
            hibernated=False,
            cluster_bytes=BLOCK,
            clusters=head.blocks,
        )
    )


def kept_back(size: int) -> int:
    """Return the bytes that nobody can use: records, and the segments that cleaning needs. As ``mkfs.f2fs`` reckons, to about 1 %."""
    segments = size // (BLOCK * SEGMENT) - 1
    sit = 2 * math.ceil(segments / (55 * SEGMENT))
    nat = 2 * min(52, math.ceil(segments * SEGMENT / (455 * SEGMENT)))
    summary = math.ceil(segments / SEGMENT)
    main = segments - 2 - sit - nat - summary
    shares = (10, 15, 20, 25, 30, 35, 40, 45, 50, 60) if main < 256 else [at / 100 for at in range(1, 1001)]
    reserved, spare = max(
        ((2 * (100 / share + 1) + 6, (main - 2 * (100 / share + 1) - 6) * share / 100) for share in shares),
        key=lambda one: main - max(one),
    )
    return int(segments - main + 1 + reserved + spare) * SEGMENT * BLOCK


def _fresh(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    blocks = size // BLOCK
    return FileSystem(
        kind="f2fs",
        size_bytes=blocks * BLOCK,
        label=label,
        uuid=uuid,
        used_bytes=min(size, kept_back(size)),
        smallest_why=SMALLEST_WHY,
        dirty=False,
        hibernated=False,
        cluster_bytes=BLOCK,
        clusters=blocks,
    )


def _make(make: Make) -> tuple[str, ...]:
    return (f"mkfs.f2fs -q -w {make.sector} -U {make.uuid}{make.option('-l')} {make.node}",)


def _label(node: str, label: str) -> tuple[str, ...]:
    return (f"f2fslabel {node} {label}",)


KIND = Kind(
    "f2fs",
    "F2FS",
    rank=78,
    listed=("f2fs",),
    probe=_probe,
    label_units=511,
    smallest=64 * MIB,
    fresh=_fresh,
    identity=file_system_uuid,
    make_lines=_make,
    make_tools=("mkfs.f2fs",),
    label_lines=_label,
)
