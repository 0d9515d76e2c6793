"""The aim "remove": a system is taken away in an order that never leaves the machine unable to start."""

from typing import ClassVar, Literal

from inkshelf.core.aims.base import AimBase, Answer, Need, Picture, Question
from inkshelf.core.aims.belongings import Belongings, belongings
from inkshelf.core.aims.menus import without
from inkshelf.core.aims.safety import assured, clocks_differ, proved, resumed, suspended, woken
from inkshelf.core.boot.entries import entry_to
from inkshelf.core.boot.own_files import less_named
from inkshelf.core.boot.uefi import routes
from inkshelf.core.disk.contents import BootFile
from inkshelf.core.errors import PlanError
from inkshelf.core.fit import growing
from inkshelf.core.machine.roles import named_by_boot_data, nt_targets, own_uuids, systems_named
from inkshelf.core.machine.state import BootEntry, Disk, DiskFile, Machine, Volume
from inkshelf.core.size import binary
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import (
    AddEntry,
    Confirm,
    Delete,
    ForgetInBootData,
    Prove,
    RemoveDiskFile,
    RemoveEntry,
    RemoveFiles,
    SetOrder,
    Step,
    WriteStartCode,
)
from inkshelf.core.texts import CallOrNone
from inkshelf.core.value import replace
from inkshelf.data import exact

ROOM_ANSWERS = (
    Answer("to a neighbour", "grow", "The room is used at once; what stands between is moved."),
    Answer("kept as a gap", "keep", "Nothing moves; another system can go there later."),
)
FILES_ANSWERS = (
    Answer("stay", "keep", "The volume with the owner's files is left where it is."),
    Answer(
        "go too", "remove", "Everything that was the system's own goes, its home too: only with a back-up that was read back."
    ),
)


class Remove(AimBase, frozen=True, tag="remove"):
    """A system goes: what starts the others is proved first, then its loader, its entry, its volumes; then the room is given away."""

    medium: ClassVar[Literal["", "installer", "live"]] = "live"
    title: ClassVar[str] = "Take a system away"
    about: ClassVar[str] = (
        "The systems that stay are proved to start first; the room goes to a neighbour, or is kept on purpose."
    )
    short: ClassVar[str] = "take one away"
    picture: ClassVar[Picture] = (
        ((0, 0.44, "ink"), (0.46, 0.8, "ink"), (0.82, 1, "ink")),
        ((0, 0.44, "ink"), (0.46, 0.8, "lost"), (0.82, 1, "ink")),
    )

    system: CallOrNone = ""
    room: Literal["grow", "keep"] = "grow"
    files: Literal["keep", "remove"] = "keep"
    to: CallOrNone = ""

    def sentence(self, found: Machine) -> str:
        """Name the system, and what becomes of its room."""
        place = found.find(self.system)
        inside = file_of(found, self.system)
        if inside is not None:
            return f"The system in the file {inside[1].path} ({self.system}) goes; its room stays with {inside[0].call}"
        name = f"{place[1].holds.title} ({self.system})" if place and place[1].holds else self.system or "a system"
        room = f"its room goes to {self.to or 'a neighbour'}" if self.room == "grow" else "its room is kept as a gap"
        return f"{name} goes; {room}"

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return which system goes, what becomes of its files and of the room."""
        systems = [one for _, one in found.volumes() if one.holds]
        known = tuple(Answer(f"{one.call} {one.holds.title}", one.call, binary(one.size)) for one in systems if one.holds)
        files = [(host, file) for _, host in found.volumes() for file in host.disk_files if file.holds]
        known += tuple(
            Answer(f"{file.call} {file.holds.title}, a file on {host.call}", file.call, binary(file.stored_bytes))
            for host, file in files
            if file.holds
        )
        usual = next(
            (one.call for one in systems if one.holds and one.holds.family == "linux"), known[-1].value if known else ""
        )
        mine = next((disk for disk, one in found.volumes() if one.call == (self.system or usual)), None)
        to = [one for one in (growing.takers(mine) if mine else ()) if one.call != (self.system or usual)]
        return (
            Question("system", "Which system goes", known, usual, "the one that came beside the owner's", "volume"),
            Question("files", "The owner's files on a volume of their own", FILES_ANSWERS, "keep", "files are not a system"),
            Question("room", "The room", ROOM_ANSWERS, *self._usual_room(found)),
            Question(
                "to",
                "To which volume",
                tuple(Answer(one.call, one.call, binary(one.size)) for one in to),
                to[0].call if to else "",
                "the system first: it grows",
                "volume",
            ),
        )

    def _usual_room(self, found: Machine) -> tuple[str, str]:
        """To a neighbour, unless something is in the way, which is said."""
        try:
            if self.system:
                replace(self, room="grow", to="").steps(found, "usual")
        except PlanError as error:
            return "keep", error.what
        return "grow", "room that nobody uses is lost to the owner"

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """No volume is made."""
        return ()

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps; raises ``PlanError`` where no such system is there, or the room cannot go where it is to go."""
        place = found.find(self.system)
        file = file_of(found, self.system)
        if file is not None:
            return identified((*_file_steps(found, *file), Confirm("tidy")), self.id)
        if place is None or place[1].holds is None:
            raise PlanError(
                f"No system is on {self.system}." if self.system else "Which system goes is not said.", "Choose one under Aim."
            )
        disk, root = place
        own = belongings(found, root, with_files=self.files == "remove")
        gone = frozenset(own.volumes)
        stays = [one for _, one in found.volumes() if one.holds and one.call not in gone]
        steps: list[Step] = [*assured(found, "live"), *suspended(found)]
        steps += _others_first(found, disk, root, own, stays)
        steps += _forgotten(found, root, [one.call for one in stays])
        steps += [Prove(one.call, "before removing") for one in stays]
        steps += without(found, tuple(one for _, one in found.volumes() if one.call in gone))
        steps += [RemoveFiles(call, paths) for call, paths in own.files]
        steps += [RemoveEntry(number) for number in own.entries]
        steps += _deleted(found, own)
        steps += self._given(found, disk, root, tuple(steps), gone) if self.room == "grow" and stays else []
        steps += [*proved(found, gone), *resumed(found, gone)]
        steps += [Confirm("clock_back")] if clocks_differ(found) and not clocks_differ(found, gone=gone) else []
        return identified((*steps, Confirm("tidy")), self.id)

    def _given(self, found: Machine, disk: Disk, root: Volume, before: tuple[Step, ...], gone: frozenset[str]) -> list[Step]:
        """The room of the root volume goes to the volume that was chosen, or else to the first that can have it."""
        left = fold(found, before).planned.disk(disk.id)
        gap = growing.gap_near(left, root.start)
        fault: PlanError | None = None
        for taker in [one for one in growing.takers(left) if one.call == self.to or not self.to]:
            try:
                more = growing.grown(left, taker.call, gap)
            except PlanError as error:
                fault = fault or error
                continue
            touched = [one for one in left.volumes if any(getattr(step, "call", "") == one.call for step in more)]
            return [*woken(found, touched, gone), *more]
        raise fault or PlanError(f"No volume of disk {disk.id} can take the room.", "Keep it as a gap.")


def file_of(found: Machine, call: str) -> tuple[Volume, DiskFile] | None:
    """Return the volume and the file that a system in a file lives in."""
    return next(((host, one) for _, host in found.volumes() for one in host.disk_files if call and one.call == call), None)


def _file_steps(found: Machine, host: Volume, file: DiskFile) -> list[Step]:
    """From inside the first system: proved to start, the other named no more, then the file; its room comes back by itself."""
    path = file.path.lower()
    places = [
        (volume.call, data)
        for _, volume in found.volumes()
        for data in volume.boot_files
        if data.kind == "nt-boot-data" and path in nt_targets(data)
    ]
    steps: list[Step] = [*assured(found, "none"), *suspended(found), *woken(found, [host]), Prove(host.call, "before removing")]
    for esp, data in places:
        steps.append(ForgetInBootData(file.call, esp, (less_named(data, path),)))
    if not places:
        steps.append(ForgetInBootData(file.call, "", ()))
    return [*steps, RemoveDiskFile(file.call, host.call, file.path), *proved(found, frozenset({file.call})), *resumed(found)]


def _forgotten(found: Machine, root: Volume, stays: list[str]) -> list[Step]:
    """Boot data that names the system beside one that stays names it no more: what begins by itself would not be there."""
    steps: list[Step] = []
    for _, volume in found.volumes():
        for data in volume.boot_files:
            named = systems_named(found, data) if data.kind == "nt-boot-data" else []
            if root.call in named and set(named) & set(stays):
                disk = next(disk for disk, one in found.volumes() if one.call == root.call)
                kept = less_named(data, named_by_boot_data(disk, root))
                steps.append(ForgetInBootData(root.call, volume.call, (kept,)))
    return steps


def _deleted(found: Machine, own: Belongings) -> list[Step]:
    """Volumes go from the last number to the first, so that logical ones which stay count down once."""
    places = sorted(
        ((disk.id, volume.number, volume.call) for disk, volume in found.volumes() if volume.call in own.volumes), reverse=True
    )
    return [Delete(call) for _, _, call in places]


def _others_first(found: Machine, disk: Disk, root: Volume, own: Belongings, stays: list[Volume]) -> list[Step]:
    """Before anything goes, what stays starts without it: an entry of its own, first in the order; the legacy way, its start code."""
    if not stays:
        return []
    if found.firmware.mode == "legacy":
        here = next((one for one in stays if any(two.call == one.call for two in disk.volumes)), None)
        differs = here is not None and here.holds and root.holds and here.holds.family != root.holds.family
        return [WriteStartCode(disk.id, here.holds.family)] if differs and here and here.holds else []
    if found.firmware.mode is None:
        return []
    steps: list[Step] = []
    first: list[int] = []
    for route in routes(found):
        reaches = any(one.call in route.systems for one in stays)
        if reaches and not route.entry.automatic and route.entry.number not in own.entries:
            first.append(route.entry.number)
    without_way = [
        one for one in stays if not any(one.call in route.systems for route in routes(found) if route.entry.number in first)
    ]
    made = [entry for one in without_way if (entry := _entry_for(found, one, {*first, *_numbers(steps)}))]
    for entry in made:
        steps.append(AddEntry(entry, by="person"))
        first.append(entry.number)
    order = (*first, *(one for one in found.firmware.order if one not in first))
    now = (*found.firmware.order, *(entry.number for entry in made))
    return [*steps, *([SetOrder(order)] if order != now and first else [])]


def _numbers(steps: list[Step]) -> set[int]:
    return {step.entry.number for step in steps if isinstance(step, AddEntry)}


def _entry_for(found: Machine, system: Volume, taken: set[int]) -> BootEntry | None:
    """An entry that starts a system by its own loader, where one of it is on an EFI system partition."""
    for disk, volume in found.volumes():
        for file in volume.boot_files:
            if not _starts(found, volume, file, system):
                continue
            title = system.holds.title if system.holds else system.call
            return entry_to(found, disk, volume, file.path, title, frozenset(taken))
    return None


def _starts(found: Machine, volume: Volume, file: BootFile, system: Volume) -> bool:
    """Whether a loader file starts a system without anybody's menu but its own."""
    if file.kind == "nt-loader" and file.path.lower() == exact("paths", "nt_loader").lower():
        data = volume.boot_file(exact("paths", "nt_boot_data"))
        place = found.find(system.call)
        return place is not None and named_by_boot_data(*place) in nt_targets(data)
    if file.kind == "entry-menu":
        return any(
            one.kind == "entry" and own_uuids(system) & {two.lower() for two in one.targets} for one in volume.boot_files
        )
    if file.kind != "first-stage" or system.filesystem is None:
        return False
    folder = file.path.rsplit("\\", 1)[0]
    config = volume.boot_file(f"{folder}\\{exact('paths', 'menu_config')}")
    return config is not None and bool(own_uuids(system) & {*config.targets[:1], *config.hands_over})
