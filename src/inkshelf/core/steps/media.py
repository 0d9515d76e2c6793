"""Steps that make a stick: an image written as it is, its files copied, images put beside each other as files, a menu over them."""

from typing import ClassVar

from inkshelf.core.disk.contents import BootFile, FileSystem
from inkshelf.core.disk.filesystems import title
from inkshelf.core.disk.menus import menu_file
from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import Disk, HeldImage, Machine
from inkshelf.core.media.material import FAT32_MOST, Image, copied_files, taken_by
from inkshelf.core.size import MIB, align_up, binary
from inkshelf.core.steps.base import Actor, StepBase, Writes, volume_of
from inkshelf.core.steps.making import fuller, with_files
from inkshelf.core.texts import Call, CallOrNone, Count, FilePath, Identity, Letter, Line
from inkshelf.core.value import replace
from inkshelf.data import exact


class GetImage(StepBase, frozen=True, tag="get-image"):
    """A person gets an image from its maker's own site and compares its sum. ``unpacked``: bytes of the copy that the host needs beside it (0: none)."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "none"

    image: Image
    unpacked: Count = 0

    def apply(self, machine: Machine) -> Machine:
        """Getting it changes nothing on the machine; what is broken is refused."""
        refuse_broken(self.image)
        return machine


class TellApart(StepBase, frozen=True, tag="tell-apart"):
    """A person makes sure which stick it is, by size, model and serial: listed, chosen, listed again."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "none"

    disk: Letter

    def apply(self, machine: Machine) -> Machine:
        """Looking changes nothing; the stick must be there, and hold what it says."""
        the_stick(machine, self.disk)
        return machine


class WriteImage(StepBase, frozen=True, tag="write-image"):
    """An image is written to a stick as it is, byte by byte; what was on the stick is given up. ``calls``: of the volumes that it brings."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"
    puts_image: ClassVar[bool] = True

    disk: Letter
    image: Image
    calls: tuple[Call, ...]

    def inside(self) -> tuple[str, ...]:
        """What the image brings."""
        return self.calls

    def gives_calls(self) -> tuple[str, ...]:
        """The image's volumes are new ones."""
        return self.calls

    def gives_up(self, before: Machine) -> tuple[str, ...]:
        """Whatever was on the stick."""
        return tuple(one.call for one in before.disk(self.disk).volumes)

    def spans(self) -> tuple[tuple[str, int, int], ...]:
        """The image's bytes, wherever its volumes are; and the end of the stick, where a table that was there before has its copy."""
        return ((self.disk, 0, align_up(self.image.size, 512)), (self.disk, -MIB, 0))

    def apply(self, machine: Machine) -> Machine:
        """Return the stick as the image has it."""
        disk, image = the_stick(machine, self.disk), self.image
        held = image.as_disk
        if held is None or len(held.volumes) != len(self.calls):
            raise StepError(f"{image.name} is no image that is written to a stick as it is.", "Copy its files instead.")
        refuse_broken(image)
        if image.size + MIB > disk.size:
            lacks = image.size + MIB - disk.size
            raise StepError(f"{image.name} is {binary(lacks)} too large for stick {self.disk}.", "Take a larger stick.")
        volumes = tuple(replace(one, call=call, planned=True) for one, call in zip(held.volumes, self.calls, strict=True))
        return machine.with_disk(replace(disk, sector=held.sector, table=held.table, volumes=volumes))


class CopyFiles(StepBase, frozen=True, tag="copy-files"):
    """The files of an image are copied into a volume. ``tops``: only these folders of its root (empty name: the files in it); none: all.

    ``part``: bytes of the parts that its large payload is split into, which its own installer joins (0: nothing is split). ``keeps``:
    its menus say that changes are kept.
    """

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"
    puts_image: ClassVar[bool] = True

    call: Call
    image: Image
    tops: tuple[Line, ...] | None = None
    part: Count = 0
    keeps: bool = False

    def apply(self, machine: Machine) -> Machine:
        """Return the volume with the files in it; they must fit, each and together."""
        _, volume = volume_of(machine, self.call)
        system = filled(volume.filesystem, self.call)
        refuse_broken(self.image)
        if not self.image.tops:
            raise StepError(f"The files of {self.image.name} are not known.", "Name the file itself once it is here.")
        held = [one for one in self.image.tops if self.tops is None or one.name in self.tops]
        over = max((one.largest for one in held), default=0) > FAT32_MOST
        if system.kind == "fat32" and over and not self.part:
            raise StepError(
                f"{self.image.name} has a file of more than {binary(FAT32_MOST, 2)}, which FAT32 does not hold.",
                "Split it, or choose another file system.",
            )
        starts = read_there(system, copied_files(self.image, self.tops, keeps=self.keeps))
        whole = taken_by(held, system.cluster_bytes or 4096)
        after = full_by(system, whole, self.call, self.image.name)
        apart = replace(after, used_bytes=(after.used_bytes or 0) - sum(one.size_bytes for one in starts))
        made = machine.with_volume(self.call, lambda one: replace(one, filesystem=apart if starts else after))
        return with_files(made, self.call, starts) if starts else made


class PutImage(StepBase, frozen=True, tag="put-image"):
    """An image is put into a volume as an ordinary file, beside those that are there."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"
    puts_image: ClassVar[bool] = True
    undone: ClassVar[bool] = True

    call: Call
    image: Image
    path: FilePath

    def apply(self, machine: Machine) -> Machine:
        """Return the volume a little fuller; a file system that does not hold a file of that size refuses it."""
        _, volume = volume_of(machine, self.call)
        system = filled(volume.filesystem, self.call)
        refuse_broken(self.image)
        if system.kind == "fat32" and self.image.size > FAT32_MOST:
            raise StepError(f"{self.image.name} is larger than FAT32 holds.", "Choose exFAT for the volume.")
        need = align_up(self.image.size, system.cluster_bytes or 4096)
        if any(one.path.lower() == self.path.lower() for one in volume.images):
            raise StepError(f"{self.path} is on {self.call} already.", "Take it off first, or leave it out.")
        after = full_by(system, need, self.call, self.image.name)
        held = (*volume.images, HeldImage(self.path, self.image.size))
        return machine.with_volume(self.call, lambda one: replace(one, filesystem=after, images=held))


class TakeOff(StepBase, frozen=True, tag="take-off"):
    """An image that lies in a volume as an ordinary file is taken off again."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"

    call: Call
    path: FilePath

    def changes_files(self) -> tuple[tuple[str, str], ...]:
        """The file goes."""
        return ((self.call, self.path),)

    def apply(self, machine: Machine) -> Machine:
        """Return the volume with the room free; the image must be there."""
        _, volume = volume_of(machine, self.call)
        system = filled(volume.filesystem, self.call)
        gone = next((one for one in volume.images if one.path.lower() == self.path.lower()), None)
        if gone is None:
            raise StepError(f"{self.path} is not on {self.call}.", "Choose one of those that are there.")
        after = fuller(system, -align_up(gone.size, system.cluster_bytes or 4096))
        held = tuple(one for one in volume.images if one is not gone)
        return machine.with_volume(self.call, lambda one: replace(one, filesystem=after, images=held))


class MakeMenu(StepBase, frozen=True, tag="make-menu"):
    """The start-up files of a stick: loaders, and a menu made from what is there. ``lines``: of the menu's configuration at ``path`` (empty: none)."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"

    call: Call
    title: Line
    files: tuple[BootFile, ...]
    path: Line
    lines: tuple[Line, ...]

    @property
    def contents(self) -> bytes:
        """The configuration's bytes."""
        return "".join(f"{line}\n" for line in self.lines).encode()

    def leaves(self) -> tuple[tuple[str, str, bytes], ...]:
        """The configuration reads back as it was written."""
        return ((self.call, self.path.replace("\\", "/"), self.contents),) if self.path else ()

    def changes_files(self) -> tuple[tuple[str, str], ...]:
        """Those of an earlier menu are written over."""
        return tuple((self.call, one) for one in (*(one.path for one in self.files), *((self.path,) if self.path else ())))

    def apply(self, machine: Machine) -> Machine:
        """Return the start-up volume with loaders and menu."""
        _, volume = volume_of(machine, self.call)
        system = filled(volume.filesystem, self.call)
        if not firmware_reads(system):
            raise StepError(f"{self.call} is no FAT32, which firmware reads.", "Format it as FAT32 first.")
        config = (menu_file(self.path, "menu-config", self.contents, len(self.contents)),) if self.path else ()
        return with_files(machine, self.call, (*self.files, *config))


class KeepFile(StepBase, frozen=True, tag="keep-file"):
    """A file that holds an ext4 is made on a live stick, in which its family keeps changes. ``size``: bytes of the file; ``line``: of a file in it."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "inside"

    call: Call
    path: FilePath
    size: Count
    label: Line
    uuid: Identity
    inside_path: Line = ""
    line: Line = ""

    def apply(self, machine: Machine) -> Machine:
        """Return the volume with the file in it; FAT32 holds none of 4 GiB."""
        _, volume = volume_of(machine, self.call)
        system = filled(volume.filesystem, self.call)
        if system.kind == "fat32" and self.size > FAT32_MOST:
            raise StepError(f"A file of {binary(self.size)} is more than FAT32 holds.", "Keep less, or take a partition.")
        after = full_by(system, align_up(self.size, system.cluster_bytes or 4096), self.call, "The file that keeps changes")
        return machine.with_volume(self.call, lambda one: replace(one, filesystem=after))


class TryStart(StepBase, frozen=True, tag="try-start"):
    """A person starts a stick once, from one of its volumes, and looks at the first screen."""

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "none"

    disk: Letter
    call: CallOrNone = ""
    title: Line = ""

    def apply(self, machine: Machine) -> Machine:
        """Looking changes nothing."""
        the_stick(machine, self.disk)
        return machine


class Eject(StepBase, frozen=True, tag="eject"):
    """The stick is read back, ejected, and plugged in where it is started: firmware shows it under a name of its own.

    ``option``: what is added to the kernel's line at every start (empty: nothing).
    """

    actor: ClassVar[Actor] = "person"
    writes: ClassVar[Writes] = "none"

    disk: Letter
    call: CallOrNone = ""
    option: Line = ""

    def apply(self, machine: Machine) -> Machine:
        """Looking changes nothing."""
        the_stick(machine, self.disk)
        return machine


def the_stick(machine: Machine, letter: str) -> Disk:
    """Return a stick; raises ``StepError`` where there is none of that letter, where it is a fixed disk, or lies about its size."""
    disk = next((one for one in machine.disks if one.id == letter), None)
    if disk is None:
        raise StepError(
            f"There is no stick {letter}.", "Plug one in: under Media, or with inkshelf sticks JOB.json --take NAME."
        )
    if not disk.removable:
        raise StepError(f"Disk {letter} is no stick: it is fixed in its machine.", "Choose a stick.")
    if disk.stick and 0 < disk.stick.real_size < disk.size:
        raise StepError(
            f"Stick {letter} says that it has {binary(disk.size)}, and holds {binary(disk.stick.real_size)}.",
            "Throw it away: what is written beyond that is lost.",
        )
    return disk


def refuse_broken(image: Image) -> None:
    """Refuse an image that is not whole, or whose sum differs."""
    if image.missing or image.fault or image.checked == "differs":
        why = "was cut short" if image.missing else "cannot be read" if image.fault else "has another sum than is published"
        raise StepError(f"{image.name} {why}.", "Get it again, and compare its sum.")


def filled(system: FileSystem | None, call: str) -> FileSystem:
    """Return a volume's file system; raises ``StepError`` where nothing can be put in."""
    if system is None:
        raise StepError(f"{call} has no file system yet.", "Format it first.")
    if system.dirty or system.hibernated:
        raise StepError(f"{call} is marked for a check or half asleep.", "Let its own system put that right first.")
    return system


def firmware_reads(system: FileSystem) -> bool:
    """Whether firmware, and so the reader of start-up files, looks into it."""
    return system.kind.startswith("fat")


def read_there(system: FileSystem, files: tuple[BootFile, ...]) -> tuple[BootFile, ...]:
    """Return the start-up files that are read in a file system of that kind: all on FAT, on ext the menus where a system has them."""
    if firmware_reads(system):
        return files
    if not system.kind.startswith("ext"):
        return ()
    menus = {exact("linux", key) for key in ("menu_config", "menu_config_apart")}
    folders = tuple(f"{one}/" for one in exact("linux", "entry_folders").split())
    named = (replace(one, path=one.path.replace("\\", "/")) for one in files if one.kind in {"menu-config", "entry"})
    return tuple(one for one in named if one.path in menus or one.path.startswith(folders))


def full_by(system: FileSystem, need: int, call: str, name: str) -> FileSystem:
    """Return the file system with so many bytes more in use; raises ``StepError`` with the bytes that lack."""
    free = system.size_bytes - (system.used_bytes or 0)
    if need > free:
        raise StepError(
            f"{name} does not fit into {call} ({title(system.kind)}): {binary(need - free)} lack.",
            "Take a larger stick, or leave an image out.",
        )
    made = fuller(system, need)
    if made is None:
        raise StepError(f"{call} has no file system.", "Format it first.")
    return made
