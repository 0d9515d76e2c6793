"""The aim "table": a disk's table becomes one of the other kind, in place, and the machine starts from it in the same session."""

from typing import ClassVar, Literal

from inkshelf.core.aims.base import AimBase, Answer, Need, Picture, Question
from inkshelf.core.aims.installing import Startup as Place
from inkshelf.core.aims.installing import entered
from inkshelf.core.aims.owning import the_disk
from inkshelf.core.aims.safety import assured, of_nt, proved, resumed, suspended, woken
from inkshelf.core.aims.shares import esp_bytes
from inkshelf.core.aims.systems import built_in, disk_question
from inkshelf.core.aims.volumes import make
from inkshelf.core.boot.own_files import folder_word, linux_files, nt_files
from inkshelf.core.disk.contents import BootFile
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.draw import guid
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import Fit, fit
from inkshelf.core.machine.entries import entry_on, means
from inkshelf.core.machine.profiles import Profile, profile, reason
from inkshelf.core.machine.roles import is_esp, root_uuid
from inkshelf.core.machine.state import Disk, Machine, Volume
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import (
    AddEntry,
    Confirm,
    ConvertTable,
    Prove,
    PutLoader,
    RemoveEntry,
    SetMode,
    SetOrder,
    Shrink,
    Step,
)
from inkshelf.core.steps.tables import PRIMARIES
from inkshelf.core.texts import Letter
from inkshelf.core.value import replace

TO_ANSWERS = (
    Answer(
        "GPT", "gpt", "For UEFI; the firmware is switched in the same session. At most three primaries, no logical volumes."
    ),
    Answer("MBR", "mbr", "For disks of data only: at most four volumes, none beyond 2 TiB."),
)
MOST_PRIMARIES = PRIMARIES - 1
TYPES = {
    "0x07": "basic_data",
    "0x0b": "basic_data",
    "0x0c": "basic_data",
    "0x27": "nt_recovery",
    "0x82": "linux_swap",
    "0x83": "linux_data",
}


class ChangeTable(AimBase, frozen=True, tag="table"):
    """The table of ``disk`` becomes ``to``: every volume stays where it is."""

    medium: ClassVar[Literal["", "installer", "live"]] = "live"
    title: ClassVar[str] = "Change a disk's table, and keep what is on it"
    about: ClassVar[str] = "MBR to GPT with the firmware switched in the same session, or back for a disk of data only."
    short: ClassVar[str] = "another table"
    picture: ClassVar[Picture] = (
        ((0, 0.3, "ink"), (0.32, 0.62, "ink"), (0.64, 0.86, "ink")),
        ((0, 0.05, "pencil"), (0.07, 0.3, "ink"), (0.32, 0.62, "ink"), (0.64, 0.86, "ink"), (0.93, 1, "pencil")),
    )

    disk: Letter = "A"
    to: Literal["gpt", "mbr"] = "gpt"

    def sentence(self, found: Machine) -> str:
        """Name the disk and both tables."""
        kind = next((one.table.kind.upper() for one in found.disks if one.id == self.disk), "table")
        return f"The {kind} of disk {self.disk} becomes a {self.to.upper()}, every volume where it stands"

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return the questions; the first disk with an MBR is the usual one."""
        there = built_in(found)
        usual = next((one.id for one in there if one.table.kind == "mbr"), there[0].id if there else "A")
        return (
            disk_question(found, usual, "it has an MBR"),
            Question("to", "The new table", TO_ANSWERS, "gpt", "UEFI starts from it"),
        )

    def _starts(self, found: Machine) -> list[Volume]:
        disk = next((one for one in found.disks if one.id == self.disk), None)
        return [one for one in disk.volumes if one.holds] if disk else []

    def _starts_by_uefi(self, found: Machine) -> bool:
        """Whether what is on the disk has an EFI system partition to start from already."""
        disk = next((one for one in found.disks if one.id == self.disk), None)
        return found.firmware.mode == "uefi" and disk is not None and any(is_esp(one) for one in disk.volumes)

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """Return the EFI system partition, where a system is to start from the disk."""
        if self.to == "mbr" or not self._starts(found) or self._starts_by_uefi(found):
            return ()
        sector = next(one.sector for one in found.disks if one.id == self.disk)
        size = esp_bytes(sector)
        return (Need("esp", "startup", "efi_system", "fat32", "BOOT", "efi_system", size, size, reason=reason("efi_system")),)

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` that names the condition which is not met."""
        disk = the_disk(found, self.disk)
        self._refuse(disk)
        needs = self.needs(found)
        convert = self._converted(disk, seed)
        before: list[Step] = [*assured(found, "live"), *suspended(found)]
        place: Fit | None = None
        if needs:
            place = fit(_as_gpt(disk), needs[0].floor)
            before += woken(found, [place.giver] if place.giver else [])
            if place.giver is not None:
                before.append(Shrink(place.giver.call, place.giver_bytes))
                before += [Prove(place.giver.call, "after shrinking")] if place.giver.holds else []
        steps: list[Step] = [*before, convert]
        if place is not None:
            now = fold(found, tuple(steps))
            if now.fault:
                raise PlanError(now.fault[1].what, now.fault[1].remedy)
            steps += self._started(now.planned, place, needs[0], seed, (*taken, *(one.call for _, one in found.volumes())))
        steps += _entries_anew(found, fold(found, tuple(steps)).planned, disk)
        return identified((*steps, *proved(found), *resumed(found), Confirm("tidy")), self.id)

    def _refuse(self, disk: Disk) -> None:
        if disk.table.kind not in {"gpt", "mbr"} or disk.table.kind == self.to:
            raise PlanError(
                f"The table of disk {disk.id} is {disk.table.kind.upper()}.", "Choose another disk, or the other table."
            )
        if disk.table.extended is not None or any(one.logical for one in disk.volumes):
            raise PlanError(
                f"Disk {disk.id} has an extended partition, which is not carried over.",
                "Copy what is inside to another place and remove it first, or erase the disk: the aim clean.",
            )
        if self.to == "mbr" and (self._any_system(disk) or len(disk.volumes) > PRIMARIES):
            raise PlanError(
                f"Disk {disk.id} {'has a system that starts from its GPT' if self._any_system(disk) else 'has more than four volumes'}.",
                "Only a disk of data with four volumes at most goes back to an MBR in place.",
            )
        if self.to == "gpt" and self._any_system(disk) and len(disk.volumes) > MOST_PRIMARIES:
            raise PlanError(
                f"Disk {disk.id} has {len(disk.volumes)} primary volumes; an EFI system partition comes to them.",
                "Remove one first: three at most are carried over with a system.",
            )

    def _any_system(self, disk: Disk) -> bool:
        return any(one.holds for one in disk.volumes)

    def _converted(self, disk: Disk, seed: str) -> ConvertTable:
        identity = guid(seed, f"table {disk.id}")
        if self.to == "mbr":
            became = tuple((one.call, _mbr_type(one), "") for one in disk.volumes)
            return ConvertTable(disk.id, "mbr", identity[:8].lower(), became)
        became = tuple((one.call, _gpt_type(one), guid(seed, f"partition {one.call}")) for one in disk.volumes)
        return ConvertTable(disk.id, "gpt", identity, became)

    def _started(self, now: Machine, place: Fit, need: Need, seed: str, taken: tuple[str, ...]) -> list[Step]:
        """The EFI system partition with a loader for every system, firmware switched, an entry for each."""
        disk = now.disk(self.disk)
        new = make(disk, Fit(place.start, need.floor), ((need, need.floor),), seed, taken)
        made = new.create[0]
        steps: list[Step] = [*new.steps]
        entries: list[Step] = []
        startup = Place(made.call, made.number, made.guid, made.start, made.size, new.uuids["esp"])
        numbers: tuple[int, ...] = ()
        for volume in disk.volumes:
            if volume.holds is None:
                continue
            kind = _as_it_is(volume, disk)
            steps.append(PutLoader(volume.call, made.call, _loaders(disk, volume, kind.folder)))
            known = entered(now, disk, kind, startup, numbers, by="person")
            entries += known
            numbers = (*(one.entry.number for one in known if hasattr(one, "entry")), *numbers)
        mode: list[Step] = [SetMode("uefi")] if now.firmware.mode != "uefi" else []
        return [*steps, *mode, *entries]


def _entries_anew(found: Machine, now: Machine, disk: Disk) -> list[Step]:
    """Entries that named partitions of the old table name those of the new one, under their numbers and in their places of the order."""
    steps: list[Step] = []
    for entry in found.firmware.entries if found.firmware.mode == "uefi" else ():
        place = next((one.call for one in disk.volumes if means(entry, disk, one)), None)
        if place is None or (there := now.find(place)) is None:
            continue
        made = entry_on(*there, entry.number, entry.title, entry.path)
        made = replace(made, active=entry.active, hidden=entry.hidden)
        steps += [RemoveEntry(entry.number), AddEntry(made, by="person")]
    order = fold(now, tuple(steps)).planned.firmware.order
    return [*steps, SetOrder(now.firmware.order)] if order != now.firmware.order else steps


def _as_gpt(disk: Disk) -> Disk:
    """The disk as the new table will see it: both of its copies take their places at the ends."""
    from inkshelf.core.steps.tables import NewTable

    fresh = NewTable(disk.id, "gpt", "00000000-0000-4000-8000-000000000000").apply(Machine(disks=(disk,))).disk(disk.id)
    return replace(fresh, volumes=disk.volumes)


def _gpt_type(volume: Volume) -> str:
    key = TYPES.get(volume.type_id.lower(), "basic_data")
    if volume.holds and volume.holds.family == "linux":
        key = "linux_root_x64"
    if volume.type_id.lower() == "0xef":
        key = "efi_system"
    return gpt_type(key)


def _mbr_type(volume: Volume) -> str:
    kind = volume.filesystem.kind if volume.filesystem else ""
    return {"fat32": "0x0C", "ntfs": "0x07", "exfat": "0x07", "swap": "0x82"}.get(kind, "0x83")


def _as_it_is(volume: Volume, disk: Disk) -> Profile:
    """The profile of a system that is there, under its own title and a folder of its own: two of one name are told apart by call number."""
    if of_nt(volume) or volume.holds is None:
        return profile("nt-desktop")
    titles = [one.holds.title for one in disk.volumes if one.holds]
    word = folder_word(volume.holds.title)
    folder = f"{word}-{volume.call.lower()}" if titles.count(volume.holds.title) > 1 else word
    return replace(profile("linux-desktop"), title=volume.holds.title, folder=folder)


def _loaders(disk: Disk, volume: Volume, named: str) -> tuple[BootFile, ...]:
    """What the family's own tool puts there, beside what it put there for others before; ``named``: the folder of a Linux-family system."""
    if of_nt(volume):
        earlier = [one.guid for one in disk.volumes[: disk.volumes.index(volume)] if of_nt(one)]
        return nt_files((volume.guid, *reversed(earlier)))
    return linux_files(named, (root_uuid(volume),), signed=True)
