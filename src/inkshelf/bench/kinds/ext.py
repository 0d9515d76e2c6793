"""ext2, ext3 and ext4 on the bench."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Mapping
from pathlib import Path

from inkshelf.bench import tools
from inkshelf.bench.filling import ext as filling
from inkshelf.bench.filling import reading
from inkshelf.bench.hashing import feed
from inkshelf.bench.image import ImageFile
from inkshelf.bench.kinds.base import UNREADABLE, Digests, Tools
from inkshelf.core.disk import ext, ext_files
from inkshelf.core.disk.source import Slice
from inkshelf.core.errors import FormatError
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.steps.kinds import Format

PACKAGE = "e2fsprogs"
LARGEST = 1 << 20  # bytes of a file that is read back whole


def make(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    extended = f"lazy_itable_init=1,lazy_journal_init=1,nodiscard,hash_seed={step.uuid}"
    tools.run("mkfs.ext4", "-F", "-q", "-b", "4096", "-U", step.uuid, "-L", step.label, "-E", extended, path)


def resize(path: Path, volume: Volume, to_bytes: int) -> None:
    """The utility moves what lies behind the new end."""
    tools.run("e2fsck", "-f", "-y", path, accept=(0, 1))
    tools.run("resize2fs", path, f"{to_bytes // 1024}K")


def label(path: Path, text: str) -> None:
    tools.run("e2label", path, text)


def renew(path: Path, uuid: str) -> None:
    tools.run("e2fsck", "-f", "-y", path, accept=(0, 1))
    tools.run("tune2fs", "-f", "-U", uuid, path)


def digests(source: Slice) -> Digests:
    """Return the hash of every file of an ext volume by its path, with its mode, owner and time; of its folders mode and owner."""
    volume = ext.open_ext(source)
    if volume is None:
        raise FormatError(UNREADABLE)
    found: Digests = {}
    for file in ext_files.files(volume, folders=True):
        total = hashlib.sha256(file.head + file.value)
        feed(total, source, file.runs)
        found[file.path] = total.hexdigest()
    return found


def put(path: Path, files: Mapping[str, bytes]) -> None:
    """By a script in the utility's own language, which parts words at blanks outside quotes."""
    with ImageFile(path) as source:
        volume = ext.open_ext(source)
        there = {one for one in _folders(files) if volume is not None and ext.lookup(volume, one) is not None}
    with tempfile.TemporaryDirectory(dir=path.parent) as scratch:
        folders = _folders(files) - there  # the utility loses an inode where it makes a folder that is there
        lines = [f'mkdir "{folder}"' for folder in sorted(folders)]
        for index, (name, data) in enumerate(files.items()):
            (Path(scratch) / str(index)).write_bytes(data)
            lines += [f'rm "{name}"', f'write {index} "{name}"']
        (Path(scratch) / "script").write_text("\n".join(lines) + "\n")
        tools.run("debugfs", "-w", "-f", "script", path.resolve(), folder=Path(scratch))


def _folders(files: Mapping[str, bytes]) -> set[str]:
    return {str(one) for name in files for one in Path(name).parents if str(one) != "/"}


def read(source: Slice, path: str) -> bytes | None:
    """Return a file of an ext volume."""
    volume = ext.open_ext(source)
    if volume is None:
        raise FormatError(UNREADABLE)
    file = next((one for one in ext_files.files(volume) if one.path == path), None)
    if file is None or file.kind != ext_files.FILE or file.size > LARGEST:
        return None
    data = bytearray(file.value.ljust(file.size, b"\0"))
    for logical, start, length in file.runs:
        piece = source.read(start, min(length, max(0, file.size - logical)))
        data[logical : logical + len(piece)] = piece
    return bytes(data)


TOOLS = Tools(
    ("ext4", "ext3", "ext2"),
    make=make,
    resize=resize,
    label=label,
    renew=renew,
    check=("e2fsck", "-f", "-n"),
    digests=digests,
    things="files and folders",
    put=put,
    read=read,
    put_files=filling.put_files,
    files=reading.in_ext,
    makes_with={"mkfs.ext4": PACKAGE},
    changes_with=dict.fromkeys(("resize2fs", "e2fsck", "tune2fs", "e2label"), PACKAGE),
)
