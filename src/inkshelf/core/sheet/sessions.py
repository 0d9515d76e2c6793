"""Where each step is done, and when the machine is started anew for it: what can be done in one start is done in one.

A step that can be done wherever the work stands waits for no restart; settings of the firmware are changed on the way to the next
start; an installation ends in its system, which is looked at in that very start. A kind that nobody said the place of is refused.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import singledispatch

from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.machine.profiles import profile
from inkshelf.core.machine.state import Machine, Volume
from inkshelf.core.plan.reading import Reading
from inkshelf.core.sheet.scene import Scene, scenes
from inkshelf.core.sheet.telling.firmware import of_staging
from inkshelf.core.sheet.telling.partitions import by_owner
from inkshelf.core.steps.kinds import (
    AddEntry,
    ApplyEdition,
    Confirm,
    ConvertTable,
    CopyFiles,
    Create,
    Delete,
    Eject,
    Enclose,
    EnterSystem,
    FillContainer,
    FillGroup,
    ForgetInBootData,
    ForgetNext,
    Format,
    GetImage,
    Grow,
    Install,
    KeepFile,
    Label,
    LeaveSystem,
    LetMissing,
    MakeDiskFile,
    MakeLogical,
    MakeMenu,
    Mount,
    Move,
    NameInBootData,
    NewTable,
    Prepare,
    Prove,
    PutImage,
    PutKernel,
    PutLoader,
    Regenerate,
    RemoveDiskFile,
    RemoveEntry,
    RemoveFiles,
    RenameEntry,
    Renew,
    RepairTable,
    Retype,
    SetMode,
    SetOrder,
    SetSecureBoot,
    SetSetting,
    SetTimeout,
    Shrink,
    Stage,
    Step,
    SwitchEntry,
    TakeOff,
    TellApart,
    TryStart,
    TypeIn,
    WriteImage,
    WriteStartCode,
)
from inkshelf.core.steps.making import WriteFile
from inkshelf.core.value import Value
from inkshelf.data import table

LIVE, FIRMWARE, OFF = "the live stick", "the firmware's settings", ""
RECOVERY = "the NT family's recovery, from its installer's stick"
AS_FOUND = "the machine as it was found"
LINUX = "a system of the Linux family"  # whichever runs, the live one too
CONFIRMED = {
    "live_start": LIVE,
    "live_check": LIVE,
    "summary": LIVE,
    "firmware_values": FIRMWARE,
    "ports": FIRMWARE,
    "disk_first": FIRMWARE,
    "boot_files_anew": RECOVERY,
}
AGAIN = {"disk_out", "live_end", "from_staging"}  # the machine is started for it, wherever the work stands
ANYWHERE: tuple[str, ...] = ()


class Session(Value, frozen=True):
    """How a step's place is reached: ``start`` in words (empty: it goes on where the work stands), ``number`` of the start, from 1."""

    start: str = ""
    number: int = 0


@singledispatch
def places(step: object, scene: Scene) -> tuple[str, ...]:
    """Return where a step can be done: call numbers of running systems, ``LIVE``, ``LINUX``, ``FIRMWARE``; none: wherever the work stands."""
    raise TypeError(f"nobody said where {type(step).__name__} is done")


@places.register(ConvertTable)
@places.register(Delete)
@places.register(Enclose)
@places.register(EnterSystem)
@places.register(FillContainer)
@places.register(FillGroup)
@places.register(Grow)
@places.register(Install)
@places.register(Label)
@places.register(LeaveSystem)
@places.register(LetMissing)
@places.register(MakeLogical)
@places.register(Move)
@places.register(PutKernel)
@places.register(Renew)
@places.register(TypeIn)
def _live(step: Step, scene: Scene) -> tuple[str, ...]:
    return (LIVE,)


@places.register(CopyFiles)
@places.register(Eject)
@places.register(GetImage)
@places.register(KeepFile)
@places.register(MakeMenu)
@places.register(PutImage)
@places.register(TakeOff)
@places.register(TellApart)
@places.register(TryStart)
@places.register(WriteImage)
def _at_the_host(step: Step, scene: Scene) -> tuple[str, ...]:
    """A stick is made on whatever machine it is plugged in."""
    return ANYWHERE


@places.register(NewTable)
@places.register(RepairTable)
def _table(step: NewTable | RepairTable, scene: Scene) -> tuple[str, ...]:
    return ANYWHERE if scene.before.disk(step.disk).stick else (LIVE,)


@places.register
def _write_file(step: WriteFile, scene: Scene) -> tuple[str, ...]:
    place = scene.after.find(step.call)
    return ANYWHERE if place and place[0].stick else (LIVE,)


@places.register(ForgetNext)
@places.register(RemoveEntry)
@places.register(RemoveFiles)
@places.register(RenameEntry)
@places.register(Retype)
@places.register(SetTimeout)
@places.register(SwitchEntry)
def _linux(step: Step, scene: Scene) -> tuple[str, ...]:
    return (LIVE, LINUX)


@places.register
def _start_code(step: WriteStartCode, scene: Scene) -> tuple[str, ...]:
    """The NT family writes its own from its recovery."""
    return (RECOVERY,) if step.live and step.family == "nt" else (LIVE,) if step.live else (LIVE, LINUX)


@places.register
def _set_order(step: SetOrder, scene: Scene) -> tuple[str, ...]:
    """What an installer does by itself asks for no start."""
    return ANYWHERE if step.by == "installer" else (LIVE, LINUX)


@places.register
def _add_entry(step: AddEntry, scene: Scene) -> tuple[str, ...]:
    """An installer makes its own; without a stick the owner's system makes the one that starts the installer."""
    if step.by == "installer":
        return ANYWHERE
    return _nt_here(scene.before) if of_staging(step.entry, scene) else (LIVE, LINUX)


@places.register(SetMode)
@places.register(SetSecureBoot)
@places.register(SetSetting)
def _firmware(step: Step, scene: Scene) -> tuple[str, ...]:
    return (FIRMWARE,)


@places.register(Create)
@places.register(Format)
@places.register(Stage)
def _by_whom(step: Create | Format | Stage, scene: Scene) -> tuple[str, ...]:
    """Without a stick the owner's system makes the volume that the installer starts from."""
    place = scene.after.find(step.call)
    if place is not None and place[0].stick:
        return ANYWHERE
    medium = place is not None and place[1].role == "medium"
    return _nt_here(scene.before) if medium and by_owner(scene) else (LIVE,)


def _nt_here(machine: Machine) -> tuple[str, ...]:
    return tuple(one.call for _, one in machine.volumes() if one.holds and one.holds.family == "nt")


@places.register
def _shrink(step: Shrink, scene: Scene) -> tuple[str, ...]:
    place = scene.before.find(step.call)
    system = place[1].filesystem if place else None
    own = system is not None and KINDS[system.kind].own_shrink and not step.by
    return (_nt_here(scene.before) or (LIVE,)) if own else (LIVE,)


@places.register
def _prepare(step: Prepare, scene: Scene) -> tuple[str, ...]:
    place = scene.at(step.call)
    if step.what == "check_outside":
        return (RECOVERY,) if place and place[1].filesystem and place[1].filesystem.kind == "ntfs" else (LIVE,)
    return (step.call,) if place and place[1].holds else (LIVE,)


@places.register
def _confirm(step: Confirm, scene: Scene) -> tuple[str, ...]:
    if step.subject == "host_fit":
        return _nt_here(scene.before)
    found = CONFIRMED.get(step.subject)
    return (found,) if found else ANYWHERE


@places.register(Mount)
@places.register(Prove)
def _inside(step: Mount | Prove, scene: Scene) -> tuple[str, ...]:
    return (step.call,)


@places.register(PutLoader)
@places.register(Regenerate)
def _by_its_tools(step: PutLoader | Regenerate, scene: Scene) -> tuple[str, ...]:
    """A system that does not start is opened by a live one; the NT family has its own recovery for that."""
    place = scene.at(step.call)
    nt = place is not None and place[1].holds is not None and place[1].holds.family == "nt"
    return (step.call,) if not step.live else (RECOVERY,) if nt else (LIVE,)


@places.register
def _disk_file(step: MakeDiskFile, scene: Scene) -> tuple[str, ...]:
    return (step.call,)


@places.register(ApplyEdition)
@places.register(ForgetInBootData)
@places.register(NameInBootData)
@places.register(RemoveDiskFile)
def _hosted(step: ApplyEdition | ForgetInBootData | NameInBootData | RemoveDiskFile, scene: Scene) -> tuple[str, ...]:
    hosts = (one.call for _, one in scene.before.volumes() if any(file.call == step.call for file in one.disk_files))
    return tuple(hosts) or ANYWHERE


class _Work:
    """Where the work stands while the steps are gone through."""

    def __init__(self, machine: Machine) -> None:
        running = [volume for _, volume in machine.volumes() if volume.holds]
        self.place = self.first = min(running, key=lambda one: one.call).call if running else OFF
        self.own: Session | None = None  # an installer's last restart, which the next step is done in
        self.new = ""
        self.number = 0
        self.changed = self.down = False

    def reach(self, step: Step, scene: Scene) -> Session:
        """Go where a step can be done, and return how."""
        wanted = places(step, scene) or self._meant(step)
        proof = isinstance(step, Prove)
        fresh = proof and self.changed and step.when != "new"  # type: ignore[attr-defined]
        again = isinstance(step, Confirm) and step.subject in AGAIN
        stands = not fresh and not again and self._stands(wanted, scene.before)
        session = (self.own or Session()) if stands else self._start(wanted, step, scene)
        self.own = None
        self._after(step, scene)
        return session

    def _meant(self, step: Step) -> tuple[str, ...]:
        """Where a person looks: the new system with its disk in, the old one with it out."""
        if not isinstance(step, Confirm):
            return ANYWHERE
        where = {
            "target_in": self.new,
            "disk_out": self.first or AS_FOUND,
            "live_end": self.first or AS_FOUND,
            "from_staging": LIVE,
            "plain_graphics": self.first or AS_FOUND,
        }
        found = where.get(step.subject, "")
        return (found,) if found else ANYWHERE

    def _stands(self, wanted: tuple[str, ...], machine: Machine) -> bool:
        if not wanted:
            return True
        here = machine.system(self.place) if self.place else None
        linux = here is not None and here[1].holds is not None and here[1].holds.family == "linux"
        return self.place in wanted or (LINUX in wanted and linux)

    def _start(self, wanted: tuple[str, ...], step: Step, scene: Scene) -> Session:
        """Leaving the firmware's settings is a start anyway; a full shutdown is one too."""
        leaving = self.place == FIRMWARE
        staged = isinstance(step, Confirm) and step.subject == "from_staging"
        words = "the installer from the disk itself" if staged else named(wanted[0], scene)
        words += ", the external disk out" if isinstance(step, Confirm) and step.subject == "disk_out" else ""
        said = f"shut down fully, then start {words}" if self.down else f"start {words}"
        if wanted[0] == FIRMWARE:
            said = f"restart, into {words}"
        elif leaving:
            said = f"leave the settings, and {said}"
        self.number += not leaving
        self.place, self.changed, self.down = wanted[0], False, False
        return Session(said, self.number)

    def _after(self, step: Step, scene: Scene) -> None:
        self.changed = self.changed or step.writes in {"table", "inside"}
        if isinstance(step, Prepare) and step.what == "fast_startup_off":
            self.place, self.down = OFF, True
        if isinstance(step, Install) and step.typed:
            self.new = step.call
        elif isinstance(step, Install):
            self.number += profile(step.profile).restarts if step.profile in table("profiles") else 1
            self.place = self.new = step.call
            self.changed = False
            self.own = Session(f"the installer's own restart, into {step.title} ({step.call})", self.number)


def named(place: str, scene: Scene) -> str:
    """Return a place in words."""
    found = scene.at(place)
    volume: Volume | None = found[1] if found else None
    return f"{volume.holds.title} ({place})" if volume and volume.holds else place


def sessions(reading: Reading) -> Iterator[Session]:
    """Yield, for every step that the sheet has, how its place is reached."""
    work = _Work(reading.plan.found)
    for _, step, scene in scenes(reading):
        yield work.reach(step, scene)


def restarts(reading: Reading) -> int:
    """Return how often the machine is started anew, those of installers included."""
    work = _Work(reading.plan.found)
    for _, step, scene in scenes(reading):
        work.reach(step, scene)
    return work.number
