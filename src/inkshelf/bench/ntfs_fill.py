"""Give files of a bench NTFS volume their full length without writing it.

Demo and test disks need hundreds of GiB in use, sparse on the bench. A small file made by the utility gets one or more runs of
clusters with an initialised length of zero: to every reader it is a full-length file of zeros, and the bitmap counts it.
"""

from __future__ import annotations

import os
import struct

from inkshelf.bench.sparse import write_all
from inkshelf.core.disk import ntfs
from inkshelf.core.disk.source import ByteSource
from inkshelf.core.errors import BenchError


def lengthen(source: ByteSource, fd: int, name: str, runs: tuple[tuple[int, int], ...]) -> None:
    """Give the root folder's file ``name`` the ``runs`` of (first cluster, count), and mark them used in the bitmap."""
    volume = ntfs.open_ntfs(source)
    number = ntfs.root_names(volume).get(name.lower()) if volume else None
    if volume is None or number is None:
        raise BenchError(f"{name} is not on the demo volume.", "Delete the demo folder; it is built again.")
    place = volume.mft_runs[0][0] * volume.cluster + number * volume.record
    write_all(fd, _with_runs(bytearray(ntfs.record_bytes(volume, number)), runs, volume.cluster), place)
    bitmap = next(one for one in ntfs.attributes(volume, ntfs.BITMAP) if one.kind == ntfs.DATA and not one.name)
    base = bitmap.runs[0][0] * volume.cluster
    for first, count in runs:
        _mark(fd, base, first, count)


def _with_runs(raw: bytearray, runs: tuple[tuple[int, int], ...], cluster: int) -> bytes:
    at = ntfs.find_attribute(raw, ntfs.DATA)
    found = ntfs.ATTRIBUTE.of(raw, at)
    tail = bytes(raw[at + found.length : ntfs.RECORD.of(raw).used])
    total = sum(count for _, count in runs)
    listed = _run_list(runs)
    size = 64 + -(-len(listed) // 8) * 8
    attribute = (
        struct.pack(
            "<IIBBHHHQQHHIQQQ",
            ntfs.DATA,
            size,
            1,
            0,
            64,
            0,
            found.identifier,
            0,
            total - 1,
            64,
            0,
            0,
            total * cluster,
            total * cluster,
            0,
        )
        + listed
    )
    body = bytes(raw[:at]) + attribute.ljust(size, b"\0") + tail
    if len(body) > len(raw):
        raise BenchError("A demo file has too many pieces for one record.", "Use fewer runs.")
    fixed = bytearray(body.ljust(len(raw), b"\0"))
    struct.pack_into("<I", fixed, ntfs.RECORD.place("used"), len(body))
    return ntfs.protected(fixed)


def _run_list(runs: tuple[tuple[int, int], ...]) -> bytes:
    out, before = bytearray(), 0
    for first, count in runs:
        length, delta = (_signed(one) for one in (count, first - before))
        out += bytes([len(delta) << 4 | len(length)]) + length + delta
        before = first
    return bytes(out) + b"\0"


def _signed(value: int) -> bytes:
    return value.to_bytes(value.bit_length() // 8 + 1, "little", signed=True)


def _mark(fd: int, base: int, first: int, count: int) -> None:
    low, high = first // 8, -(-(first + count) // 8)
    bits = bytearray(os.pread(fd, high - low, base + low))
    if any(bits):
        raise BenchError(f"Clusters {first} to {first + count} are partly in use.", "Choose another place for the demo file.")
    for bit in range(first, min(first + count, -(-first // 8) * 8)):
        bits[bit // 8 - low] |= 1 << bit % 8
    full_low, full_high = -(-first // 8), (first + count) // 8
    if full_high > full_low:
        bits[full_low - low : full_high - low] = b"\xff" * (full_high - full_low)
    for bit in range(max(first, full_high * 8), first + count):
        bits[bit // 8 - low] |= 1 << bit % 8
    write_all(fd, bytes(bits), base + low)
