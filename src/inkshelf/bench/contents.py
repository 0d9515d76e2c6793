"""Compare what a volume held before with what it holds after, by hash: whole volumes byte for byte, others file by file."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

from inkshelf.bench.hashing import digest
from inkshelf.bench.image import ImageFile
from inkshelf.bench.kinds import TOOLS, Tools
from inkshelf.bench.kinds.base import Digests
from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.disk.source import Slice
from inkshelf.core.errors import FormatError
from inkshelf.core.machine.state import Volume
from inkshelf.core.size import binary


def kept(
    planned: tuple[Volume, ...], after: Volume, source: ImageFile, image: ImageFile, written: frozenset[str] = frozenset()
) -> tuple[bool, str, str]:
    """Return whether all is still there, what was seen, and what was compared. Source and image are read side by side.

    ``planned`` is the volume as found and after every step, ``after`` the one that was read back, ``written`` the paths of the files
    that the plan itself writes.
    """
    before = planned[0]
    old, new = Slice(source, before.start, before.size), Slice(image, after.start, after.size)
    key = before.filesystem.kind if before.filesystem else ""
    if not written and all(_untouched(before, one) for one in (*planned, after)):
        return _whole(before, after, old, new)
    kind, tools = KINDS.get(key), TOOLS.get(key)
    if kind is None or tools is None:
        return False, f"could not be compared: nothing is known of what {key or 'it'} holds", "contents"
    if kind.payload:
        end = min(one.size for one in (*planned, after))
        was, now = _both(lambda one: {0: digest(one, kind.payload, end)}, old, new)
        said = f"byte for byte the same from {binary(kind.payload)} on" if was == now else "its bytes have changed"
        return was == now, said, "contents"
    if tools.digests is None:
        return True, "checked by its own checker; files were not compared one by one", "contents"
    try:
        was, now = _both(tools.digests, old, new)
    except FormatError as error:
        return False, f"could not be compared: {error.what}", "files"
    own = written | {path.replace("/", "\\").lower() for path in written}  # on FAT, capitals and small letters mean the same
    by_key = tools.keys_of(old, written) if tools.keys_of and written else frozenset()
    was = {key: value for key, value in was.items() if key not in by_key and not _covered(_name(key), own)}
    return (*_compared(was, now, tools), "contents" if tools.compared else "files")


def _untouched(before: Volume, after: Volume) -> bool:
    """Whether no step had a reason to write inside: one that shrank and grew back has other bytes, and the same files."""
    kind = KINDS.get(before.filesystem.kind) if before.filesystem else None
    only_outside = before.size < after.size and kind is not None and bool(kind.grows_itself)
    return (
        before.boot_files == after.boot_files
        and _inside(before) == _inside(after)
        and (before.size == after.size or only_outside)
    )


def _whole(before: Volume, after: Volume, old: Slice, new: Slice) -> tuple[bool, str, str]:
    """Byte for byte; where the volume moved, all but the field that says how many sectors lie before it."""
    was_hidden = before.filesystem.hidden_sectors if before.filesystem else None
    now_hidden = after.filesystem.hidden_sectors if after.filesystem else None
    left_out = hidden_places(before, old) if was_hidden != now_hidden else ()
    was, now = _both(lambda one: {0: digest(Masked(one, left_out), 0, before.size)}, old, new)
    said = "byte for byte the same" + (" but for the sectors before it, which moved along" if left_out else "")
    return was == now, said if was == now else "its bytes have changed", "contents"


def hidden_places(volume: Volume, source: Slice) -> tuple[int, ...]:
    """Return where the field of four bytes stands, from the volume's start: in the boot sector and in its copies."""
    kind = KINDS.get(volume.filesystem.kind) if volume.filesystem else None
    if kind is None or not kind.hidden_at:
        return ()
    tools = TOOLS[kind.key]
    copies = tools.boot_copies(source) if tools.boot_copies else ()
    return tuple(base + at for base in (0, *copies) for at in kind.hidden_at)


@dataclass(frozen=True)
class Masked:
    """A volume's bytes with fields of four bytes read as zeros."""

    base: Slice
    fields: tuple[int, ...]

    @property
    def size(self) -> int:
        """Length in bytes."""
        return self.base.size

    def read(self, offset: int, length: int) -> bytes:
        """Return bytes, the fields blanked."""
        data = self.base.read(offset, length)
        for at in self.fields:
            low, high = max(offset, at), min(offset + len(data), at + 4)
            if low < high:
                data = data[: low - offset] + bytes(high - low) + data[high - offset :]
        return data

    def data_ranges(self, start: int, end: int) -> Iterator[tuple[int, int]]:
        """Yield what is not a hole."""
        return self.base.data_ranges(start, end)


def _compared(was: Digests, now: Digests, tools: Tools) -> tuple[bool, str]:
    lost = [key for key, value in was.items() if now.get(key) != value]
    if tools.compared:
        return not lost, "its bytes have changed" if lost else tools.compared
    if lost:
        return False, f"{len(lost)} of {len(was)} {tools.things} differ: {', '.join(sorted(map(str, lost))[:5])}"
    return True, f"{len(was)} {tools.things} the same{tools.left_out}"


def _covered(name: object, paths: frozenset[str]) -> bool:
    """Whether a file is one of ``paths``, or lies in a folder that is one of them."""
    return name in paths or (isinstance(name, str) and any(name.startswith((f"{one}\\", f"{one}/")) for one in paths))


def _name(key: object) -> object:
    return key.lower() if isinstance(key, str) and key.startswith("\\") else key


def _both(reader: Callable[[Slice], Digests], old: Slice, new: Slice) -> tuple[Digests, Digests]:
    """Hashing leaves the interpreter free: two at a time take half as long."""
    with ThreadPoolExecutor(2) as pool:
        was, now = pool.map(reader, (old, new))
    return was, now


def _inside(volume: Volume) -> tuple[object, ...]:
    """What a step may change inside a volume that it keeps: its label, its identity, what a group holds, that its system sleeps, files that are disks."""
    system = volume.filesystem
    return (system.label, system.uuid, system.inside, bool(system.hibernated), volume.disk_files) if system else ()
