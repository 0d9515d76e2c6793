"""Make, shrink and check file systems on plain files with the base utilities."""

from __future__ import annotations

import os
import struct
from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.image import ImageFile
from inkshelf.bench.sparse import write_all
from inkshelf.core.disk import ntfs
from inkshelf.core.disk.filesystems import fat32_cluster_sectors
from inkshelf.core.disk.source import ByteSource
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.steps.kinds import Format
from inkshelf.data import exact


def make(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    """Make the file system of a format step in the file that holds the volume's bytes."""
    if step.filesystem == "fat32":
        clusters = fat32_cluster_sectors(volume.size, disk.sector)
        shape = f"-F 32 -S {disk.sector} -s {clusters} -R 32 -f 2 -g 64/32 -h {volume.start // disk.sector}".split()
        tools.run("mkfs.fat", *shape, "-n", step.label, "-i", step.uuid.replace("-", ""), path)
    elif step.filesystem == "ext4":
        extended = f"lazy_itable_init=1,lazy_journal_init=1,nodiscard,hash_seed={step.uuid}"
        tools.run("mkfs.ext4", "-F", "-q", "-b", "4096", "-U", step.uuid, "-L", step.label, "-E", extended, path)
    elif step.filesystem == "swap":
        tools.run("mkswap", "-U", step.uuid, "-L", step.label, path)
    else:
        raise BenchError(f"{step.filesystem} cannot be made on the bench.", "Choose FAT32, ext4 or swap.")


def resize(path: Path, volume: Volume, to_bytes: int) -> None:
    """Make the file system in ``path`` ``to_bytes`` long; on the way down the utilities move what lies behind the new end."""
    kind = volume.filesystem.kind if volume.filesystem else ""
    if kind == "ntfs":
        tools.run("ntfsresize", "--force", "--force", "--no-progress-bar", "--size", str(to_bytes), path, feed="y\n")
        _clear_check_mark(path)
    elif kind in {"ext2", "ext3", "ext4"}:
        tools.run("e2fsck", "-f", "-y", path, accept=(0, 1))
        tools.run("resize2fs", path, f"{to_bytes // 1024}K")
    elif kind:
        raise BenchError(f"{kind} cannot be resized on the bench.", "Choose another volume.")


def label(path: Path, volume: Volume, text: str) -> None:
    """Give the file system in ``path`` another label."""
    kind = volume.filesystem.kind if volume.filesystem else ""
    if kind == "ntfs":
        tools.run("ntfslabel", "--force", path, text)
    elif kind == "swap":
        tools.run("swaplabel", "--label", text, path)
    elif kind.startswith("fat"):
        tools.run("fatlabel", path, text)
    elif kind.startswith("ext"):
        tools.run("e2label", path, text)
    else:
        raise BenchError(f"{kind or 'This volume'} cannot be labelled on the bench.", "Label it from its own system.")


def _clear_check_mark(path: Path) -> None:
    """The utility asks for a check at the next start. On the bench the check was just made: take the mark off, as the owner's system would."""
    tools.run("ntfsresize", "--check", "--force", "--force", path)
    _edit_record(path, ntfs.VOLUME, _without_check_mark)


def _without_check_mark(raw: bytearray) -> None:
    at = struct.unpack_from("<H", raw, 20)[0]
    while struct.unpack_from("<I", raw, at)[0] != ntfs.VOLUME_INFO:
        at += struct.unpack_from("<I", raw, at + 4)[0]
    value = at + struct.unpack_from("<H", raw, at + 20)[0]
    flags = struct.unpack_from("<H", raw, value + 10)[0]
    struct.pack_into("<H", raw, value + 10, flags & ~1)


def _edit_record(path: Path, number: int, change: object) -> None:
    with ImageFile(path) as source:
        volume = ntfs.open_ntfs(source)
        if volume is None:
            raise BenchError("The volume is not NTFS any more.", "Throw the bench copy away and ink again.")
        raw = bytearray(ntfs.record_bytes(volume, number))
        copies = [volume.mft_runs[0][0] * volume.cluster + number * volume.record]
        mirror = next((one.runs for one in ntfs.attributes(volume, ntfs.MIRROR) if one.kind == ntfs.DATA), ())
        copies += [mirror[0][0] * volume.cluster + number * volume.record] if mirror and number < 4 else []
    change(raw)  # type: ignore[operator]
    data = ntfs.protected(raw)
    fd = os.open(path, os.O_RDWR | os.O_CLOEXEC)
    try:
        for at in copies:
            write_all(fd, data, at)
    finally:
        os.close(fd)


def hibernation_header(source: ByteSource) -> int | None:
    """Return where the hibernation file of an NTFS volume begins, from the volume's start, or ``None`` where there is none."""
    volume = ntfs.open_ntfs(source)
    number = ntfs.root_names(volume).get(exact("nt", "hibernation_file")) if volume else None
    if volume is None or number is None:
        return None
    runs = next((one.runs for one in ntfs.attributes(volume, number) if one.kind == ntfs.DATA and one.runs), ())
    return runs[0][0] * volume.cluster if runs and runs[0][0] >= 0 else None


def check(path: Path, kind: str) -> str:
    """Run the file system's own checker without repairing; return an empty string, or what it said."""
    command = {
        "fat12": ("fsck.fat", "-n"),
        "fat16": ("fsck.fat", "-n"),
        "fat32": ("fsck.fat", "-n"),
        "ext2": ("e2fsck", "-f", "-n"),
        "ext3": ("e2fsck", "-f", "-n"),
        "ext4": ("e2fsck", "-f", "-n"),
        "ntfs": ("ntfsresize", "--check", "--force", "--force"),
    }.get(kind)
    if command is None:
        return ""
    ran = tools.run(command[0], *command[1:], path, accept=tuple(range(256)))
    return "" if ran.status == 0 else (ran.output.splitlines() or ["it said nothing"])[-1]
