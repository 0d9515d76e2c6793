"""What the bench must do with one kind of file system: everything in one value, one module a kind. It works on plain files, without root."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from inkshelf.bench.filling.plan import Filled
from inkshelf.bench.filling.reading import Held
from inkshelf.bench.image import ImageFile
from inkshelf.core.disk.source import ByteSource, Slice
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.media.copying import File
from inkshelf.core.steps.kinds import Format

Digests = dict[object, str]
UNREADABLE = "its own records cannot be read"


@dataclass(frozen=True)
class Tools:
    """What can be done with one kind; ``None``: it cannot, and who asks is refused in words.

    ``check``: its own checker with its options. ``digests``: the hash of everything that people put there, ``compared``: how that is
    said. ``put`` writes files by their paths (``/`` between the parts), in the place of those that are there, and makes folders; ``read``
    returns one, ``None`` where it is not there. ``packages``: the utilities that each work needs, with the package that holds them. ``boot_copies``: where copies of the boot
    sector stand, from the volume's start. ``reckon``: where many or large files go, without a copy of the volume; ``take_off``: one goes again; ``put_files``: they are
    put into a copy of it, ``remove_file``: one is taken off such a copy; ``files``: all that are there, to be read back.
    ``keys_of``: what digests know files by, where that is not their path.
    """

    keys: tuple[str, ...]
    make: Callable[[Path, Disk, Volume, Format], None] | None = None
    resize: Callable[[Path, Volume, int], None] | None = None
    label: Callable[[Path, str], None] | None = None
    renew: Callable[[Path, str], None] | None = None
    check: tuple[str, ...] = ()
    digests: Callable[[Slice], Digests] | None = None
    compared: str = ""
    things: str = "files"
    left_out: str = ""
    put: Callable[[Path, Mapping[str, bytes]], None] | None = None
    read: Callable[[Slice, str], bytes | None] | None = None
    boot_copies: Callable[[Slice], tuple[int, ...]] | None = None
    reckon: Callable[[ByteSource, Iterable[File]], Filled] | None = None
    take_off: Callable[[ByteSource, str], Filled] | None = None
    put_files: Callable[[Path, Iterable[File], ImageFile], None] | None = None
    remove_file: Callable[[Path, str], None] | None = None
    keys_of: Callable[[Slice, frozenset[str]], frozenset[object]] | None = None
    files: Callable[[Slice], Iterator[Held]] | None = None
    makes_with: Mapping[str, str] = field(default_factory=dict)
    changes_with: Mapping[str, str] = field(default_factory=dict)
