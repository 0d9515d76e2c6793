"""The smallest size an ext volume can be shrunk to, as the resize utility reckons it: groups for the inodes, blocks for the data,
room for the groups' own tables, and a margin for extents that must grow (e2fsprogs, ``resize2fs -P``).
"""

from __future__ import annotations

from inkshelf.core.disk.ext import EXTENTS, SPARSE2, SUPER, SUPER_AT, Ext, inode_table
from inkshelf.core.disk.groups import sparse_groups
from inkshelf.core.disk.source import exactly
from inkshelf.core.value import Value

FLEX_BG, META_BG, SPARSE = 0x200, 0x10, 0x1
LEAST_IN_GROUP = 50  # blocks beside its own tables that make a last group worth having


class _Shape(Value, frozen=True):
    """What of the super block the reckoning needs."""

    blocks: int
    per_group: int
    inodes_used: int
    inodes_per_group: int
    table_blocks: int
    gdt_blocks: int
    first_block: int
    flex: int
    sparse: bool
    extents: bool
    backups: tuple[int, ...] | None

    @property
    def groups(self) -> int:
        return -(-(self.blocks - self.first_block) // self.per_group)

    def overhead(self, low: int, high: int) -> int:
        """Blocks that the groups from ``low`` up to ``high`` take for themselves."""
        if high <= low:
            return 0
        return (high - low) * (self.table_blocks + 2) + self._copies(low, high) * (1 + self.gdt_blocks)

    def _copies(self, low: int, high: int) -> int:
        """How many of these groups keep a copy of the super block."""
        if self.backups is not None:
            return sum(low <= one < high for one in {0, *self.backups})
        return sparse_groups(high) - sparse_groups(low) if self.sparse else high - low

    def flexed(self, groups: int) -> int:
        """The groups up to the end of the flexible group that the last one is in."""
        return groups + self.flex - groups % self.flex if self.flex > 1 else groups


def smallest_blocks(ext: Ext) -> int:
    """Return the smallest size in blocks."""
    if ext.blocks * ext.block > ext.source.size:
        return ext.blocks  # it says that it is longer than its volume: nothing can be reckoned from it
    raw = exactly(ext.source, SUPER_AT, SUPER.size, "super block")
    shape = _shape(ext, raw)
    needed = max(0, ext.blocks - shape.overhead(0, shape.groups) - ext.free_blocks)
    groups, flexed, in_front = _groups(shape, needed)
    first = (
        0 if shape.flex > 1 and groups <= shape.flex else groups - 1
    )  # as the utility does: all tables of a first flexible group
    last = shape.overhead(first, flexed) + max(LEAST_IN_GROUP, needed - in_front) + shape.first_block
    blocks = max((groups - 1) * shape.per_group + last, _table_end(ext, groups - 1, shape))
    if blocks >= ext.blocks:
        return ext.blocks
    if shape.extents:
        worst = max(-(-needed // (ext.block // 12 - 1)), shape.inodes_used)
        blocks += min((ext.blocks - blocks) // 500, worst)
    return min(blocks, ext.blocks)


def _groups(shape: _Shape, needed: int) -> tuple[int, int, int]:
    """Return how many groups the inodes and data need, up to where the last flexible group reaches, and what lies before the last."""
    groups = max(1, -(-shape.inodes_used // shape.inodes_per_group))
    flexed = min(shape.flexed(groups), shape.groups) if shape.flex > 1 else groups
    in_front = (groups - 1) * shape.per_group - shape.overhead(0, groups - 1)
    room = max(0, groups * shape.per_group - shape.overhead(0, flexed))
    while needed > room and groups <= shape.groups:
        more = -(-(needed - room) // shape.per_group)
        in_front += shape.per_group - shape.overhead(groups - 1, groups)
        before, groups = flexed, groups + more
        flexed = shape.flexed(groups) if groups > flexed or shape.flex == 1 else flexed
        more_in_front = max(0, min(flexed, groups - 1) - before)
        in_front += more_in_front * shape.per_group - shape.overhead(before, before + more_in_front)
        room += more * shape.per_group - shape.overhead(before, flexed)
    return groups, flexed, in_front


def _shape(ext: Ext, raw: bytes) -> _Shape:
    own = SUPER.of(raw)
    groups = -(-(ext.blocks - ext.first_block) // ext.per_group)
    table = -(-groups * ext.descriptor_bytes // ext.block) + own.reserved_gdt
    if own.incompat & META_BG:
        table = own.first_meta_group
    return _Shape(
        blocks=ext.blocks,
        per_group=ext.per_group,
        inodes_used=max(1, own.inodes - own.free_inodes),
        inodes_per_group=ext.inodes_per_group,
        table_blocks=-(-ext.inodes_per_group * ext.inode_bytes // ext.block),
        gdt_blocks=table,
        first_block=ext.first_block,
        flex=1 << min(own.log_flex, 16) if own.incompat & FLEX_BG else 1,
        sparse=bool(own.ro_compat & SPARSE),
        extents=bool(own.incompat & EXTENTS),
        backups=tuple(one for one in own.backup_groups if one) if own.compat & SPARSE2 else None,
    )


def _table_end(ext: Ext, group: int, shape: _Shape) -> int:
    """The end of the inode table of a group, which the file system must cover."""
    return inode_table(ext, group) + shape.table_blocks
