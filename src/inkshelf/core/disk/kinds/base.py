"""What the core must know of one kind of file system or container: everything in one value, one module a kind."""

from __future__ import annotations

import shlex
from collections.abc import Callable
from typing import TYPE_CHECKING

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.errors import StepError
from inkshelf.core.value import Value

if TYPE_CHECKING:
    from inkshelf.core.disk.probe import Contents
    from inkshelf.core.disk.source import ByteSource


class Make(Value, frozen=True):
    """What a formatting command is told. ``node``: a shell expression for the volume; sizes and places in bytes."""

    node: str
    label: str
    uuid: str
    start: int
    size: int
    sector: int
    subvolumes: tuple[str, ...] = ()

    def option(self, flag: str) -> str:
        """Return the label behind its option, or nothing where there is no label."""
        return f" {flag} {shlex.quote(self.label)}" if self.label else ""


def cluster_of(system: FileSystem) -> int:
    """Return the bytes of a cluster; raises ``StepError`` where they are not known, as no size can be reckoned then."""
    if not system.cluster_bytes:
        raise StepError(
            f"The clusters of this {system.kind} are not known.", "Take an image of the disk in, or a listing of lsblk."
        )
    return system.cluster_bytes


Probe = Callable[["ByteSource", tuple[str, ...]], "Contents | None"]
Fresh = Callable[[int, str, str, int], FileSystem]
Resized = Callable[[FileSystem, int], FileSystem]
Lines = Callable[[str, int], tuple[str, ...]]


class Kind(Value, frozen=True):
    """One kind. What is ``None`` cannot be done with it, and whoever asks is refused in words.

    ``rank``: probes run in this order. ``listed``: what base utilities call it in their listings. ``label_units`` (0: it bears no
    label), ``label_bytes``: counted in UTF-8. ``smallest``: bytes. ``identity``: drawn from a seed and a purpose. ``resized``: the file
    system at another size; ``grows_itself``: the command that grows the inside where it is mounted or unlocked. The ``*_lines`` are what
    a person types as root on a live system, given a shell expression for the volume and its new size in bytes; ``own_shrink``: its own
    system has a box for it. ``payload``: where what a container holds begins. ``encrypted``: nobody reads it without its key. ``takes_files``: single files
    can be written into it from outside.
    """

    key: str
    title: str
    rank: int = 100
    listed: tuple[str, ...] = ()
    probe: Probe | None = None
    label_units: int = 0
    label_bytes: bool = False
    upper_label: bool = False
    smallest: int = 0
    fresh: Fresh | None = None
    resized: Resized | None = None
    grows_itself: str = ""
    identity: Callable[[str, str], str] | None = None
    make_lines: Callable[[Make], tuple[str, ...]] | None = None
    make_tools: tuple[str, ...] = ()
    shrink_lines: Lines | None = None
    grow_lines: Lines | None = None
    label_lines: Callable[[str, str], tuple[str, ...]] | None = None
    check_lines: Callable[[str], tuple[str, ...]] | None = None
    renew_lines: Callable[[str, str], tuple[str, ...]] | None = None
    own_shrink: bool = False
    gives_room: bool = False
    hidden_at: tuple[int, ...] = ()
    payload: int = 0
    container: bool = False
    encrypted: bool = False
    renewable: bool = False
    takes_files: bool = False
