"""A job's machine started under real firmware: what was predicted beside what was seen, station by station."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import partial
from pathlib import Path

from inkshelf.atomic import write_atomically
from inkshelf.bench import emulator, real_menu, signing
from inkshelf.bench.emulator import Bus, Seen
from inkshelf.bench.folder import Bench
from inkshelf.bench.image import ImageFile
from inkshelf.bench.journal import NAME, Journal
from inkshelf.bench.kinds import fat
from inkshelf.bench.programs import WAITS, begun, words_of_sector
from inkshelf.core.boot import legacy
from inkshelf.core.boot.entries import variables_of
from inkshelf.core.boot.firmware import Start, start
from inkshelf.core.boot.mishaps import (
    ForgotEntries,
    LostFirstEntry,
    Mishap,
    SwappedDisks,
    SwitchedMode,
    SwitchedSecureBoot,
    TookDiskOut,
    WentElsewhere,
)
from inkshelf.core.checks import findings
from inkshelf.core.disk.entry_files import values
from inkshelf.core.disk.menus import leads_of
from inkshelf.core.disk.source import Slice
from inkshelf.core.errors import BenchError, FormatError
from inkshelf.core.machine.roles import uuids_of
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.plan.job import Job, Override
from inkshelf.core.plan.reading import read
from inkshelf.core.value import Value, replace
from inkshelf.data import exact

PARTITION = re.compile(r"HD\(\d+,(?:GPT|MBR),([0-9A-Fa-fx-]+),[^)]*\)/(\\.*)$")


class Watched(Value, frozen=True):
    """A start, predicted and seen. ``differs``: where they part, in words (empty: nowhere); ``notes``: what was other than on the machine."""

    predicted: Start
    seen: Seen
    differs: str
    notes: tuple[str, ...]


Hear = Callable[[Seen], bool]
Look = Callable[[list[tuple[Path, Bus]], dict[str, bytes], float, Hear], Seen]
SHOWN = (SwitchedSecureBoot, LostFirstEntry, ForgotEntries, TookDiskOut, SwitchedMode, SwappedDisks, WentElsewhere)
"""What may happen to a machine without a file, or a whole disk, being written."""


def why_not(job: Job, folder: Path) -> str:
    """Return why a job cannot be watched (empty: it can): nothing to start with, or not inked as it is now."""
    if emulator.missing():
        return f"real firmware is not installed here: {emulator.missing()}"
    if read(job).plan.planned.firmware.mode is None:
        return "how the firmware starts is not known yet"
    if not job.steps or not (folder / NAME).is_file():
        return "ink the plan first: its disks are started"
    try:
        begun = Journal(folder)
        if begun.unfinished():
            return "it is being inked, or inking was cut: wait for it, or go on with it"
        same = begun.load().steps == job.steps
    except BenchError as error:
        return error.what
    return "" if same else "the plan has changed since it was inked: ink it again"


def upto(job: Job, step: int) -> Job:
    """Return a job with its first steps only, and every stop answered for: what is inked of it is looked at and thrown away.

    Raises ``BenchError`` for a step that the plan does not have.
    """
    if not 0 < step <= len(job.steps):
        raise BenchError(
            f"There is no step {step} to ink up to.", f"It has {len(job.steps)}; as found, the machine itself starts."
        )
    cut = replace(job, steps=job.steps[:step], by_hand=())
    stops = [one for one in findings(read(cut)) if one.severity == "stop" and not one.final]
    told = tuple(Override(one.key, "inked to be looked at only") for one in stops)
    return replace(cut, overrides=(*cut.overrides, *told))


def watch(
    job: Job,
    folder: Path,
    mishap: Mishap | None = None,
    hear: Hear = lambda _: True,
    look: Look | None = None,
    *,
    picture: bool = False,
) -> Watched:
    """Start throw-away copies of a job's inked disks after a mishap, and compare; ``hear`` is told what is seen, and breaks off with a no.

    ``picture``: what the screen shows at the end is kept with what was seen. Raises ``BenchError`` where they are not inked, or not to be started so.
    """
    lacks = why_not(job, folder)
    if lacks:
        raise BenchError(f"This start cannot be watched: {lacks}.", "Then watch it.")
    if mishap and not all(isinstance(one, SHOWN) for one in mishap.parts):
        raise BenchError(f"“{mishap.title}” writes files or disks, which is rehearsed only.", "Choose another mishap.")
    planned = read(job).plan.planned
    after = mishap.befall(planned) if mishap else planned
    bench = Bench(folder)
    if after.firmware.mode == "legacy":
        return _legacy(after, bench, hear, picture=picture)
    machine, notes = _as_emulated(after)
    disks = [(bench.image(disk.id), _bus(disk)) for disk in machine.disks]
    lacking = next((path for path, _ in disks if not path.exists()), None)
    if lacking is not None:
        raise BenchError(f"{lacking} is not there: this job is not inked there.", "Ink it first, then watch it start.")
    try:
        variables = variables_of(machine.firmware)
    except FormatError as error:
        raise BenchError(f"{error.what}", "Capture the entries again: efibootmgr -v.") from None
    predicted, seen = start(machine), (look or _started(machine, picture=picture))(disks, variables, emulator.LONGEST, hear)
    stood = begun(seen.said)
    real = "" if stood else real_menu.begun(seen.console)
    began = stood or real
    parted = differs(predicted, seen, machine) or (_menu_differs(predicted, began, machine, disks) if began else "")
    parted = parted or _waiting(predicted, seen)
    told = (f"a real menu in the place of its stand-in began “{real}”",) if real else ()
    return Watched(predicted, seen, parted, (*notes, *told))


def _menu_differs(predicted: Start, began: str, machine: Machine, disks: list[tuple[Path, Bus]]) -> str:
    """Return where a real menu and the prediction part: what it began leads to another system than the one that was predicted."""
    if predicted.ends not in {"system", "menu"}:
        return ""
    letters = {disk.id: path for disk, (path, _) in zip(machine.disks, disks, strict=True)}
    leads = {one.lower() for one in _leads(machine, letters, began)}
    nt = exact("paths", "nt_loader").lower() in leads
    led = {
        one.call
        for _, one in machine.volumes()
        if one.holds and (leads & {two.lower() for two in uuids_of(one)} or (nt and one.holds.family == "nt"))
    }
    if predicted.system:
        return "" if predicted.system in led else f"predicted that the menu starts {predicted.system}, seen “{began}”"
    return f"predicted that the menu waits for a person, seen “{began}”" if led else ""


def _waiting(predicted: Start, seen: Seen) -> str:
    """Return where a stand-in waits for a person although a system was predicted to start by itself (empty: nowhere)."""
    why = next((one for one in seen.said if one.endswith(WAITS)), "")
    return f"predicted that {predicted.system} starts, seen “{why}”" if why and predicted.ends == "system" else ""


def _leads(machine: Machine, images: dict[str, Path], title: str) -> tuple[str, ...]:
    """What the entry of a title leads to, in whatever configuration on the disks has one of that title."""
    for disk, volume in machine.volumes():
        for file in volume.boot_files:
            if file.kind in {"menu-config", "entry"} and disk.id in images:
                with ImageFile(images[disk.id]) as source:
                    raw = fat.read(Slice(source, volume.start, volume.size), file.path.replace("\\", "/")) or b""
                titled = file.kind == "entry" and values(raw).get("title") == title
                found = file.targets if titled else leads_of(raw, title)
                if found:
                    return found
    return ()


def keep_picture(folder: Path, mishap: Mishap, watched: Watched) -> Path | None:
    """Keep the picture of a start's screen in the job's bench folder; ``None`` where there is none."""
    if not watched.seen.picture:
        return None
    kept = folder / f"start-{mishap.key.replace(':', '-')}.png"
    write_atomically(kept, watched.seen.picture)
    return kept


def _started(machine: Machine, *, picture: bool) -> Look:
    """Real firmware; with Secure Boot on, what it would trust is signed on the copies first, else menus are real ones where they can be."""
    secure = machine.firmware.secure_boot == "on"
    letters = [disk.id for disk in machine.disks]

    def prepare(copies: list[Path]) -> None:
        if secure:
            signing.sign_copies(machine, dict(zip(letters, copies, strict=True)))
        elif not real_menu.missing():
            real_menu.put_on_copies(machine, dict(zip(letters, copies, strict=True)))

    return partial(emulator.watch, secure=secure, prepare=prepare, picture=picture)


def _legacy(machine: Machine, bench: Bench, hear: Hear, *, picture: bool) -> Watched:
    """The legacy way: whose code in a first sector speaks."""
    disks = [(bench.image(disk.id), _bus(disk)) for disk in machine.disks]
    predicted, seen = start(machine), emulator.watch_legacy(disks, hear=hear, picture=picture)
    sectors = {disk.id: words_of_sector(_first(bench.image(disk.id))) for disk in machine.disks}
    wanted = sectors.get(predicted.started[0], "") if predicted.started else ""
    spoke = next((one for one in seen.said if one in sectors.values()), "")
    if predicted.started and not wanted:
        why = f"the code of disk {predicted.started[0]} is no stand-in: what it does is not seen"
        return Watched(predicted, seen, "" if not spoke else f"predicted disk {predicted.started[0]}, seen “{spoke}”", (why,))
    parted = "" if spoke == wanted else f"predicted “{wanted or 'nothing'}”, seen “{spoke or 'nothing'}”"
    parted = parted or _waiting_legacy(machine, predicted, seen)
    return Watched(predicted, seen, parted, ())


def _waiting_legacy(machine: Machine, predicted: Start, seen: Seen) -> str:
    """Return where a first sector's code found nothing to go on with although a system was predicted to start by it (empty: nowhere)."""
    why = next((one for one in seen.said if one.endswith(WAITS)), "")
    disk = machine.disk(predicted.started[0]) if predicted.started else None
    told = [one.call for one in disk.volumes if one.holds and legacy.starts(machine, disk, one)[0]] if disk else []
    return f"predicted that {', '.join(told)} can start, seen “{why}”" if why and told else ""


def _first(path: Path) -> bytes:
    with path.open("rb") as image:
        return image.read(512)


def _bus(disk: Disk) -> Bus:
    """Fixed disks on one controller, so that the firmware meets them in the order that the machine has them in."""
    return "usb" if disk.removable else "virtio"


def _as_emulated(machine: Machine) -> tuple[Machine, tuple[str, ...]]:
    """The machine as the emulator has it, and what is other there."""
    firmware, notes = machine.firmware, list[str]()
    lacking = signing.missing() or (emulator.PACKAGES if emulator.no_secure_boot() else "")
    if firmware.secure_boot == "on" and lacking:
        notes.append(f"Secure Boot is off there: to sign stand-ins, install {lacking}")
        firmware = replace(firmware, secure_boot="off")
    elif firmware.secure_boot == "on":
        notes.append("Secure Boot is on there, with a test key: what this machine trusts is signed with it on the copies")
    own = machine.conditions
    if own.known_paths_only or own.no_fixed_fallback or own.nt_first_again or own.type_insisted:
        notes.append("what this board is known to do otherwise is not so there")
        plain = replace(own, known_paths_only=None, no_fixed_fallback=None, nt_first_again=None, type_insisted=None)
        machine = replace(machine, conditions=plain)
    kept = tuple(one for one in firmware.entries if one.leads in {"partition", "file"} and not one.automatic)
    gone = [one.variable for one in firmware.entries if one not in kept]
    if gone:
        notes.append(f"left out: {', '.join(gone)}, which mean this machine's own devices")
    numbers = {one.number for one in kept}
    order = tuple(one for one in firmware.order if one in numbers)
    following = firmware.next if firmware.next in numbers else None
    return replace(machine, firmware=replace(firmware, entries=kept, order=order, next=following)), tuple(notes)


def differs(predicted: Start, seen: Seen, machine: Machine) -> str:
    """Return where prediction and firmware part (empty: nowhere)."""
    results = {one.variable: one.result for one in seen.tried}
    for one in predicted.tried:
        if not one.variable or one.variable not in results:
            continue
        if one.result == "skipped" or results[one.variable] != one.result:
            return f"{one.variable}: predicted {one.result}, seen {results[one.variable]}"
    ran = next((one for one in seen.tried if one.result == "started"), None)
    if predicted.started is None:
        return "" if ran is None or not seen.ended else f"predicted that nothing starts, seen {ran.variable} “{ran.title}”"
    last = predicted.tried[-1]
    if ran is None:
        return f"predicted {last.variable or last.title}, seen nothing that started"
    if last.variable and ran.variable != last.variable:
        return f"predicted {last.variable}, seen {ran.variable} “{ran.title}”"
    place = PARTITION.search(ran.path)
    volume = machine.find(last.volume)
    if place and volume and volume[1].guid and volume[1].guid.lower() != place.group(1).lower():
        return f"predicted {last.volume}, seen another partition: {ran.path}"
    return ""
