"""Large sparse disks for the suite, made in a second."""

from __future__ import annotations

import os
from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.sparse import copy_data, write_all
from inkshelf.core.disk.gpt import GptEntry, blank, encode
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.draw import guid
from inkshelf.core.size import GIB, MIB
from inkshelf.core.value import replace


def large_disk(path: Path) -> None:
    """A sparse 2 TB disk with six volumes, real file systems in all of them."""
    size = 2_000_398_934_016
    parts = [
        ("efi_system", 300 * MIB, ("mkfs.fat", "-F", "32", "-s", "1")),
        ("nt_reserved", 16 * MIB, ()),
        ("basic_data", 900 * GIB, ("mkfs.ntfs", "-F", "-Q", "-q")),
        ("nt_recovery", GIB, ("mkfs.ntfs", "-F", "-Q", "-q")),
        ("linux_root_x64", 100 * GIB, ("mkfs.ext4", "-F", "-q", "-E", "lazy_itable_init=1,lazy_journal_init=1")),
        ("linux_home", 800 * GIB, ("mkfs.ext4", "-F", "-q", "-E", "lazy_itable_init=1,lazy_journal_init=1")),
    ]
    entries, at = [], MIB
    with path.open("wb") as out:
        out.truncate(size)
        for number, (kind, length, command) in enumerate(parts, 1):
            entries.append(GptEntry(number, gpt_type(kind), guid("bench", kind), at // 512, (at + length) // 512 - 1))
            if command:
                volume = path.with_suffix(".part")
                with volume.open("wb") as made:
                    made.truncate(length)
                tools.run(*command, volume)
                with volume.open("rb") as made:
                    copy_data(made.fileno(), out.fileno(), 0, length, at)
                volume.unlink()
            at += length
        for offset, data in encode(replace(blank(size, 512, guid("bench", "disk")), entries=tuple(entries))):
            write_all(out.fileno(), data, offset)


def wide_disk(path: Path) -> None:
    """A sparse 18 TB disk with sixty volumes of 300 GB, all with a real file system in them."""
    size, length = 18_000_207_937_536, 279 * GIB
    volume = path.with_suffix(".part")  # a small file system: sixty of them have to fit into memory
    with volume.open("wb") as made:
        made.truncate(length)
    tools.run("mkfs.ext4", "-F", "-q", "-E", "lazy_itable_init=1,lazy_journal_init=1", volume)
    kind, entries = gpt_type("linux_data"), []
    with path.open("w+b") as out, volume.open("rb") as made:
        out.truncate(size)
        for number in range(1, 61):
            at = MIB + (number - 1) * length
            entries.append(GptEntry(number, kind, guid("wide", str(number)), at // 512, (at + length) // 512 - 1))
            copy_data(made.fileno(), out.fileno(), 0, 64 * MIB, at)
            os.pwrite(out.fileno(), number.to_bytes(16, "little"), at + 1024 + 104)
        for offset, data in encode(replace(blank(size, 512, guid("wide", "disk")), entries=tuple(entries))):
            write_all(out.fileno(), data, offset)
    volume.unlink()
