"""Disks that base utilities alone have made: tables, file systems and their files; odd features, foreign boot code, entries elsewhere.

Two things are ours, as their utilities want a device: the metadata of an LVM physical volume, and a table of 4096-byte sectors.
"""

from __future__ import annotations

import os
import random
import struct
import subprocess
import zlib
from pathlib import Path
from typing import NamedTuple

from disks import make_gpt_disk, put_file_on_ntfs, put_volume
from inkshelf.bench import tools
from inkshelf.bench.demo import put_on_fat
from inkshelf.bench.kinds import lvm
from inkshelf.core.disk.lvm_extents import identifier
from inkshelf.core.disk.lvm_write import fresh_pv, with_logical
from inkshelf.core.size import MIB

FAT = ("mkfs.fat", "-n", "FLYER", "-F")
NTFS = ("mkfs.ntfs", "-F", "-Q", "-q", "-L", "OFFICE")
EXT = ("mkfs.ext4", "-F", "-q", "-L", "plates")
WIDE = "4096-byte sectors"
GPT_TYPES = {"U": "U", "W": "EBD0A0A2-B9E5-4433-87C0-68B6B72699C7", "L": "L"}
MBR_TYPES = {"U": "e", "W": "7", "L": "83"}
LUKS = ("cryptsetup", "luksFormat", "--batch-mode", "--type", "luks2", "--pbkdf", "pbkdf2", "--pbkdf-force-iterations", "1000")


class Part(NamedTuple):
    """A partition in MiB, its type as the table utility takes it, and the command that makes what is inside."""

    start: int
    size: int
    type: str
    command: tuple[str, ...]


def ext(start: int, size: int, *options: str, name: str = "mkfs.ext4") -> Part:
    return Part(start, size, "L", (name, *EXT[1:], *options))


def fat(start: int, size: int, bits: int, *options: str) -> Part:
    return Part(start, size, "U", (*FAT, str(bits), *options))


def ntfs(start: int, size: int, *options: str) -> Part:
    return Part(start, size, "W", (*NTFS, *options))


def other(start: int, size: int, *command: str) -> Part:
    return Part(start, size, "L", command)


PLAIN = [fat(2, 50, 16), ntfs(62, 60), ext(142, 70), ext(223, 40)]
DISKS: dict[str, tuple[tuple[str, ...], list[Part]]] = {
    "gpt": (("label: gpt",), PLAIN),
    "mbr": (("label: dos",), PLAIN),
    "wide-sectors": (("label: gpt", WIDE), [fat(2, 280, 32, "-S", "4096"), ext(282, 70)]),
    "odd-ext": (
        ("label: gpt",),
        [
            ext(2, 60, "-O", "inline_data,^has_journal", "-I", "256"),
            ext(70, 60, "-O", "bigalloc", "-C", "16384"),
            ext(140, 60, "-O", "sparse_super2,^resize_inode"),
            ext(210, 40, "-b", "1024", name="mkfs.ext2"),
            ext(260, 40, "-O", "^64bit,^metadata_csum,meta_bg,^resize_inode", name="mkfs.ext4"),
            ext(310, 60, name="mkfs.ext3"),
        ],
    ),
    "short-table": (("label: gpt", "table-length: 24"), [fat(1, 30, 12), ext(40, 60), ntfs(120, 60, "-c", "16384")]),
    "elsewhere": (("label: gpt", "first-lba: 2048"), [ext(2, 60), fat(70, 60, 32), ntfs(140, 60)]),
    "large-kinds": (
        ("label: gpt",),
        [
            other(2, 320, "mkfs.xfs", "-q", "-L", "archive"),
            other(330, 130, "mkfs.btrfs", "-q", "-L", "snapshots"),
            other(470, 70, "mkfs.f2fs", "-q", "-l", "flash"),
            Part(550, 40, "W", ("mkfs.exfat", "-L", "CARD")),
        ],
    ),
    "containers": (("label: gpt",), [other(2, 40, *LUKS), other(50, 120, "lvm"), other(180, 20, "mkswap", "-L", "pages"), ext(210, 50)]),
}  # fmt: skip
KINDS = tuple(DISKS)


def length(key: str) -> int:
    """Bytes of a disk: its last part and 150 MiB of free room."""
    return (DISKS[key][1][-1].start + DISKS[key][1][-1].size + 150) * MIB


def foreign_disk(folder: Path, key: str, dice: random.Random) -> Path:
    """Make one of the disks, with files in it."""
    folder.mkdir(parents=True, exist_ok=True)
    path, tree = folder / f"{key}.img", folder / f"tree-{key}"
    tree.mkdir(exist_ok=True)
    for number in range(30):
        (tree / f"sheet {number}").write_bytes(dice.randbytes(dice.choice([0, 90, 900, 70_000, 300_000])))
    head, parts = DISKS[key]
    with path.open("w+b") as out:
        out.truncate(length(key))
        write_table(path, head, parts)
        for part in parts:
            _fill(out.fileno(), folder, part, tree)
        if key in {"odd-ext", "elsewhere"}:
            _boot_code(out.fileno(), key, dice)
    for part in parts:
        place = (part.start * MIB, part.size * MIB)
        if part.command[0] == "mkfs.fat":
            put_on_fat(path, place[0], {rf"\flyers\{number}.txt": dice.randbytes(40_000) for number in range(12)})
        if part.command[0] == "mkfs.ntfs":
            for number in range(4):
                put_file_on_ntfs(path, place, f"letter{number}.txt", dice.randbytes(60_000), folder)
    return path


def write_table(path: Path, head: tuple[str, ...], parts: list[Part]) -> None:
    """Let the table utility write it; on an MBR the last two volumes are logical."""
    if WIDE in head:
        made = [("linux_data", part.size * MIB, ()) for part in parts]
        make_gpt_disk(path, path.stat().st_size, 4096, made, first=parts[0].start * MIB)
        return
    types = MBR_TYPES if head[0] == "label: dos" else GPT_TYPES
    lines = [f"start={one.start}MiB, size={one.size}MiB, type={types[one.type]}" for one in parts]
    if head[0] == "label: dos":
        lines.insert(2, f"start={parts[2].start - 2}MiB, size=270MiB, type=f")
    text = "\n".join([*head, "", *lines]) + "\n"
    ran = subprocess.run(
        ["sfdisk", "--quiet", "--no-tell-kernel", "--no-reread", path], input=text, text=True, capture_output=True, check=False
    )
    assert ran.returncode == 0, ran.stderr


def _fill(fd: int, folder: Path, part: Part, tree: Path) -> None:
    at, size, command = part.start * MIB, part.size * MIB, part.command
    name = command[0]
    if name == "lvm":
        _group(fd, folder, at, size)
        return
    if name == "cryptsetup":
        _locked(fd, folder, at, size, command)
        return
    if name.startswith("mkfs.ext"):
        command = (*command, "-d", str(tree))
    elif name == "mkfs.btrfs":
        command = (*command, "--rootdir", str(tree))
    elif name == "mkfs.xfs":
        command = (*command, "-p", str(_proto(folder, tree)))
    put_volume(fd, folder, at, size, command)
    if name == "mkfs.f2fs":
        with _taken_out(fd, folder, at, size) as volume:
            tools.run("sload.f2fs", "-f", tree, volume.path)


def _proto(folder: Path, tree: Path) -> Path:
    """The list of files that the XFS utility fills a volume by; it knows no blanks in paths."""
    lines = []
    for at, one in enumerate(sorted(tree.iterdir())):
        plain = folder / f"plain{at}"
        plain.write_bytes(one.read_bytes())
        lines.append(f"sheet{at} ---644 0 0 {plain}")
    proto = folder / "proto"
    proto.write_text("\n".join(["none", "0 0", "d--755 0 0", *lines, "$", "$"]) + "\n")
    return proto


class _taken_out:  # noqa: N801 - reads as a phrase where it is used
    """A volume as a file of its own, put back afterwards."""

    def __init__(self, fd: int, folder: Path, at: int, size: int) -> None:
        self.fd, self.path, self.at, self.size = fd, folder / "volume.out", at, size

    def __enter__(self) -> _taken_out:
        self.path.write_bytes(os.pread(self.fd, self.size, self.at))
        return self

    def __exit__(self, *_: object) -> None:
        os.pwrite(self.fd, self.path.read_bytes(), self.at)
        self.path.unlink()


def _locked(fd: int, folder: Path, at: int, size: int, command: tuple[str, ...]) -> None:
    with _taken_out(fd, folder, at, size) as volume:
        tools.run(*command, volume.path, "-", feed="a key")
    os.pwrite(fd, random.Random(size).randbytes(2 * MIB), at + 16 * MIB)


def _group(fd: int, folder: Path, at: int, size: int) -> None:
    pv = with_logical(with_logical(fresh_pv(size, identifier("soak"), "group"), "root", 40 * MIB), "home", 24 * MIB)
    with _taken_out(fd, folder, at, size) as volume:
        lvm.write_pv(volume.path, pv)
    os.pwrite(fd, random.Random(size).randbytes(4 * MIB), at + 2 * MIB)


def _boot_code(fd: int, key: str, dice: random.Random) -> None:
    """Foreign code before the records, in the gap, and, for ``elsewhere``, between the header and entries that lie at LBA 40."""
    os.pwrite(fd, dice.randbytes(440), 0)
    os.pwrite(fd, dice.randbytes(200 * 512), 100 * 512)
    if key != "elsewhere":
        return
    header = bytearray(os.pread(fd, 512, 512))
    entries = os.pread(fd, 32 * 512, 2 * 512)
    struct.pack_into("<Q", header, 72, 40)
    struct.pack_into("<I", header, 16, 0)
    struct.pack_into("<I", header, 16, zlib.crc32(bytes(header[:92])))
    os.pwrite(fd, dice.randbytes(38 * 512), 2 * 512)
    os.pwrite(fd, entries, 40 * 512)
    os.pwrite(fd, bytes(header), 512)
