"""FAT12, FAT16 and FAT32 on the bench."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Mapping
from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.filling import fat as filling
from inkshelf.bench.filling import reading
from inkshelf.bench.kinds.base import UNREADABLE, Digests, Tools
from inkshelf.core.disk import fat
from inkshelf.core.disk.filesystems import hidden_sectors
from inkshelf.core.disk.kinds.fat import cluster_sectors
from inkshelf.core.disk.source import Slice
from inkshelf.core.errors import FormatError
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.steps.kinds import Format

PACKAGE = "dosfstools"


def make(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    each, before = cluster_sectors(volume.size, disk.sector), hidden_sectors(volume.start, disk.sector)
    shape = f"-F 32 -S {disk.sector} -s {each} -R 32 -f 2 -g 64/32 -h {before}".split()
    name = ("-n", step.label) if step.label else ()
    tools.run("mkfs.fat", *shape, *name, "-i", step.uuid.replace("-", ""), path)


def label(path: Path, text: str) -> None:
    tools.run("fatlabel", *(("-r", path) if not text else (path, text)))


def renew(path: Path, uuid: str) -> None:
    tools.run("fatlabel", "-i", path, uuid.replace("-", ""))


def digests(source: Slice) -> Digests:
    """Return the hash of every file of a FAT volume by its path, and that its folders are folders."""
    table = fat.layout(source)
    if table is None:
        raise FormatError(UNREADABLE)
    nodes = fat.listing(source, table, whole=True)
    return {
        node.path: "folder" if node.folder else hashlib.sha256(fat.read_file(source, table, node, node.size)).hexdigest()
        for node in nodes
    }


def put(path: Path, files: Mapping[str, bytes], start: int = 0) -> None:
    """Write files, in the place of those that are there, into the volume that begins at byte ``start``; folders are made."""
    drive = f"{path}@@{start}"
    folders: list[str] = []
    for name in files:
        parts = name.strip("/").split("/")[:-1]
        folders += ["/".join(parts[: index + 1]) for index in range(len(parts))]
    for folder in dict.fromkeys(folders):
        tools.run("mmd", "-D", "s", "-i", drive, f"::/{folder}", accept=(0, 1))
    with tempfile.TemporaryDirectory(dir=path.parent) as scratch:
        for name, data in files.items():
            local = Path(scratch) / "file"
            local.write_bytes(data)
            tools.run("mcopy", "-o", "-i", drive, local, f"::{name}")


def remove(path: Path, names: tuple[str, ...]) -> None:
    """Take files, and folders with all in them, off the volume that ``path`` holds; names as firmware writes them."""
    for name in names:
        place = "::" + name.replace("\\", "/")
        if tools.run("mdeltree", "-i", path, place, accept=(0, 1)).status:
            tools.run("mdel", "-i", path, place, accept=(0, 1))


def read(source: Slice, path: str) -> bytes | None:
    """Return a file of a FAT volume; names mean the same in capitals and small letters."""
    table = fat.layout(source)
    if table is None:
        raise FormatError(UNREADABLE)
    wanted = path.replace("/", "\\").lower()
    node = next((one for one in fat.listing(source, table, whole=True) if one.path.lower() == wanted and not one.folder), None)
    return fat.read_file(source, table, node) if node else None


def boot_copies(source: Slice) -> tuple[int, ...]:
    """FAT32 says itself in which sector the copy of its boot sector stands; FAT12 and FAT16 have none."""
    table = fat.layout(source)
    if table is None or not 0 < table.backup < 0xFFFF:
        return ()
    at = table.backup * table.sector
    copy = source.read(at, fat.BOOT.size)
    return (at,) if len(copy) == fat.BOOT.size and fat.BOOT.of(copy).mark == fat.BOOT_MARK else ()


TOOLS = Tools(
    ("fat32", "fat16", "fat12"),
    make=make,
    label=label,
    renew=renew,
    check=("fsck.fat", "-n"),
    digests=digests,
    things="files and folders",
    put=put,
    read=read,
    boot_copies=boot_copies,
    reckon=filling.reckon,
    take_off=filling.take_off,
    files=reading.in_fat,
    makes_with={"mkfs.fat": PACKAGE},
    changes_with={"fatlabel": PACKAGE},
)
