"""XFS: its super block, and where it keeps what a label or a new identity rewrites: a super block in every allocation group, and the log.

XFS Algorithms and Data Structures, section "Superblocks": all fields big-endian.
"""

from __future__ import annotations

import uuid
from itertools import pairwise

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.source import ByteSource, Layout, exactly
from inkshelf.core.errors import FormatError
from inkshelf.core.texts import zero_ended

MAGIC = b"XFSB"
LEAST_BLOCK, LARGEST_BLOCK = 512, 65_536
SUPER_SIZE = 512
SUPER = Layout(
    "XFS super block",
    ">",
    mark=(0, "4s"),
    block=(4, "I"),
    blocks=(8, "Q"),
    uuid=(32, "16s"),
    log_start=(48, "Q"),
    group_blocks=(84, "I"),
    groups=(88, "I"),
    log_blocks=(96, "I"),
    sector=(102, "H"),
    name=(108, "12s"),
    group_bits=(124, "B"),
    free=(144, "Q"),
)


def probe(source: ByteSource) -> FileSystem | None:
    """Return what the super block says, or ``None`` where there is none."""
    head = source.read(0, SUPER_SIZE)
    if len(head) < SUPER_SIZE or not head.startswith(MAGIC):
        return None
    own = SUPER.of(head)
    return FileSystem(
        kind="xfs",
        size_bytes=own.block * own.blocks,
        label=zero_ended(own.name),
        uuid=str(uuid.UUID(bytes=own.uuid)),
        used_bytes=max(0, own.blocks - own.free) * own.block,
        smallest_why="XFS cannot be shrunk",
        hibernated=False,
        cluster_bytes=own.block,
        clusters=own.blocks,
    )


def own_records(source: ByteSource) -> list[tuple[int, int]]:
    """Return the (start, end) byte ranges of every super block and of the internal log, in order; raises ``FormatError``."""
    own = SUPER.of(exactly(source, 0, SUPER_SIZE, "XFS super block"))
    sound = LEAST_BLOCK <= own.block <= LARGEST_BLOCK and 512 <= own.sector <= own.block and own.group_blocks
    if own.mark != MAGIC or not sound:
        raise FormatError("The XFS super block is damaged.", "Check the volume with its own utility first.")
    block, span = own.block, own.group_blocks * own.block
    most, least = own.groups * own.group_blocks, (own.groups - 1) * own.group_blocks
    if not least < own.blocks <= most or own.blocks * block > source.size:
        raise FormatError("The XFS super block names sizes that cannot be.", "Check the volume with its own utility first.")
    ranges = [(number * span, number * span + own.sector) for number in range(own.groups)]
    if own.log_start:
        group, inside = own.log_start >> own.group_bits, own.log_start & ((1 << own.group_bits) - 1)
        start = group * span + inside * block
        ranges.append((start, start + own.log_blocks * block))
    ranges.sort()
    if any(one[1] > two[0] for one, two in pairwise([*ranges, (own.blocks * block, 0)])):
        raise FormatError("The XFS log is said to lie where it cannot.", "Check the volume with its own utility first.")
    return ranges


def contents(source: ByteSource) -> list[tuple[int, int]]:
    """Return the (start, end) byte ranges of everything else: files, folders and the records that find them."""
    own = SUPER.of(exactly(source, 0, SUPER_SIZE, "XFS super block"))
    end = own.block * own.blocks
    edges = [(0, 0), *own_records(source), (end, end)]
    return [(one[1], two[0]) for one, two in pairwise(edges) if two[0] > one[1]]
