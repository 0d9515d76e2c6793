"""Resize, label, renew and check file systems on plain files with the base utilities."""

from __future__ import annotations

import os
import struct
from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.image import ImageFile
from inkshelf.bench.making import exfat_serial, read_pv, write_pv
from inkshelf.bench.sparse import write_all
from inkshelf.core.disk import lvm_write, ntfs
from inkshelf.core.disk.filesystems import GROWN_BY_ITS_OWN_SYSTEM
from inkshelf.core.disk.source import ByteSource
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Volume
from inkshelf.data import exact


def resize(path: Path, volume: Volume, to_bytes: int) -> None:
    """Make the file system in ``path`` ``to_bytes`` long; on the way down the utilities move what lies behind the new end."""
    kind = volume.filesystem.kind if volume.filesystem else ""
    if kind == "ntfs":
        tools.run("ntfsresize", "--force", "--force", "--no-progress-bar", "--size", str(to_bytes), path, feed="y\n")
        _clear_check_mark(path)
    elif kind in {"ext2", "ext3", "ext4"}:
        tools.run("e2fsck", "-f", "-y", path, accept=(0, 1))
        tools.run("resize2fs", path, f"{to_bytes // 1024}K")
    elif kind == "lvm":
        write_pv(path, lvm_write.with_size(read_pv(path), to_bytes))
    elif kind in GROWN_BY_ITS_OWN_SYSTEM and to_bytes >= volume.size:
        return  # the partition grows; what is inside follows where it can be mounted or unlocked
    elif kind:
        raise BenchError(f"{kind} cannot be resized on the bench.", "Choose another volume.")


def label(path: Path, volume: Volume, text: str) -> None:
    """Give the file system in ``path`` another label."""
    kind = volume.filesystem.kind if volume.filesystem else ""
    commands: dict[str, tuple[str | Path, ...]] = {
        "ntfs": ("ntfslabel", "--force", path, text),
        "swap": ("swaplabel", "--label", text, path),
        "exfat": ("exfatlabel", path, text),
        "xfs": ("xfs_admin", "-L", text or "--", path),
        "btrfs": ("btrfs", "filesystem", "label", path, text),
        "luks": ("cryptsetup", "config", path, "--label", text),
        **dict.fromkeys(("fat12", "fat16", "fat32"), ("fatlabel", path, text)),
        **dict.fromkeys(("ext2", "ext3", "ext4"), ("e2label", path, text)),
    }
    _run(commands, kind, "labelled")


def renew(path: Path, volume: Volume, uuid: str) -> None:
    """Give the file system in ``path`` another UUID or serial."""
    kind = volume.filesystem.kind if volume.filesystem else ""
    if kind == "exfat":
        exfat_serial(path, int(uuid.replace("-", ""), 16))
        return
    if kind.startswith("ext"):
        tools.run("e2fsck", "-f", "-y", path, accept=(0, 1))
    commands: dict[str, tuple[str | Path, ...]] = {
        "ntfs": ("ntfslabel", "--force", f"--new-serial={uuid}", path),
        "swap": ("swaplabel", "--uuid", uuid, path),
        "xfs": ("xfs_admin", "-U", uuid, path),
        "btrfs": ("btrfstune", "-f", "-U", uuid, path),
        "luks": ("cryptsetup", "luksUUID", "--batch-mode", path, "--uuid", uuid),
        **{one: ("fatlabel", "-i", path, uuid.replace("-", "")) for one in ("fat12", "fat16", "fat32")},
        **dict.fromkeys(("ext2", "ext3", "ext4"), ("tune2fs", "-f", "-U", uuid, path)),
    }
    _run(commands, kind, "given a new identity")


def _run(commands: dict[str, tuple[str | Path, ...]], kind: str, what: str) -> None:
    if kind not in commands:
        raise BenchError(f"{kind or 'This volume'} cannot be {what} on the bench.", "Do it from its own system.")
    name, *arguments = commands[kind]
    tools.run(str(name), *arguments)


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


def check(path: Path, kind: str) -> str | None:
    """Run the file system's own checker without repairing; return an empty string, or what it said. ``None``: it has no checker."""
    command = {
        "fat12": ("fsck.fat", "-n"),
        "fat16": ("fsck.fat", "-n"),
        "fat32": ("fsck.fat", "-n"),
        "ext2": ("e2fsck", "-f", "-n"),
        "ext3": ("e2fsck", "-f", "-n"),
        "ext4": ("e2fsck", "-f", "-n"),
        "ntfs": ("ntfsresize", "--check", "--force", "--force"),
        "exfat": ("fsck.exfat", "-n"),
        "btrfs": ("btrfs", "check", "--readonly"),
        "xfs": ("xfs_repair", "-n", "-f"),
    }.get(kind)
    if command is None:
        return None
    ran = tools.run(command[0], *command[1:], path, accept=tuple(range(256)))
    return "" if ran.status == 0 else (ran.output.splitlines() or ["it said nothing"])[-1]
