"""The aim "no-stick": the installer starts from a small volume of the disk itself, which is given back afterwards."""

from typing import ClassVar, Literal

from inkshelf.core.aims.base import Answer, Need, Picture, Question, lock_key
from inkshelf.core.aims.building import Site, built
from inkshelf.core.aims.owning import the_disk
from inkshelf.core.aims.safety import assured, clocks_differ, hidden, proved, resumed, suspended, woken
from inkshelf.core.aims.schools import Schools
from inkshelf.core.aims.shares import comfortable, divide
from inkshelf.core.aims.systems import (
    ESP_QUESTION,
    Esp,
    Layout,
    disk_question,
    known_system,
    layout_on,
    needs_of,
    size_question,
    system_question,
)
from inkshelf.core.aims.volumes import New, make
from inkshelf.core.boot.own_files import LOADER_BYTES
from inkshelf.core.disk.contents import BootFile
from inkshelf.core.errors import PlanError
from inkshelf.core.fit import growing
from inkshelf.core.fit.room import Fit, fit, possible
from inkshelf.core.machine.entries import entry_on
from inkshelf.core.machine.profiles import Profile, profile
from inkshelf.core.machine.roles import startup_on
from inkshelf.core.machine.state import BootEntry, Disk, Gap, Machine, Volume
from inkshelf.core.size import MIB, align_up, parse_size
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import AddEntry, Confirm, Delete, Prove, RemoveEntry, Shrink, Stage, Step
from inkshelf.core.texts import Count, Key, Letter
from inkshelf.core.value import replace
from inkshelf.data import exact, table

SLACK, SHARE = 64 * MIB, 11  # contents times 1.1, and 64 MiB
BACK_ANSWERS = (
    Answer("given back", "yes", "Once the new system starts: its last volume grows into it."),
    Answer("kept", "no", "For a repair later; it is said at the end that it is there."),
)


class NoStick(Schools, frozen=True, tag="no-stick"):
    """One more system without a stick. ``image_bytes``: what the installer's contents come to (``None``: the usual figure)."""

    title: ClassVar[str] = "One more system, without a stick"
    about: ClassVar[str] = (
        "The installer's contents go to a small volume behind the new room; it is started once and given back."
    )
    short: ClassVar[str] = "without a stick"
    picture: ClassVar[Picture] = (((0, 1, "ink"),), ((0, 0.52, "ink"), (0.54, 0.84, "pencil"), (0.86, 1, "gap")))

    system: Key = "linux-desktop"
    disk: Letter = "A"
    image_bytes: Count | None = None
    size_bytes: Count | None = None
    esp: Esp = "own"
    staging: Literal["yes", "no"] = "yes"

    def sentence(self, found: Machine) -> str:
        """Name the system and the disk."""
        return f"A {profile(self.system).title} on disk {self.disk}, installed without a stick"

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return the questions."""
        usual = str(table("defaults")["medium"]["image"])
        return (
            system_question("linux-desktop", "what customers ask for most", ("linux",)),
            disk_question(found, "A", "the first disk"),
            Question(
                "image",
                "The installer's contents",
                (Answer(usual, "usual", "As most installers are."),),
                "usual",
                "look at the image",
                "size",
                "image_bytes",
            ),
            size_question("Room for it"),
            ESP_QUESTION,
            *self.school_questions(found, (self.system,)),
            Question(
                "staging",
                "The installer's volume afterwards",
                BACK_ANSWERS,
                "yes",
                "room that nobody uses is lost to the owner",
            ),
        )

    @property
    def contents(self) -> int:
        """What the installer's contents come to, in bytes."""
        return self.image_bytes or parse_size(table("defaults")["medium"]["image"])

    def _layout(self, found: Machine) -> Layout:
        disk = next((one for one in found.disks if one.id == self.disk), Disk("A", 0))
        return replace(self.schooled(layout_on(disk, found)), own_esp=self.esp == "own")

    def _system_needs(self, found: Machine) -> tuple[Need, ...]:
        """The volume that grows comes last: it gets the staging volume's room."""
        own = needs_of(known_system(self.system, ("linux",)), self._layout(found))
        return tuple(sorted(own, key=lambda one: one.grows))

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """Return the staging volume, then the system's own."""
        size = align_up(self.contents * SHARE // 10 + SLACK, MIB)
        why = "the contents, a tenth more, and 64 MiB"
        stage = Need("stage", "medium", "basic_data", "fat32", "INSTALLER", "staging", size, size, reason=why)
        return (stage, *self._system_needs(found))

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return the steps: staging first, the gap second, so that staging lies right of the gap and its last volume can grow into it."""
        kind = known_system(self.system, ("linux",))
        disk = the_disk(found, self.disk)
        if disk.table.kind != "gpt" or found.firmware.mode == "legacy":
            raise PlanError(
                "An installer is started from the disk itself on GPT disks and by UEFI only.", "Use a stick: the aim beside."
            )
        if self.esp == "shared" and startup_on(disk) is None:
            raise PlanError(
                f"Disk {disk.id} has no EFI system partition to share.", "Choose an EFI system partition of its own."
            )
        stage, *own = self.needs(found)
        wanted = self.size_bytes or min(comfortable(tuple(own)), possible(disk) - stage.floor)
        place = fit(disk, align_up(max(wanted, MIB), MIB) + stage.floor)
        at = place.start + place.size - stage.floor
        given = (*taken, *found.calls())
        staged = make(disk, Fit(at, stage.floor), ((stage, stage.floor),), f"{seed}/stage", given)
        files = _files(kind)
        entry = _entry(found, disk, staged, kind)
        steps: list[Step] = [*self.chosen(assured(found, "image")), *suspended(found), *self.off_before(found)]
        steps += [*woken(found, [place.giver] if place.giver else []), *_shrunk(place.giver, _ends_before(place.giver, at))]
        steps += [*staged.steps, Stage(staged.calls["stage"], self.contents, kind.title, files), AddEntry(entry, by="person")]
        steps += _shrunk(place.giver, place.giver_bytes)
        hide, show = hidden(found) if self.esp == "own" else ([], [])
        now = fold(found, tuple(steps)).planned
        site = Site(now, disk.id, Fit(place.start, at - place.start), seed, (*given, *staged.calls.values()))
        work = built(
            site, kind, self._layout(found), tuple(own), divide(tuple(own), at - place.start), fallback=self.esp == "own"
        )
        steps += [Confirm("from_staging"), *hide, *work.making, Confirm("summary"), work.install, *show, *work.entering]
        steps += [RemoveEntry(entry.number), *self.on_again(found), Prove(work.install.call, "new"), *proved(found)]
        steps += self._given_back(found, tuple(steps), staged, work.new) if self.staging == "yes" else []
        steps += [*resumed(found), *([Confirm("clock")] if clocks_differ(found, (kind.family,)) else []), Confirm("tidy")]
        return identified(tuple(steps), self.id)

    def _given_back(self, found: Machine, before: tuple[Step, ...], staged: New, new: New) -> list[Step]:
        gone = Delete(staged.calls["stage"])
        after = fold(found, (*before, gone))
        last, root = new.create[-1], self._system_needs(found)[-1]
        if after.fault or lock_key(root) in dict(self.sizes):
            return [gone]  # what cannot be is said of the whole plan; a locked size takes no room that comes free
        left = after.planned.disk(self.disk)
        gap = Gap(last.start + last.size, staged.create[0].start + staged.create[0].size - last.start - last.size)
        return [gone, *growing.grown(left, last.call, gap), Prove(new.calls["root"], "new")]


def _shrunk(giver: Volume | None, to_bytes: int) -> list[Step]:
    """The giver becomes that small, and is looked at; nothing where it is so small already."""
    if giver is None or to_bytes >= giver.size:
        return []
    return [Shrink(giver.call, to_bytes), *([Prove(giver.call, "after shrinking")] if giver.holds else [])]


def _ends_before(giver: Volume | None, start: int) -> int:
    """The size at which a volume ends before a place, in a box that takes whole MiB."""
    return giver.size - align_up(max(0, giver.end - start), MIB) if giver else 0


def _files(kind: Profile) -> tuple[BootFile, ...]:
    fallback = exact("paths", "fallback_x64")
    folder = fallback.rsplit("\\", 1)[0]
    return (
        BootFile(fallback, "loader", LOADER_BYTES["first-stage"], kind.signed),
        BootFile(f"{folder}\\{exact('paths', 'menu_x64')}", "menu", LOADER_BYTES["menu"], kind.signed),
        BootFile(f"{folder}\\{exact('paths', 'menu_config')}", "menu-config", LOADER_BYTES["menu-config"], None),
    )


def _entry(found: Machine, disk: Disk, staged: New, kind: Profile) -> BootEntry:
    """Last in the order, so that nothing starts it by itself."""
    used = {one.number for one in found.firmware.entries}
    made = staged.create[0]
    number = next(one for one in range(0x10000) if one not in used)
    return entry_on(disk, made, number, f"Installer of {kind.title}", exact("paths", "fallback_x64"))
