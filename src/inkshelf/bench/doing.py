"""How each kind of step is done on bench copies: one function a kind, and a kind that nobody said how to do is refused."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial, singledispatch
from pathlib import Path
from typing import Any

from inkshelf.bench import disk_files, formatting, grouping, installers, media, stand_ins
from inkshelf.bench.hands import Hands
from inkshelf.bench.image import ImageFile
from inkshelf.bench.kinds import fat, lvm, ntfs
from inkshelf.bench.mover import Mover
from inkshelf.bench.sparse import punch
from inkshelf.bench.tablewriter import wipe_table
from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.disk.source import Slice
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Disk, Machine, Volume
from inkshelf.core.size import MIB
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


@singledispatch
def do(step: Any, hands: Hands, before: Machine, after: Machine) -> None:
    """Do a step on the bench, from the machine before it to the one after it; raises ``BenchError`` for a kind that is not known."""
    raise BenchError(f"The bench does not know how to do “{type(step).__name__}”.", "Update Ink Shelf.")


@do.register(Confirm)
@do.register(Eject)
@do.register(EnterSystem)
@do.register(FillContainer)
@do.register(GetImage)
@do.register(LeaveSystem)
@do.register(Prove)
@do.register(SetSetting)
@do.register(TellApart)
@do.register(TryStart)
@do.register(TypeIn)
def _person(step: Step, hands: Hands, before: Machine, after: Machine) -> None:
    """What a person makes sure of leaves no bytes, and into a container without its key nothing can be put."""


@do.register
def _new_table(step: NewTable, hands: Hands, before: Machine, after: Machine) -> None:
    wipe_table(hands.fds[step.disk], before.disk(step.disk))
    hands.table(before, after, step.disk)


@do.register
def _repair_table(step: RepairTable, hands: Hands, before: Machine, after: Machine) -> None:
    hands.table(before, after, step.disk)


@do.register
def _enclose(step: Enclose, hands: Hands, before: Machine, after: Machine) -> None:
    hands.table(before, after, step.disk)


@do.register
def _create(step: Create, hands: Hands, before: Machine, after: Machine) -> None:
    """Marks of what stood there before are taken away, or the new volume would seem to hold it."""
    for place in (step.start, step.start + step.size - MIB):
        punch(hands.fds[step.disk], max(step.start, place), min(MIB, step.size))
    hands.table(before, after, step.disk)


@do.register
def _delete(step: Delete, hands: Hands, before: Machine, after: Machine) -> None:
    hands.table(before, after, hands.volume(before, step.call)[0].id)


@do.register
def _retype(step: Retype, hands: Hands, before: Machine, after: Machine) -> None:
    hands.table(before, after, hands.volume(after, step.call)[0].id)


@do.register
def _shrink(step: Shrink, hands: Hands, before: Machine, after: Machine) -> None:
    disk, volume, fd = hands.volume(before, step.call)
    hands.hand(volume, fd, lambda path: formatting.resize(path, volume, step.to_bytes), size=step.to_bytes)
    hands.table(before, after, disk.id)


@do.register
def _grow(step: Grow, hands: Hands, before: Machine, after: Machine) -> None:
    disk, volume, fd = hands.volume(after, step.call)
    hands.table(before, after, disk.id)
    hands.hand(volume, fd, lambda path: formatting.resize(path, volume, step.to_bytes))


@do.register
def _move(step: Move, hands: Hands, before: Machine, after: Machine) -> None:
    disk, volume, fd = hands.volume(before, step.call)
    mover = Mover(fd, hands.journal, hands.bench.folder, hands.carried)
    try:
        mover.move(volume.start, volume.size, step.start)
    finally:
        hands.written.image += mover.written
        hands.written.scratch += mover.scratch
    hands.write_hidden(fd, after, step.call)
    hands.table(before, after, disk.id)


@do.register
def _label(step: Label, hands: Hands, before: Machine, after: Machine) -> None:
    _, volume, fd = hands.volume(before, step.call)
    hands.hand(volume, fd, lambda path: formatting.label(path, volume, step.label))


@do.register
def _renew(step: Renew, hands: Hands, before: Machine, after: Machine) -> None:
    disk, volume, fd = hands.volume(before, step.call)
    if volume.filesystem:
        hands.hand(volume, fd, lambda path: formatting.renew(path, volume, step.uuid))
    hands.table(before, after, disk.id)


@do.register
def _make_logical(step: MakeLogical, hands: Hands, before: Machine, after: Machine) -> None:
    _, volume, fd = hands.volume(before, step.call)
    hands.hand(volume, fd, lambda path: lvm.add_logical(path, step.name, step.size))


@do.register
def _fill_group(step: FillGroup, hands: Hands, before: Machine, after: Machine) -> None:
    disk, volume, fd = hands.volume(before, step.call)
    hands.hand(volume, fd, lambda path: grouping.fill(path, disk, volume, step.holds))


@do.register
def _format(step: Format, hands: Hands, before: Machine, after: Machine) -> None:
    disk, volume, fd = hands.volume(before, step.call)
    hands.hand(volume, fd, lambda path: formatting.make(path, disk, volume, step), blank=True)


@do.register
def _write_file(step: WriteFile, hands: Hands, before: Machine, after: Machine) -> None:
    _, volume, fd = hands.volume(before, step.call)
    hands.hand(volume, fd, lambda path: formatting.put(path, volume, {step.path: step.contents}))


@do.register
def _prepare(step: Prepare, hands: Hands, before: Machine, after: Machine) -> None:
    disk, volume, fd = hands.volume(before, step.call)
    if step.what == "fast_startup_off" and volume.filesystem and volume.filesystem.hibernated:
        with ImageFile(hands.bench.image(disk.id)) as image:
            place = ntfs.hibernation_header(Slice(image, volume.start, volume.size))
        if place is not None:  # stand-in for a full shutdown of the owner's system: the header is blanked
            hands.written.put(fd, bytes(4096), volume.start + place)


@do.register
def _install(step: Install, hands: Hands, before: Machine, after: Machine) -> None:
    if step.code_on:
        _put_code(hands, after.disk(step.code_on), step.family, step.title)
    puts = [(call, put) for call, put in _parts(step) if call and not _locked(hands.volume(before, call)[1])]
    for part, (call, put) in enumerate(puts):
        _, volume, fd = hands.volume(before, call)
        hands.hand(volume, fd, grouping.rooted(volume, partial(put, step=step)), part, last=part == len(puts) - 1)


def _parts(step: Install) -> tuple[tuple[str, Callable[..., None]], ...]:
    return ((step.call, installers.put_root), (step.boot, installers.put_boot), (step.esp, installers.put_startup))


def _locked(volume: Volume) -> bool:
    """Nothing can be put into a container without its key: no stand-in lies there."""
    return bool(volume.filesystem and KINDS[volume.filesystem.kind].encrypted)


@do.register
def _regenerate(step: Regenerate, hands: Hands, before: Machine, after: Machine) -> None:
    if not step.files:
        return  # the menu lies on the system's own volume, where no stand-in of it is kept
    _, root, _ = hands.volume(before, step.call)
    _, volume, fd = hands.volume(before, step.esp)
    title = root.holds.title if root.holds else step.call
    hands.hand(volume, fd, lambda path: installers.put_menu(path, step, title, volume, _boot_volumes(before)))


def _boot_volumes(machine: Machine) -> frozenset[str]:
    """The file systems that hold kernels and no system: what a menu searches before it names the root."""
    return frozenset(
        one.filesystem.uuid.lower()
        for _, one in machine.volumes()
        if one.filesystem and one.role == "startup" and one.filesystem.kind == "ext4"
    )


@do.register
def _put_loader(step: PutLoader, hands: Hands, before: Machine, after: Machine) -> None:
    _, root, _ = hands.volume(before, step.call)
    _, volume, fd = hands.volume(before, step.esp)
    title = root.holds.title if root.holds else step.call
    hands.hand(volume, fd, lambda path: installers.put_loaders(path, volume, step.files, title))


@do.register
def _stage(step: Stage, hands: Hands, before: Machine, after: Machine) -> None:
    _, volume, fd = hands.volume(before, step.call)
    hands.hand(volume, fd, lambda path: installers.put_loaders(path, volume, step.files, step.title))


@do.register
def _write_image(step: WriteImage, hands: Hands, before: Machine, after: Machine) -> None:
    media.write_image(step, hands, before.disk(step.disk))


@do.register(CopyFiles)
@do.register(PutImage)
def _put_image(step: CopyFiles | PutImage, hands: Hands, before: Machine, after: Machine) -> None:
    media.put(step, hands, *hands.volume(before, step.call))


@do.register
def _keep_file(step: KeepFile, hands: Hands, before: Machine, after: Machine) -> None:
    media.keep_file(step, hands, *hands.volume(before, step.call))


@do.register
def _take_off(step: TakeOff, hands: Hands, before: Machine, after: Machine) -> None:
    media.take_off(step, hands, *hands.volume(before, step.call))


@do.register
def _make_menu(step: MakeMenu, hands: Hands, before: Machine, after: Machine) -> None:
    _, volume, fd = hands.volume(before, step.call)

    def work(path: Path) -> None:
        installers.put_loaders(path, volume, step.files, step.title)
        if step.path:
            fat.put(path, {step.path.replace("\\", "/"): step.contents})

    hands.hand(volume, fd, work)


@do.register
def _remove_files(step: RemoveFiles, hands: Hands, before: Machine, after: Machine) -> None:
    _, volume, fd = hands.volume(before, step.call)
    hands.hand(volume, fd, lambda path: fat.remove(path, step.paths))


@do.register
def _mount(step: Mount, hands: Hands, before: Machine, after: Machine) -> None:
    _, volume, fd = hands.volume(before, step.call)
    if not grouping.takes_files(volume):
        return  # on the sheet; the proof says that it was not put there
    _, other, _ = hands.volume(before, step.of)
    line = f"UUID={other.filesystem.uuid if other.filesystem else ''} {step.folder} {step.filesystem} {step.options} 0 0"
    hands.hand(volume, fd, grouping.rooted(volume, lambda path: installers.add_mount(path, line)))


@do.register
def _put_kernel(step: PutKernel, hands: Hands, before: Machine, after: Machine) -> None:
    _, volume, fd = hands.volume(before, step.call)
    if grouping.takes_files(volume):
        hands.hand(volume, fd, grouping.rooted(volume, installers.put_kernel))


@do.register
def _let_missing(step: LetMissing, hands: Hands, before: Machine, after: Machine) -> None:
    _, volume, fd = hands.volume(before, step.call)
    if grouping.takes_files(volume):
        hands.hand(volume, fd, grouping.rooted(volume, lambda path: installers.may_be_missing(path, step.folder)))


@do.register
def _start_code(step: WriteStartCode, hands: Hands, before: Machine, after: Machine) -> None:
    _put_code(hands, after.disk(step.disk), step.family, f"the {step.family} family")


def _put_code(hands: Hands, disk: Disk, family: str, words: str) -> None:
    """A first sector's code and, of the Linux family, its core."""
    core = disk.table.core_lba or 0
    if core:
        hands.written.put(hands.fds[disk.id], stand_ins.core(words), core * disk.sector)
    hands.written.put(hands.fds[disk.id], stand_ins.start_code(words, family, core), 0)


@do.register
def _convert(step: ConvertTable, hands: Hands, before: Machine, after: Machine) -> None:
    disk = before.disk(step.disk)
    if disk.table.kind == "gpt":  # its headers and entries would be read in the place of the MBR
        punch(hands.fds[step.disk], disk.sector, disk.table.first_usable * disk.sector - disk.sector)
        end = (disk.table.last_usable + 1) * disk.sector
        punch(hands.fds[step.disk], end, disk.size - end)
    hands.table(before, after, step.disk)


@do.register
def _disk_file(step: MakeDiskFile, hands: Hands, before: Machine, after: Machine) -> None:
    _hold(step.call, step.made, step.label, hands, before, after)


@do.register
def _edition(step: ApplyEdition, hands: Hands, before: Machine, after: Machine) -> None:
    _hold(step.host, step.call, "SECOND", hands, before, after)


def _hold(host: str, call: str, label: str, hands: Hands, before: Machine, after: Machine) -> None:
    """The file is made anew each time: with what it holds after the step."""
    _, volume, fd = hands.volume(before, host)
    _, later, _ = hands.volume(after, host)
    file = next(one for one in later.disk_files if one.call == call)
    hands.hand(volume, fd, lambda path: disk_files.put_disk_file(path, file, label))


@do.register(ForgetInBootData)
@do.register(NameInBootData)
def _boot_data(step: ForgetInBootData | NameInBootData, hands: Hands, before: Machine, after: Machine) -> None:
    if not step.esp:
        return  # the legacy way nobody here looks into it
    _, volume, fd = hands.volume(before, step.esp)
    hands.hand(volume, fd, lambda path: installers.put_loaders(path, volume, step.files, step.call))


@do.register
def _delete_disk_file(step: RemoveDiskFile, hands: Hands, before: Machine, after: Machine) -> None:
    _, volume, fd = hands.volume(before, step.host)
    hands.hand(volume, fd, lambda path: disk_files.delete_disk_file(path, step.path))


@do.register(AddEntry)
@do.register(ForgetNext)
@do.register(RemoveEntry)
@do.register(RenameEntry)
@do.register(SetMode)
@do.register(SetOrder)
@do.register(SetSecureBoot)
@do.register(SetTimeout)
@do.register(SwitchEntry)
def _firmware(step: Step, hands: Hands, before: Machine, after: Machine) -> None:
    hands.store.write(after.firmware)
