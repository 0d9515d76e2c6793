"""The aim "in-file": a second NT-family system in a file on the volume of the first one."""

from typing import ClassVar, Literal

from inkshelf.core.aims.base import AimBase, Answer, Need, Picture, Question
from inkshelf.core.aims.safety import assured, of_nt, proved, resumed, suspended, woken
from inkshelf.core.aims.systems import size_question
from inkshelf.core.boot.legacy import boot_data
from inkshelf.core.boot.own_files import more_named
from inkshelf.core.draw import guid
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import reserve_size
from inkshelf.core.machine.calls import next_call
from inkshelf.core.machine.profiles import Profile, profile, room_of
from inkshelf.core.machine.roles import startup_on
from inkshelf.core.machine.state import BootFile, Disk, Machine, Volume
from inkshelf.core.size import GIB, MIB, align_down, binary
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import ApplyEdition, Confirm, MakeDiskFile, NameInBootData, Prove, Step
from inkshelf.core.texts import CallOrNone, Count, Line
from inkshelf.core.value import Value
from inkshelf.data import exact

NAMES = ("second", "third", "fourth", "fifth", "sixth", "seventh", "eighth")
FORM_ANSWERS = (
    Answer("fixed", "fixed", "All of its room is taken now: no surprise later, and the fastest."),
    Answer("growing", "growing", "Small at first, full size whenever it starts: that room must stay free all the same."),
)
TABLE_ANSWERS = (
    Answer("GPT", "gpt", "As on a disk of today; the start-up files lie on the host's EFI system partition anyway."),
    Answer("MBR", "mbr", "One volume and nothing else; older tools look into it."),
)


class Edition(Value, frozen=True):
    """One edition in an install image: its index, its name, what it unpacks to in bytes."""

    index: Count
    name: Line
    size_bytes: Count = 0


class InFile(AimBase, frozen=True, tag="in-file"):
    """An NT-family system in a file on ``host``. ``edition``: the index of what is put into it, of ``editions`` as read from the image (0: not read)."""

    medium: ClassVar[Literal["", "installer", "live"]] = "installer"
    title: ClassVar[str] = "A second NT-family system in a file"
    about: ClassVar[str] = "No partition is touched: a file on the first system's volume is the second one's whole disk."
    short: ClassVar[str] = "one in a file"
    picture: ClassVar[Picture] = (((0, 1, "ink"),), ((0, 1, "ink"), (0.52, 0.9, "pencil")))

    host: CallOrNone = ""
    size_bytes: Count | None = None
    form: Literal["fixed", "growing"] = "fixed"
    table: Literal["gpt", "mbr"] = "gpt"
    edition: Count = 0
    editions: tuple[Edition, ...] = ()

    @property
    def chosen(self) -> Edition | None:
        """The edition that is put into the file."""
        return next((one for one in self.editions if one.index == self.edition), None)

    def sentence(self, found: Machine) -> str:
        """Name the host and the edition."""
        one = self.chosen
        return f"{one.name if one else 'An NT-family system'} in a file on {self.host or 'the first system volume'}"

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return the questions; hosts are NTFS volumes with a system on them."""
        hosts = tuple(Answer(one.call, one.call, _words(disk, one)) for disk, one in _hosts(found))
        editions = tuple(Answer(f"{one.index}: {one.name}", str(one.index), _unpacks(one)) for one in self.editions)
        none = Answer("not chosen yet", "0", "The numbers differ from image to image: read them from the one that is used.")
        legacy = found.firmware.mode == "legacy"
        return (
            Question("host", "On which volume", hosts, hosts[0].value if hosts else "", "its system starts it", "volume"),
            size_question("Full size of the file", "or what reserve and page file leave"),
            Question("form", "Kind of file", FORM_ANSWERS, "fixed", "what it takes is seen at once"),
            Question(
                "table",
                "Table inside",
                TABLE_ANSWERS,
                "mbr" if legacy else "gpt",
                "the firmware starts the legacy way" if legacy else "the firmware is UEFI, or is not known yet",
            ),
            Question(
                "edition",
                "Edition",
                (*editions, none),
                editions[0].value if len(editions) == 1 else "0",
                _edition_why(editions),
                "number",
            ),
        )

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """No volume is made."""
        return ()

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` where no volume can hold the file at its full size."""
        disk, host = self._host(found)
        kind = profile("nt-in-file")
        size = self._size(found, host, kind)
        call = next_call("system", (*taken, *found.calls()))
        path = _free_name(host)
        make = MakeDiskFile(host.call, call, path, self.form, size, self.table, guid(seed, f"file {call}"), "SECOND")
        one = self.chosen
        put = ApplyEdition(call, host.call, self.edition, one.name if one else "", kind.installed, kind.key)
        esp, files = _boot_data(found, disk, path)
        steps: list[Step] = [*assured(found), Confirm("host_fit"), *suspended(found), *woken(found, [host])]
        steps += [make, put, NameInBootData(call, esp, files, one.name if one else kind.title)]
        steps += [Prove(call, "new"), Confirm("file_stays"), *proved(found), *resumed(found), Confirm("tidy")]
        return identified(tuple(steps), self.id)

    def _host(self, found: Machine) -> tuple[Disk, Volume]:
        hosts = _hosts(found)
        if not hosts:
            raise PlanError(
                "No NTFS volume with a system of the NT family is here, on an internal disk and not encrypted.",
                "Choose another aim: beside, or a disk of its own.",
            )
        place = next((one for one in hosts if one[1].call == self.host or not self.host), None)
        if place is None:
            raise PlanError(f"{self.host} cannot hold a system in a file.", f"Choose {hosts[0][1].call}.")
        return place

    def _size(self, found: Machine, host: Volume, kind: Profile) -> int:
        """The full size must stay free beside the page file and the owner's reserve, for a growing file too."""
        system, room = host.filesystem, room_of(kind.key, apart=False)
        if system is None or system.used_bytes is None:
            raise PlanError(f"How full {host.call} is, is not known.", "Take an image in, or say it under Intake.")
        reserve = reserve_size(system.used_bytes) - system.used_bytes
        page = found.ram_bytes or 8 * GIB
        most = align_down(max(0, system.size_bytes - system.used_bytes - reserve - page), MIB)
        if most < room.floor:
            raise PlanError(
                f"{host.call} has {binary(most)} for a file, beside {binary(reserve)} of reserve and {binary(page)} for its page file; "
                f"{binary(room.floor)} is the least.",
                "Free room on it first, or choose another aim.",
            )
        size = self.size_bytes or min(room.comfort, most)
        if size > most:
            raise PlanError(
                f"{binary(size)} do not fit: {binary(most)} can be had on {host.call}.", f"Choose {binary(most)} or less."
            )
        return size


def _hosts(found: Machine) -> list[tuple[Disk, Volume]]:
    return [
        (disk, one)
        for disk, one in found.volumes()
        if of_nt(one) and one.filesystem and one.filesystem.kind == "ntfs" and not disk.removable and disk.transport != "usb"
    ]


def _words(disk: Disk, volume: Volume) -> str:
    free = binary(volume.filesystem.size_bytes - volume.used) if volume.filesystem and volume.used is not None else "not known"
    return f"disk {disk.id}, {binary(volume.size)}, free: {free}"


def _unpacks(one: Edition) -> str:
    return f"It unpacks to {binary(one.size_bytes)}." if one.size_bytes else "Its size is not said in the image."


def _edition_why(editions: tuple[Answer, ...]) -> str:
    if not editions:
        return "nobody knows the numbers before the image was read"
    return "the only one in the image" if len(editions) == 1 else "its owner's licence decides: choose"


def _free_name(host: Volume) -> str:
    there = {one.path.lower() for one in host.disk_files}
    paths = (f"\\{name}{exact('disk_files', 'ending')}" for name in NAMES)
    found = next((one for one in paths if one not in there), None)
    if found is None:
        raise PlanError(f"{host.call} holds {len(NAMES)} such files already.", "Take one away first.")
    return found


def _boot_data(found: Machine, disk: Disk, path: str) -> tuple[str, tuple[BootFile, ...]]:
    """The boot data that the host's system starts from, with the file named in it; nothing the legacy way, where it was not read."""
    if found.firmware.mode == "legacy":
        read = boot_data(disk)
        return (read[0].call, (more_named(read[1], path),)) if read else ("", ())
    key = exact("paths", "nt_boot_data")
    startup = startup_on(disk)
    places = [startup, *(one for _, one in found.volumes())] if startup else [one for _, one in found.volumes()]
    holder = next((one for one in places if one.boot_file(key)), None)
    data = holder.boot_file(key) if holder else None
    if holder is None or data is None:
        raise PlanError("The boot data of the first system was not found.", "Take an image of its EFI system partition in.")
    return holder.call, (more_named(data, path),)
