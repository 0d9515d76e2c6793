"""Steps that fill a volume: a fresh file system, an installed system with its start-up files."""

from typing import Annotated, ClassVar, Literal

from msgspec import Meta

from inkshelf.core.disk.contents import Family, waits_for
from inkshelf.core.disk.filesystems import fresh, named_label, title
from inkshelf.core.disk.kinds import kind_of
from inkshelf.core.disk.start_code import IN_GAP, Whose
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import BootFile, Disk, FileSystem, Machine, SystemRoot, Volume
from inkshelf.core.size import align_up
from inkshelf.core.steps.base import Actor, StepBase, Writes, volume_of
from inkshelf.core.texts import Call, CallOrNone, Count, FilePath, Identity, Key, KeyOrNone, LetterOrNone, Line
from inkshelf.core.value import replace
from inkshelf.data import exact

LARGEST_FILE = 64 << 10
Divides = Literal["hand", "gap", "divider"]
NT_TITLE = "NT family"  # what a reader can tell of a system of that family


SUBVOLUMES = ("@", "@home")
"""What a system on a Btrfs of its own is mounted from: root, and home."""


class Format(StepBase, frozen=True, tag="format"):
    """Make a file system in a volume; what was in it is given up.

    ``subvolumes`` of a Btrfs are made once it is mounted: the sheet and the script say how, the bench does not make them.
    ``by``: the profile of the system whose installer does it by itself (empty: a person).
    """

    actor: ClassVar[Actor] = "bench"
    writes: ClassVar[Writes] = "inside"

    call: Call
    filesystem: Key
    label: Line
    uuid: Identity
    subvolumes: tuple[Line, ...] = ()
    by: KeyOrNone = ""

    def gives_up(self, before: Machine) -> tuple[str, ...]:
        """What was in the volume is gone."""
        return (self.call,)

    def apply(self, machine: Machine) -> Machine:
        """Return the volume with a fresh file system and nothing else in it."""
        disk, volume = volume_of(machine, self.call)
        if self.subvolumes and self.filesystem != "btrfs":
            raise StepError("Only a Btrfs has subvolumes.", "Leave them out, or choose btrfs.")
        fault = named_label(self.filesystem, self.label)
        if fault:
            raise StepError(f"“{self.label}”: {fault}.", f"Choose a label that {title(self.filesystem)} takes.")
        made = fresh(self.filesystem, volume.start, volume.size, self.label, self.uuid, disk.sector)
        return machine.with_volume(
            self.call, lambda one: replace(one, filesystem=made, boot_files=(), holds=None, disk_files=(), images=())
        )


class Install(StepBase, frozen=True, tag="install"):
    """An operating system is installed: its files on ``call``, its start-up files on ``esp`` (empty: none, the legacy way).

    ``code_on``: the disk whose first sector gets the loader's code, the legacy way.
    ``loaders_bytes``: what the system writes to its start-up volume over time; ``profile``: the key of what is installed.
    ``boot``: the volume of its own that holds the kernels (empty: they lie in root); ``unlocks``: containers that are opened at every
    start, as (name of the mapping, UUID) pairs. ``typed``: a person does it, command by command, and no installer. ``divides``: how its
    volumes come about: made by hand before it, or by itself in a gap, or in room that its own divider takes.
    """

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"

    call: Call
    esp: CallOrNone
    title: Line
    family: Family
    installed_bytes: Count
    files: tuple[BootFile, ...]
    mounts: tuple[tuple[Line, Line], ...]
    kernel_signed: bool = True
    loaders_bytes: Count = 0
    profile: KeyOrNone = ""
    code_on: LetterOrNone = ""
    boot: CallOrNone = ""
    unlocks: tuple[tuple[Key, Identity], ...] = ()
    typed: bool = False
    divides: Divides = "hand"

    def inside(self) -> tuple[str, ...]:
        """Root, and what it starts from."""
        return (self.call, *(one for one in (self.boot, self.esp) if one))

    def changes_files(self) -> tuple[tuple[str, str], ...]:
        """Loaders of the same names are written over."""
        return tuple((self.esp, file.path) for file in self.files)

    def stands_in(self) -> tuple[str, ...]:
        """The bench puts only what starting reads."""
        return (self.call, self.boot) if self.boot else (self.call,)

    def start_code(self) -> str:
        """The legacy way, the loader begins in the first sector."""
        return self.code_on

    def by_entries(self) -> bool:
        """Whether its kernels lie beside the entry files of its menu, and not in root."""
        return any(file.kind == "entry" for file in self.files)

    def apply(self, machine: Machine) -> Machine:
        """Put the system on its volume and the start-up files beside what the EFI system partition has."""
        for call in self.inside():
            if volume_of(machine, call)[1].filesystem is None:
                raise StepError(f"{call} has no file system yet.", "Format it before installing.")
        root = volume_of(machine, self.call)[1].filesystem
        apart = bool(self.boot) or self.by_entries()
        seen = not apart or (
            root is not None and kind_of(root.kind).encrypted
        )  # a kernel elsewhere is read with its own volume
        signed = self.kernel_signed if seen else None
        waits = tuple(where for _, where in self.mounts if waits_for(where))
        holds = SystemRoot(self.family, self.title, signed, self.mounts, kernels=0 if apart else 1, waits=waits)
        if self.family == "nt":
            holds = SystemRoot("nt", NT_TITLE, kernel_signed=True)
        machine = machine.with_volume(
            self.call, lambda one: fuller_root(replace(one, holds=holds), self.installed_bytes, self.mounts)
        )
        if self.code_on:
            disk = machine.disk(self.code_on)
            machine = machine.with_disk(coded(disk, self.family))
        return with_files(machine, self.esp, self.files) if self.esp else machine


class Regenerate(StepBase, frozen=True, tag="regenerate"):
    """The installed system on ``call`` makes its menu anew: ``files`` on ``esp`` now lead to the other systems too.

    ``esp`` is empty the legacy way, where the menu lies on the system's own volume. ``live``: a live system calls its tools. ``seconds``:
    how long it waits from then on, ``-1`` without a limit (``None``: as it did).
    """

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"

    call: Call
    esp: CallOrNone
    files: tuple[BootFile, ...]
    live: bool = False
    seconds: Annotated[int, Meta(ge=-1, le=86400)] | None = None

    def inside(self) -> tuple[str, ...]:
        """Only the volume that the menu lies on is written."""
        return (self.esp or self.call,)

    def changes_files(self) -> tuple[tuple[str, str], ...]:
        """The menu is written over."""
        return tuple((self.esp, file.path) for file in self.files)

    def apply(self, machine: Machine) -> Machine:
        """Return the machine with the new menu; the system that makes it must be there."""
        _, root = volume_of(machine, self.call)
        if root.holds is None:
            raise StepError(f"No system is on {self.call} that could make its menu anew.", "Install it first.")
        return with_files(machine, self.esp, self.files) if self.esp else machine


class WriteFile(StepBase, frozen=True, tag="write-file"):
    """A small file of text is written into a volume, in the place of one of that name. ``lines``: without their ends; UTF-8."""

    actor: ClassVar[Actor] = "bench"
    writes: ClassVar[Writes] = "inside"

    call: Call
    path: FilePath
    lines: tuple[Line, ...]

    @property
    def contents(self) -> bytes:
        """The file's bytes: every line ends with a line feed."""
        return "".join(f"{line}\n" for line in self.lines).encode()

    def leaves(self) -> tuple[tuple[str, str, bytes], ...]:
        """The file is there afterwards."""
        return ((self.call, self.path, self.contents),)

    def apply(self, machine: Machine) -> Machine:
        """Return the volume a little fuller; what starting is read from is left to what installs it."""
        _, volume = volume_of(machine, self.call)
        system = volume.filesystem
        if system is None or not kind_of(system.kind).takes_files:
            raise StepError(
                f"No file can be written into {self.call} from outside.", "Write it in the system that owns the volume."
            )
        if system.dirty or system.hibernated:
            raise StepError(
                f"{self.call} is marked for a check or half asleep.", "Start its own system and put that right first."
            )
        if not self.lines or len(self.contents) > LARGEST_FILE:
            raise StepError("The file is empty or longer than 64 KiB.", "Bring it over by hand.")
        if _of_starting(self.path):
            raise StepError(f"{self.path} is a file that starting depends on.", "It is written by what installs the system.")
        need = align_up(len(self.contents), system.cluster_bytes or 4096)
        if system.used_bytes is not None and system.size_bytes - system.used_bytes < need:
            raise StepError(f"{self.call} is full.", "Make room in it first.")
        return machine.with_volume(self.call, lambda one: replace(one, filesystem=fuller(one.filesystem, need)))


def _of_starting(path: str) -> bool:
    """Whether what is known of a machine's start is read from there."""
    own = (exact("linux", "release_file"), exact("linux", "mount_table"))
    folders = (exact("paths", "fallback_x64").replace("\\", "/").split("/")[1], exact("linux", "boot_folder").strip("/"))
    return path in own or path.split("/")[1].lower() in {one.lower() for one in folders}


def coded(disk: Disk, family: str) -> Disk:
    """Return a disk with a family's code in its first sector; the Linux family's knows where its core lies."""
    whose: Whose = "nt" if family == "nt" else "linux" if family == "linux" else ""
    core = core_place(disk) if whose == "linux" else None
    return replace(disk, table=replace(disk.table, boot_code=True, code_of=whose, core_lba=core))


def core_place(disk: Disk) -> int:
    """Return the LBA where a loader's core goes: in the gap behind an MBR, or in the first BIOS boot partition of a GPT (0: it has none)."""
    if disk.table.kind != "gpt":
        return IN_GAP
    places = (one.start // disk.sector for one in disk.volumes if one.type_id == gpt_type("bios_boot"))
    return min(places, default=0)


def with_files(machine: Machine, call: str, files: tuple[BootFile, ...]) -> Machine:
    """Return the machine with start-up files on a volume, in the place of those of the same paths."""
    _, startup = volume_of(machine, call)
    new = {file.path.lower() for file in files}
    kept = tuple(file for file in startup.boot_files if file.path.lower() not in new)
    replaced = sum(file.size_bytes for file in startup.boot_files if file.path.lower() in new)
    made = tuple(sorted((*kept, *files), key=lambda one: one.path.lower()))
    more = sum(file.size_bytes for file in files) - replaced
    return machine.with_volume(call, lambda one: replace(one, boot_files=made, filesystem=fuller(one.filesystem, more)))


def fuller_root(volume: Volume, more: int, mounts: tuple[tuple[str, str], ...]) -> Volume:
    """Return a system's volume with ``more`` bytes in its root. Of a container its volumes are in use, however full they are: the one with the root is fuller."""
    system = volume.filesystem
    if system is None or not kind_of(system.kind).container:
        return replace(volume, filesystem=fuller(system, more))
    root = next((what.removeprefix("UUID=") for what, where in mounts if where == "/"), "")
    inside = tuple(
        replace(one, used_bytes=min(one.size_bytes, one.used_bytes + more))
        if one.uuid == root and one.used_bytes is not None
        else one
        for one in system.inside
    )
    return replace(volume, filesystem=replace(system, inside=inside))


def fuller(system: FileSystem | None, more: int) -> FileSystem | None:
    """Return the file system with ``more`` bytes in use, never more than it has."""
    if system is None or system.used_bytes is None:
        return system
    return replace(system, used_bytes=max(0, min(system.size_bytes, system.used_bytes + more)))
