"""Make a file that is a whole disk inside an NTFS volume on the bench: clusters really given to it, its table and file system in it.

Nothing is mounted: the disk is built beside the volume, then goes into the file's own clusters. What it leaves empty is not written.
"""

from __future__ import annotations

import os
import struct
import tempfile
from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.filling import ntfs as filled
from inkshelf.bench.handover import Written
from inkshelf.bench.image import ImageFile
from inkshelf.bench.kinds import ntfs as bench_ntfs
from inkshelf.bench.sparse import copy_data, data_ranges, punch, write_all
from inkshelf.bench.tablewriter import write_table
from inkshelf.core.disk import disk_files, ntfs, ntfs_files
from inkshelf.core.disk.disk_files import BLOCK, SECTOR
from inkshelf.core.disk.types import gpt_type, mbr_type
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Disk, DiskFile, Machine
from inkshelf.core.size import MIB, align_down
from inkshelf.core.steps.kinds import Create, Format, NewTable
from inkshelf.data import exact

FRAGMENTED = "The free room of this volume is in too many pieces for one file."


def put_disk_file(path: Path, file: DiskFile, label: str) -> None:
    """Make ``file`` in the NTFS volume that ``path`` holds, or make it anew; with the stand-in of a system where it holds one."""
    with tempfile.TemporaryDirectory(prefix="disk-", dir=path.parent) as scratch:
        disk = Path(scratch) / "disk"
        _build(disk, Path(scratch), file, label)
        name = file.path.strip("\\")
        if file.form == "growing":
            local = Path(scratch) / "file"
            _grown(disk, local, file)
            tools.run("ntfscp", "-q", path, local, name)
            return
        _allocate(path, Path(scratch), name, file)
        _fill(path, disk, file)


def delete_disk_file(path: Path, name: str) -> None:
    """Delete a file from the NTFS volume that ``path`` holds; capitals and small letters mean the same."""
    with filled.mounted(path) as folder:
        place = folder
        for part in name.strip("\\").lower().split("\\"):
            found = next((one for one in place.iterdir() if one.name.lower() == part), None)
            if found is None or found.is_symlink():
                raise BenchError(f"{name} is not there.", "Take the disk in again.")
            place = found
        if not place.is_file():
            raise BenchError(f"{name} is no file.", "Take the disk in again.")
        place.unlink()


def _build(path: Path, scratch: Path, file: DiskFile, label: str) -> None:
    """The disk inside, as a sparse file: a table, one NTFS volume, and what a reader knows a system by."""
    identity = file.identity.upper()
    named = "-".join((identity[:8], identity[8:12], identity[12:16], identity[16:20], identity[20:]))
    bare = Machine(disks=(Disk("A", file.size_bytes),))
    on_gpt = file.table == "gpt"
    tabled = NewTable("A", "gpt" if on_gpt else "mbr", named if on_gpt else identity[:8].lower()).apply(bare)
    end = align_down(tabled.disk("A").usable_end, MIB)
    kind, own = (gpt_type("basic_data"), f"{identity[20:28]}-{named[9:]}") if on_gpt else (mbr_type("basic_data"), "")
    made = Create("A", "S1", 1, MIB, end - MIB, kind, own, "system").apply(tabled)
    step = Format("S1", "ntfs", label, identity[16:])
    whole = step.apply(made)
    volume = whole.find("S1")
    if volume is None:
        raise BenchError("The disk in the file has no volume.", "Ink again.")
    inside = scratch / "inside"
    with inside.open("wb") as out:
        out.truncate(volume[1].size)
    bench_ntfs.make(inside, whole.disk("A"), volume[1], step)
    if file.holds:
        bench_ntfs.put_in_root(inside, {exact("nt", "system_folder"): b"stand-in for the folder of an NT-family system\n"})
    with path.open("w+b") as out, inside.open("rb") as source:
        out.truncate(file.size_bytes)
        write_table(out.fileno(), bare.disk("A"), whole.disk("A"), Written())
        copy_data(source.fileno(), out.fileno(), 0, volume[1].size, volume[1].start)
    inside.unlink()


def _grown(disk: Path, local: Path, file: DiskFile) -> None:
    """The file with the blocks of the disk that hold something."""
    with disk.open("rb") as source, local.open("wb") as out:
        fd = source.fileno()
        blocks = {
            number
            for low, high in data_ranges(fd, 0, file.size_bytes)
            for number in range(low // BLOCK, -(-high // BLOCK))
            if any(os.pread(fd, BLOCK, number * BLOCK))
        }
        head, places = disk_files.growing_head(file.size_bytes, bytes.fromhex(file.identity), blocks)
        out.write(head)
        for number in sorted(blocks):
            out.write(b"\xff" * (places[number] - out.tell()))  # every sector of the block is there
            out.write(os.pread(fd, BLOCK, number * BLOCK).ljust(BLOCK, b"\0"))
        out.write(disk_files.footer(file.size_bytes, "growing", bytes.fromhex(file.identity)))


def _allocate(path: Path, scratch: Path, name: str, file: DiskFile) -> None:
    """Give the file clusters for its full length, without writing them; what is there already stays as long as it is."""
    total = disk_files.stored_bytes(file.size_bytes, "fixed")
    record, stream = _found(path, file)
    if record is None:
        empty = scratch / "empty"
        empty.write_bytes(b"\0")
        tools.run("ntfscp", "-q", path, empty, name)
    if stream is None or stream.size != total:
        tools.run("ntfsfallocate", "-l", str(total), path, name)
    record, _ = _found(path, file)
    if record is None:
        raise BenchError(f"{file.path} could not be made.", "Ink again.")
    bench_ntfs.edit_record(path, record, _initialised)
    _, stream = _found(path, file)
    if stream is None or stream.size != total or stream.initialised != total:
        raise BenchError(FRAGMENTED, "Choose a smaller file, or let its own system put the volume in order first.")


def _initialised(raw: bytearray) -> None:
    """All of the file counts as written: its clusters are holes of the image, which read as zeros."""
    at = ntfs.find_attribute(raw, ntfs.DATA)
    own = ntfs.ELSEWHERE.of(raw, at)
    struct.pack_into("<Q", raw, at + ntfs.ELSEWHERE.place("initialised"), own.size)


def _found(path: Path, file: DiskFile) -> tuple[int | None, ntfs_files.Stream | None]:
    with ImageFile(path) as source:
        volume = ntfs.open_ntfs(source)
        record = ntfs_files.lookup(volume, file.path) if volume else None
        return record, ntfs_files.stream(volume, record) if volume and record is not None else None


def _fill(path: Path, disk: Path, file: DiskFile) -> None:
    """Put the disk's bytes into the file's clusters; everything else in them becomes a hole."""
    _, stream = _found(path, file)
    if stream is None:
        raise BenchError(FRAGMENTED, "Choose a smaller file.")
    fd = os.open(path, os.O_RDWR | os.O_CLOEXEC)
    try:
        for _, place, count in stream.runs:
            punch(fd, place, count)
        with disk.open("rb") as source:
            for low, high in data_ranges(source.fileno(), 0, file.size_bytes):
                for at, place, count in stream.runs:
                    first, last = max(low, at), min(high, at + count)
                    if last > first:
                        copy_data(source.fileno(), fd, first, last - first, place + first - at)
        _write(fd, stream, disk_files.footer(file.size_bytes, "fixed", bytes.fromhex(file.identity)), stream.size - SECTOR)
    finally:
        os.close(fd)


def _write(fd: int, stream: ntfs_files.Stream, data: bytes, offset: int) -> None:
    for at, place, count in stream.runs:
        first, last = max(at, offset), min(at + count, offset + len(data))
        if last > first:
            write_all(fd, data[first - offset : last - offset], place + first - at)
