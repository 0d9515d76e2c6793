"""Make file systems and containers on plain files with the base utilities, and give them the identity that the plan drew."""

from __future__ import annotations

import os
import secrets
import struct
from collections.abc import Callable
from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.image import ImageFile
from inkshelf.bench.sparse import write_all
from inkshelf.core.disk import lvm, lvm_write
from inkshelf.core.disk.filesystems import fat32_cluster_sectors
from inkshelf.core.disk.fresh import exfat_cluster
from inkshelf.core.errors import BenchError, FormatError
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.steps.kinds import Format

Maker = Callable[[Path, Disk, Volume, Format], None]


def make(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    """Make the file system of a format step in the file that holds the volume's bytes."""
    maker = MAKERS.get(step.filesystem)
    if maker is None:
        raise BenchError(f"{step.filesystem} cannot be made on the bench.", f"Choose one of: {', '.join(MAKERS)}.")
    maker(path, disk, volume, step)


def _fat32(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    clusters = fat32_cluster_sectors(volume.size, disk.sector)
    shape = f"-F 32 -S {disk.sector} -s {clusters} -R 32 -f 2 -g 64/32 -h {volume.start // disk.sector}".split()
    name = ("-n", step.label) if step.label else ()
    tools.run("mkfs.fat", *shape, *name, "-i", step.uuid.replace("-", ""), path)


def _ext4(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    extended = f"lazy_itable_init=1,lazy_journal_init=1,nodiscard,hash_seed={step.uuid}"
    tools.run("mkfs.ext4", "-F", "-q", "-b", "4096", "-U", step.uuid, "-L", step.label, "-E", extended, path)


def _swap(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    tools.run("mkswap", "-U", step.uuid, "-L", step.label, path)


def _ntfs(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    start = str(volume.start // disk.sector)
    tools.run("mkfs.ntfs", "-F", "-Q", "-q", "-s", str(disk.sector), "-c", "4096", "-p", start, "-L", step.label, path)
    tools.run("ntfslabel", "--force", f"--new-serial={step.uuid}", path)


def _xfs(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    sector = f"size={disk.sector}"
    tools.run("mkfs.xfs", "-q", "-f", "-K", "-s", sector, "-m", f"uuid={step.uuid}", "-L", step.label, path)


def _btrfs(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    """Subvolumes need a mounted file system with this utility; they are left to the script, and said so."""
    tools.run("mkfs.btrfs", "-q", "-f", "-K", "-U", step.uuid, "-L", step.label, path)


def _exfat(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    tools.run("mkfs.exfat", "-c", str(exfat_cluster(volume.size)), "-L", step.label, path)
    exfat_serial(path, int(step.uuid.replace("-", ""), 16))


def exfat_serial(path: Path, serial: int) -> None:
    """Put a serial into both boot regions, with their checksums (exFAT specification 1.00, 3.1.11 and 3.4)."""
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


def _luks(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    """A container whose passphrase is thrown away: on the bench nothing is ever put inside it."""
    options = ("--type", "luks2", "--batch-mode", "--uuid", step.uuid, "--pbkdf", "pbkdf2", "--pbkdf-force-iterations", "1000")
    name = ("--label", step.label) if step.label else ()
    tools.run("cryptsetup", "luksFormat", *options, *name, path, "-", feed=secrets.token_hex(32))


def _lvm(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    write_pv(path, lvm_write.fresh_pv(volume.size, step.uuid, step.label))


def write_pv(path: Path, pv: lvm.Pv) -> None:
    """Write a physical volume's label and metadata into the file that holds its bytes."""
    fd = os.open(path, os.O_RDWR | os.O_CLOEXEC)
    try:
        for offset, data in lvm_write.encode(pv):
            write_all(fd, data, offset)
    except FormatError as error:
        raise BenchError(error.what, error.remedy) from error
    finally:
        os.close(fd)


def read_pv(path: Path) -> lvm.Pv:
    """Return the physical volume in a file; raises ``BenchError`` where its group cannot be changed here."""
    with ImageFile(path) as source:
        pv = lvm.open_pv(source)
    fault = lvm_write.fault(pv) if pv else "it is not a physical volume any more"
    if pv is None or fault:
        raise BenchError(f"The volume group cannot be changed here: {fault}.", "Change it with its own tools.")
    return pv


def add_logical(path: Path, name: str, size: int) -> None:
    """Add a logical volume to the group in a file."""
    try:
        write_pv(path, lvm_write.with_logical(read_pv(path), name, size))
    except FormatError as error:
        raise BenchError(error.what, error.remedy) from error


MAKERS: dict[str, Maker] = {
    "fat32": _fat32,
    "exfat": _exfat,
    "ntfs": _ntfs,
    "ext4": _ext4,
    "xfs": _xfs,
    "btrfs": _btrfs,
    "swap": _swap,
    "luks": _luks,
    "lvm": _lvm,
}
