"""Where an XFS volume keeps what a label or a new identity rewrites: a super block in every allocation group, and the log.

XFS Algorithms and Data Structures, section "Superblocks": all fields big-endian.
"""

from __future__ import annotations

from itertools import pairwise

from inkshelf.core.disk.source import ByteSource, exactly, unpack
from inkshelf.core.errors import FormatError

MAGIC = b"XFSB"
LEAST_BLOCK, LARGEST_BLOCK = 512, 65_536


def own_records(source: ByteSource) -> list[tuple[int, int]]:
    """Return the (start, end) byte ranges of every super block and of the internal log, in order; raises ``FormatError``."""
    head = exactly(source, 0, 512, "XFS super block")
    block, blocks = unpack(">IQ", head, 4, "XFS super block")
    log_start = unpack(">Q", head, 48, "XFS super block")[0]
    group_blocks, groups, _, log_blocks = unpack(">IIII", head, 84, "XFS super block")
    sector, group_bits = unpack(">H", head, 102, "XFS super block")[0], head[124]
    if head[:4] != MAGIC or not LEAST_BLOCK <= block <= LARGEST_BLOCK or not 512 <= sector <= block or not group_blocks:
        raise FormatError("The XFS super block is damaged.", "Check the volume with its own utility first.")
    if not (groups - 1) * group_blocks < blocks <= groups * group_blocks or blocks * block > source.size:
        raise FormatError("The XFS super block names sizes that cannot be.", "Check the volume with its own utility first.")
    ranges = [(number * group_blocks * block, number * group_blocks * block + sector) for number in range(groups)]
    if log_start:
        group, inside = log_start >> group_bits, log_start & ((1 << group_bits) - 1)
        start = (group * group_blocks + inside) * block
        ranges.append((start, start + log_blocks * block))
    ranges.sort()
    if any(one[1] > two[0] for one, two in pairwise([*ranges, (blocks * block, 0)])):
        raise FormatError("The XFS log is said to lie where it cannot.", "Check the volume with its own utility first.")
    return ranges


def contents(source: ByteSource) -> list[tuple[int, int]]:
    """Return the (start, end) byte ranges of everything else: files, folders and the records that find them."""
    block, blocks = unpack(">IQ", exactly(source, 0, 512, "XFS super block"), 4, "XFS super block")
    edges = [(0, 0), *own_records(source), (block * blocks, block * blocks)]
    return [(one[1], two[0]) for one, two in pairwise(edges) if two[0] > one[1]]
