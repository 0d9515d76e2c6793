"""Small machines for tests: real tables and real file systems in sparse images, made in a second."""

from __future__ import annotations

import os
from pathlib import Path

from inkshelf.bench import installers, stand_ins, tools
from inkshelf.bench.demo import put_on_fat
from inkshelf.bench.image import ImageFile
from inkshelf.bench.sparse import copy_data, data_ranges, write_all
from inkshelf.core.checks import findings
from inkshelf.core.disk.gpt import GptEntry, blank, encode
from inkshelf.core.disk.probe import probe
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.draw import guid
from inkshelf.core.machine.joining import join_images
from inkshelf.core.machine.state import Disk, FileSystem, Firmware, Machine
from inkshelf.core.plan.job import Job, Override
from inkshelf.core.plan.reading import read
from inkshelf.core.size import MIB
from inkshelf.core.steps.kinds import Install
from inkshelf.core.value import replace
from inkshelf.data import exact


def head(path: str | Path, count: int, at: int = 0) -> bytes:
    """Some bytes of a large image."""
    with Path(path).open("rb") as file:
        file.seek(at)
        return file.read(count)


def stored(path: Path) -> dict[int, bytes]:
    """What an image really holds, by its place: holes are not read."""
    fd = os.open(path, os.O_RDONLY)
    try:
        return {low: os.pread(fd, high - low, low) for low, high in data_ranges(fd, 0, os.fstat(fd).st_size)}
    finally:
        os.close(fd)


def assemble(disks: tuple[Disk, ...], mode: str | None = None, secure_boot: str | None = None) -> Machine:
    """A machine of disks that were read."""
    return join_images(Machine(Firmware(mode, secure_boot)), disks).machine


def answered(job: Job) -> Job:
    """The job with every stop answered for in writing: for tests of what comes behind them."""
    stops = [one for one in findings(read(job)) if one.severity == "stop" and not one.final]
    return replace(job, overrides=(*job.overrides, *(Override(one.key, "a test") for one in stops)))


Part = tuple[str, int, tuple[str, ...]]


def make_gpt_disk(path: Path, size: int, sector: int, parts: list[Part], first: int = MIB) -> list[tuple[int, int]]:
    """Write a disk with ``parts`` of (type, bytes, formatting command) one behind the other; return their places."""
    entries, places, at = [], [], first
    with path.open("wb") as out:
        out.truncate(size)
        for number, (kind, length, command) in enumerate(parts, 1):
            entries.append(
                GptEntry(number, gpt_type(kind), guid(path.name, str(number)), at // sector, (at + length) // sector - 1)
            )
            places.append((at, length))
            if command:
                put_volume(out.fileno(), path.parent, at, length, command)
            at += length
        for offset, data in encode(replace(blank(size, sector, guid(path.name, "disk")), entries=tuple(entries))):
            write_all(out.fileno(), data, offset)
    return places


def put_volume(fd: int, folder: Path, at: int, length: int, command: tuple[str, ...]) -> None:
    volume = folder / "volume.part"
    with volume.open("wb") as made:
        made.truncate(length)
    tools.run(command[0], *command[1:], volume)
    with volume.open("rb") as made:
        copy_data(made.fileno(), fd, 0, length, at)
    volume.unlink()


def put_nt_loader(path: Path, esp: int, system_number: int) -> None:
    """Give the EFI system partition at byte ``esp`` an NT loader whose boot data names partition ``system_number``."""
    loader = stand_ins.loader("NT loader", signed=True)
    data = stand_ins.boot_data(guid(path.name, str(system_number)))
    put_on_fat(
        path,
        esp,
        {exact("paths", "nt_loader"): loader, exact("paths", "fallback_x64"): loader, exact("paths", "nt_boot_data"): data},
    )


def put_linux(path: Path, esp: int, root: tuple[int, int], uuid: str, folder: Path, title: str = "Quill Linux") -> None:
    """Install a Linux-family stand-in on the ext4 volume at ``root`` with its loaders at ``esp``."""
    step = Install("S1", "B1", title, "linux", 0, (), ((f"UUID={uuid}", "/"),))
    volume = folder / "root.part"
    with path.open("r+b") as disk:
        with volume.open("wb") as out:
            out.truncate(root[1])
            copy_data(disk.fileno(), out.fileno(), root[0], root[1], 0)
        installers.put_root(volume, step=step)
        with volume.open("rb") as made:
            copy_data(made.fileno(), disk.fileno(), 0, root[1], root[0])
    volume.unlink()
    menu = stand_ins.menu_config(((uuid, uuid),), title, ())
    put_on_fat(
        path,
        esp,
        {
            r"\EFI\quill" + "\\" + exact("paths", "first_stage_x64"): stand_ins.loader("first", signed=True),
            r"\EFI\quill" + "\\" + exact("paths", "menu_x64"): stand_ins.loader("menu", signed=True),
            r"\EFI\quill" + "\\" + exact("paths", "menu_config"): menu,
        },
    )


def put_file_on_ntfs(path: Path, place: tuple[int, int], name: str, data: bytes, folder: Path) -> None:
    """Put one file into the root folder of the NTFS volume at ``place``."""
    volume, local = folder / "ntfs.part", folder / "file.part"
    local.write_bytes(data)
    fd = os.open(path, os.O_RDWR)
    try:
        with volume.open("w+b") as out:
            out.truncate(place[1])
            copy_data(fd, out.fileno(), place[0], place[1], 0)
            out.flush()
            tools.run("ntfscp", "-q", volume, local, name)
            copy_data(out.fileno(), fd, 0, place[1], place[0])
    finally:
        os.close(fd)
        volume.unlink()
        local.unlink()


def make_volume(path: Path, size: int, *command: str) -> Path:
    with path.open("wb") as out:
        out.truncate(size)
    tools.run(*command, path)
    return path


def held(path: Path) -> FileSystem:
    with ImageFile(path) as source:
        found = probe(source).filesystem
    assert found is not None
    return found
