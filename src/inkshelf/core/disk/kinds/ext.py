"""ext2, ext3 and ext4. Source: the kernel's documentation of the ext4 data structures; sizes as the formatting utility chooses them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.groups import sparse_groups
from inkshelf.core.disk.kinds.base import Kind, Make, cluster_of
from inkshelf.core.draw import file_system_uuid
from inkshelf.core.size import KIB, MIB, align_up
from inkshelf.core.value import replace

if TYPE_CHECKING:
    from inkshelf.core.disk.probe import Contents
    from inkshelf.core.disk.source import ByteSource

JOURNALS = ((8, 0), (128, 4), (1024, 16), (2048, 32), (16 << 10, 64), (32 << 10, 128), (64 << 10, 256), (128 << 10, 512))
"""MiB of journal by the MiB that a file system stays under, as the formatting utility chooses them; 1 GiB beyond."""
GROUP_BLOCKS, DESCRIPTORS, MOST_RESERVED = 32_768, 64, 1024
LEAST_IN_GROUP = 50
SMALL, SMALL_RATIO, RATIO = 512 * MIB, 4096, 16_384  # bytes for each inode below and above
ROOT_SHARE = 20
"""One block in this many is kept for the administrator."""


def overhead(size: int) -> int:
    """Return the bytes that a fresh ext4 with 4 KiB blocks takes for itself: inode tables, journal, copies of the group table."""
    blocks = size // 4096
    groups = -(-blocks // GROUP_BLOCKS)
    journal = next((mib for limit, mib in JOURNALS if size < limit * MIB), 1024)
    inodes = size // (16 if size < SMALL else 64)
    table = -(-groups // DESCRIPTORS)
    reserved = min(MOST_RESERVED, max(0, blocks * 1024 // GROUP_BLOCKS // DESCRIPTORS - table))
    return journal * MIB + inodes + (sparse_groups(groups) * (1 + table + reserved) + 2 * groups + 6) * 4096


def whole_blocks(blocks: int, per_group: int, table: int, reserved: int, first: int = 0) -> int:
    """Return the blocks that a file system takes of those there are: a last group with hardly room for its own tables is left out.

    ``table``: blocks of inode table in each group; ``reserved``: blocks kept behind each copy of the group table; ``first``: the first
    data block. Source: ``ext2fs_initialize`` of the library that formats and resizes: 50 blocks beyond what the group keeps for itself.
    """
    groups, rest = _up(blocks - first, per_group), (blocks - first) % per_group
    own = 2 + table
    if sparse_groups(groups) > sparse_groups(groups - 1):
        own += 1 + _up(groups, DESCRIPTORS) + reserved
    return blocks - rest if groups > 1 and 0 < rest < own + LEAST_IN_GROUP else blocks


def _up(whole: int, part: int) -> int:
    """How many parts it takes to hold the whole."""
    return -(-whole // part)


def _table_blocks(blocks: int, kept: int) -> int:
    """Blocks of inode table in each group of a fresh file system: 256 bytes for each 4 or 16 KiB, shared among the groups that are kept."""
    inodes = blocks * 4096 // (SMALL_RATIO if blocks * 4096 < SMALL else RATIO)
    return _up(_up(inodes, _up(kept, GROUP_BLOCKS)) * 256, 4096)


def _reserved(blocks: int) -> int:
    """Blocks that a fresh file system keeps behind each copy of its group table, so that it can grow a thousand times."""
    later = _up(_up(blocks * 1024, GROUP_BLOCKS), DESCRIPTORS)
    return min(MOST_RESERVED, max(0, later - _up(_up(blocks, GROUP_BLOCKS), DESCRIPTORS)))


def _fresh(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    asked = blocks = size // 4096
    if size >= SMALL:  # of small ones the utility leaves no group out
        blocks = whole_blocks(blocks, GROUP_BLOCKS, _table_blocks(blocks, blocks), _reserved(blocks))
    used = overhead(blocks * 4096)
    return FileSystem(
        kind="ext4",
        size_bytes=blocks * 4096,
        label=label,
        uuid=uuid,
        used_bytes=used,
        smallest_bytes=align_up(used + used // 40, MIB),
        smallest_why="blocks in use, offline only",
        dirty=False,
        hibernated=False,
        cluster_bytes=4096,
        clusters=blocks,
        group_bytes=GROUP_BLOCKS * 4096,
        group_table_bytes=_table_blocks(asked, blocks) * 4096,
        group_reserved=_reserved(blocks),
    )


def _resized(system: FileSystem, size: int) -> FileSystem:
    """Groups that are added bring tables of their own; groups that go take them along."""
    block = cluster_of(system)
    used, blocks = system.used_bytes, size // block
    if system.group_bytes:
        per_group, table = system.group_bytes // block, system.group_table_bytes // block
        blocks = whole_blocks(blocks, per_group, table, system.group_reserved, first=int(block == KIB))
        size = blocks * block
    if used is not None and system.group_bytes:
        groups = -(-size // system.group_bytes) - -(-system.size_bytes // system.group_bytes)
        used = max(0, used + groups * (system.group_table_bytes + 2 * block))
    return replace(system, size_bytes=blocks * block, clusters=blocks, used_bytes=used, used_map=())


def _probe(source: ByteSource, known_guids: tuple[str, ...]) -> Contents | None:
    from inkshelf.core.disk.linux_system import on_ext

    return on_ext(source)


def _make(make: Make) -> tuple[str, ...]:
    return (f"mkfs.ext4 -q -U {make.uuid}{make.option('-L')} {make.node}",)


def _shrink(node: str, size: int) -> tuple[str, ...]:
    return (f"e2fsck -f {node}", f"resize2fs {node} {size // KIB}K", f"dumpe2fs -h {node} | grep -E 'Block (count|size)'")


def _grow(node: str, size: int) -> tuple[str, ...]:
    return (f"e2fsck -f {node}", f"resize2fs {node}")


def _label(node: str, label: str) -> tuple[str, ...]:
    return (f"e2label {node} {label}",)


def _renew(node: str, uuid: str) -> tuple[str, ...]:
    return (f"e2fsck -f {node}", f"tune2fs -U {uuid} {node}")


def _check(node: str) -> tuple[str, ...]:
    return (f"e2fsck -f {node}",)


def _kind(key: str, *, makes: bool = False) -> Kind:
    return Kind(
        key,
        key,
        rank=30,
        listed=(key,),
        probe=_probe if makes else None,
        label_units=16,
        label_bytes=True,
        smallest=8 * MIB if makes else 0,
        fresh=_fresh if makes else None,
        resized=_resized,
        identity=file_system_uuid,
        make_lines=_make if makes else None,
        make_tools=("mkfs.ext4",) if makes else (),
        shrink_lines=_shrink,
        grow_lines=_grow,
        label_lines=_label,
        check_lines=_check,
        renew_lines=_renew,
        gives_room=True,
        renewable=True,
        takes_files=True,
    )


KINDS = (_kind("ext4", makes=True), _kind("ext3"), _kind("ext2"))
