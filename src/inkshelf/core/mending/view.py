"""A machine as somebody sees it who looks for what keeps one system from starting: its loaders, its entries, what comes before them."""

from __future__ import annotations

from functools import cached_property

from inkshelf.core.boot.firmware import Start, start
from inkshelf.core.boot.mishaps import STANDING
from inkshelf.core.boot.rehearse import Outcome, outcome
from inkshelf.core.boot.routes import Reached, Route
from inkshelf.core.boot.uefi import as_read, comes_to, entry_leads_to, is_unread, readable, routes
from inkshelf.core.disk.contents import SystemRoot
from inkshelf.core.machine.entries import mark_of, means, named_by
from inkshelf.core.machine.roles import is_esp, named_by_boot_data, nt_targets, own_uuids
from inkshelf.core.machine.state import BootEntry, BootFile, Disk, Machine, Volume
from inkshelf.core.value import Value
from inkshelf.data import exact

RUNS = {"nt-loader", "first-stage", "menu", "entry-menu"}
FALLBACK_FOLDER = exact("paths", "fallback_x64").rsplit("\\", 1)[0].lower()


class Loader(Value, frozen=True):
    """A file that firmware can run, and what it comes to."""

    disk: Disk
    volume: Volume
    file: BootFile
    reached: Reached

    @property
    def folder(self) -> str:
        """The folder that it lies in."""
        return folder_of(self.file)

    @property
    def fallback(self) -> bool:
        """Whether it lies where firmware looks without an entry."""
        return self.file.path.lower() == exact("paths", "fallback_x64").lower()


def folder_of(file: BootFile) -> str:
    """Return the folder of a start-up file, as it stands there."""
    return file.path.rsplit("\\", 1)[0]


class View:
    """What there is to see of the start of the system on ``call``; nothing is kept beyond one question.

    ``seed`` and ``taken`` (call numbers that are given away) are for repairs that make a volume. Raises ``KeyError`` where no system is there.
    """

    def __init__(self, machine: Machine, call: str, seed: str = "", taken: tuple[str, ...] = ()) -> None:
        place = machine.system(call)
        if place is None or place[1].holds is None:
            raise KeyError(call)
        self.machine, self.call, self.seed, self.taken = machine, call, seed, taken
        self.disk, self.volume = place
        self.system: SystemRoot = place[1].holds
        self.firmware = machine.firmware
        self.uefi, self.legacy = machine.firmware.mode == "uefi", machine.firmware.mode == "legacy"
        self.nt = self.system.family == "nt"
        self.linux = self.system.family == "linux"

    @cached_property
    def judged(self) -> Outcome:
        """What the rehearsal says of the machine as it is."""
        return outcome(self.machine, self.call, STANDING[0])

    @property
    def well(self) -> bool:
        """Whether the system starts by itself, or from a menu, as far as was captured."""
        return self.judged.starts and not self.judged.by_hand and self.judged.sure

    @cached_property
    def started(self) -> Start:
        """What the firmware does by itself."""
        return start(self.machine)

    @cached_property
    def ways(self) -> tuple[Route, ...]:
        """What the firmware tries, in order."""
        return routes(self.machine)

    @cached_property
    def first(self) -> Route | None:
        """The way that the start ends with."""
        return next((one for one in self.ways if not one.passes), None)

    @property
    def secure(self) -> bool:
        """Whether Secure Boot is on."""
        return self.firmware.secure_boot == "on"

    @cached_property
    def loaders(self) -> tuple[Loader, ...]:
        """Everything on start-up volumes that firmware can run, whether it does or not."""
        return tuple(
            Loader(disk, volume, file, comes_to(self.machine, disk, volume, file.path))
            for disk, volume in self.machine.volumes()
            for file in volume.boot_files
            if file.kind in RUNS
        )

    @cached_property
    def mine(self) -> tuple[Loader, ...]:
        """The loaders that are this system's own, working or not: those in its own folders, and copies where firmware looks without an entry."""
        folders, kinds = self._folders(), {"nt-loader"} if self.nt else {"first-stage", "menu"}
        found = [one for one in self.loaders if (one.volume.call, one.folder.lower()) in folders and one.file.kind in kinds]
        found += [
            one for one in self.loaders if self.linux and one.file.kind == "entry-menu" and self.call in one.reached.systems
        ]
        return tuple(sorted(found, key=lambda one: one.folder.lower() == FALLBACK_FOLDER))

    @cached_property
    def good(self) -> tuple[Loader, ...]:
        """Its own loaders that come to it, the best to name in an entry first."""
        fine = [one for one in self.mine if self.call in one.reached.systems and readable(one.volume)]
        order = {"nt-loader": 0, "first-stage": 0, "menu": 1, "entry-menu": 0}
        return tuple(sorted(fine, key=lambda one: (one.fallback, one.disk.id != self.disk.id, order[one.file.kind])))

    def _folders(self) -> set[tuple[str, str]]:
        if self.nt:
            return self._nt_folders()
        claimed = self._claimed()
        mine = {place for place, call in claimed.items() if call == self.call}
        if mine or not self.linux:
            return mine
        left = [
            (disk.id != self.disk.id, volume.call, folder)
            for disk, volume in self.machine.volumes()
            for folder in sorted(
                {folder_of(file).lower() for file in volume.boot_files if file.kind in {"first-stage", "menu", "menu-config"}}
            )
            if (volume.call, folder) not in claimed
        ]
        others = [
            one
            for _, one in self.machine.volumes()
            if one.holds and one.holds.family == "linux" and one.call not in set(claimed.values())
        ]
        if len(others) != 1:  # whose folder it is cannot be told
            return set()
        return {(call, folder) for elsewhere, call, folder in left if elsewhere == min(left)[0]}

    def _nt_folders(self) -> set[tuple[str, str]]:
        own = folder_of(BootFile(exact("paths", "nt_loader"), "nt-loader")).lower()
        places = set()
        for disk, volume in self.machine.volumes():
            data = volume.boot_file(exact("paths", "nt_boot_data"))
            named = named_by_boot_data(self.disk, self.volume) in nt_targets(data)
            if named or (disk.id == self.disk.id and is_esp(volume)):
                places |= {(volume.call, own), (volume.call, FALLBACK_FOLDER)}
        return places

    def _claimed(self) -> dict[tuple[str, str], str]:
        """Each folder with the Linux-family system that its menu's configuration names first."""
        found: dict[tuple[str, str], str] = {}
        systems = [(one.call, own_uuids(one)) for _, one in self.machine.volumes() if one.holds and one.holds.family == "linux"]
        for _, volume in self.machine.volumes():
            for file in volume.boot_files:
                if file.kind != "menu-config":
                    continue
                first = {one.lower() for one in (*file.targets[:1], *file.hands_over)}
                owner = next((call for call, own in systems if own & first), "")
                if owner:
                    found[volume.call, folder_of(file).lower()] = owner
        return found

    @cached_property
    def esp(self) -> tuple[Disk, Volume] | None:
        """The start-up volume that the system's loader lies on, or would go to: else the first of its own disk, found by type, that firmware reads."""
        own = [(one.disk, one.volume) for one in self.mine if not one.fallback or not self.nt] or self._mounted()
        here = own or [(disk, one) for disk, one in self.machine.volumes() if is_esp(one)]
        fit = [pair for pair in here if pair[1].filesystem and readable(pair[1])] or here
        return min(fit, key=lambda pair: (pair[0].id != self.disk.id, pair[1].number), default=None)

    def _mounted(self) -> list[tuple[Disk, Volume]]:
        """What its own mount table, or an entry that bears its name, calls its EFI system partition."""
        named = {what.removeprefix("UUID=").strip('"').lower() for what, where in self.system.mounts if where == "/boot/efi"}
        titles = {self.system.title.lower()} | ({exact("nt", "entry_title").lower()} if self.nt else set())
        own = [one for one in self.firmware.entries if one.title.lower() in titles]
        there = [(disk, one) for disk, one in self.machine.volumes() if is_esp(one)]
        said = [pair for pair in there if pair[1].filesystem and pair[1].filesystem.uuid.lower() in named]
        return said or [pair for pair in there if any(means(one, *pair) for one in own)]

    @cached_property
    def entries(self) -> tuple[BootEntry, ...]:
        """The entries that somebody made for this system: they lead to a loader of its own, or into its folder, or bear its name and lead nowhere."""
        files = {(one.volume.call, one.file.path.lower()) for one in self.mine}
        folders = {(mark_of(one.disk, one.volume), one.folder.lower()) for one in self.mine}
        named = {self.system.title.lower()} | ({exact("nt", "entry_title").lower()} if self.nt else set())
        own = []
        for one in (entry for entry in self.firmware.entries if not entry.automatic):
            runs = self._runs(one)
            lies = (named_by(one), one.path.rsplit("\\", 1)[0].lower())
            astray = (bool(lies[0]) and lies in folders) or one.title.lower() in named
            if (runs in files) if runs else astray:
                own.append(one)
        return tuple(own)

    def _runs(self, entry: BootEntry) -> tuple[str, str] | None:
        """The file that an entry would run, as firmware takes its path; ``None`` where there is none."""
        found = entry_leads_to(self.machine, entry)
        path = as_read(found[2], found[1]) if found else ""
        return (found[1].call, path.lower()) if found and path and found[1].boot_file(path) else None

    def works(self, entry: BootEntry) -> bool:
        """Whether an entry, were it tried, came to this system."""
        found = entry_leads_to(self.machine, entry)
        if found is None or not readable(found[1]):
            return False
        return self.call in comes_to(self.machine, *found).systems

    @property
    def unread(self) -> bool:
        """Whether there are start-up volumes whose files nobody read."""
        return any(is_unread(disk, one) for disk, one in self.machine.volumes() if is_esp(one))
