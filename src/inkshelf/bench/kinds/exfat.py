"""exFAT on the bench."""

from __future__ import annotations

import os
import struct
from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.filling import exfat as filling
from inkshelf.bench.filling import reading
from inkshelf.bench.hashing import digest
from inkshelf.bench.kinds.base import UNREADABLE, Digests, Tools
from inkshelf.bench.sparse import write_all
from inkshelf.core.disk import exfat
from inkshelf.core.disk.kinds.exfat import cluster
from inkshelf.core.disk.source import Slice
from inkshelf.core.errors import FormatError
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.steps.kinds import Format

PACKAGE = "exfatprogs"


def make(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    tools.run("mkfs.exfat", "-c", str(cluster(volume.size)), "-L", step.label, path)
    renew(path, step.uuid)


def label(path: Path, text: str) -> None:
    tools.run("exfatlabel", path, text)


def renew(path: Path, uuid: str) -> None:
    """Put a serial into both boot regions, with their checksums (exFAT specification 1.00, 3.1.11 and 3.4)."""
    serial = int(uuid.replace("-", ""), 16)
    fd = os.open(path, os.O_RDWR | os.O_CLOEXEC)
    try:
        sector = 1 << os.pread(fd, 512, 0)[108]
        for region in (0, 12 * sector):
            raw = bytearray(os.pread(fd, 11 * sector, region))
            struct.pack_into("<I", raw, 100, serial)
            total = 0
            for at, byte in enumerate(raw):
                if at not in {106, 107, 112}:
                    total = ((total >> 1) | (total & 1) << 31) + byte & 0xFFFFFFFF
            write_all(fd, bytes(raw[:sector]), region)
            write_all(fd, struct.pack("<I", total) * (sector // 4), region + 11 * sector)
    finally:
        os.close(fd)


def digests(source: Slice) -> Digests:
    """Return the hash of all clusters of an exFAT volume but those of its root folder, which holds the label."""
    volume = exfat.layout(source)
    if volume is None:
        raise FormatError(UNREADABLE)
    root = sorted(volume.place(one) for one in exfat.chain(source, volume, volume.root_cluster))
    edges = [volume.heap_start, *(edge for place in root for edge in (place, place + volume.cluster)), source.size]
    return {low: digest(source, low, high) for low, high in zip(edges[::2], edges[1::2], strict=True) if high > low}


TOOLS = Tools(
    ("exfat",),
    make=make,
    label=label,
    renew=renew,
    check=("fsck.exfat", "-n"),
    digests=digests,
    compared="byte for byte the same but for the root folder, which holds the label",
    reckon=filling.reckon,
    take_off=filling.take_off,
    files=reading.in_exfat,
    makes_with={"mkfs.exfat": PACKAGE},
    changes_with={"exfatlabel": PACKAGE},
)
