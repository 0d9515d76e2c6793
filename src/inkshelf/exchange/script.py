"""The partition steps of one disk as a shell script that a person reads first: every line belongs to the disk it was planned for."""

from __future__ import annotations

import re
import shlex
from collections.abc import Iterator

from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.plan.reading import Reading
from inkshelf.core.sheet.scene import Scene, scenes
from inkshelf.core.sheet.telling import Words, words
from inkshelf.core.size import binary, both
from inkshelf.core.steps.kinds import Create, Format, Install, Prove, Shrink, Step
from inkshelf.core.texts import shown
from inkshelf.core.value import Value, replace
from inkshelf.exchange.render import environment


class Line(Value, frozen=True):
    """One step of the script: its number on the sheet, what is done in words, the commands. ``later``: only once a system is installed."""

    number: int
    title: str
    commands: tuple[str, ...]
    later: bool = False


def script(reading: Reading, disk_id: str = "") -> str:
    """Return the script of one disk (of the only one with such steps, where none is named); raises ``PlanError`` where there is none."""
    steps = list(scenes(reading, _node))
    disk = _disk(reading, steps, disk_id.upper())
    own = [(number, step, scene) for number, step, scene in steps if disk.id in _disks(step, scene)]
    lines = list(_lines(steps, disk.id))
    if own and not any(line.commands and not line.later for line in lines):
        raise PlanError(
            f"Nothing on disk {disk.id} is for a script: its own systems, an installer or a person do it.", "Work by the sheet."
        )
    if not any(line.commands and not line.later for line in lines):
        raise PlanError("There are no partition steps to write down.", "Choose an aim, or create a volume, first.")
    first = next(line.number for line in lines if line.commands)
    by_hand = [
        (number, f"step {number}: {shown(words(step, scene).title)}") for number, step, scene in own if _by_hand(step, scene)
    ]
    return (
        environment()
        .get_template("partitions.sh.j2")
        .render(
            title=shown(reading.job.title or "Ink Shelf"),
            disk=replace(disk, model=shown(disk.model), serial=shown(disk.serial)),
            label_id=_label_id(disk),
            expected=list(_expected(disk, own)),
            rows=len(disk.volumes) + (disk.table.extended is not None),
            makes=_makes(own),
            gives_up=[one for one in reading.ledger.lost if _holds(disk, one)],
            keeps=[volume.call for volume in disk.volumes if volume.call not in reading.ledger.lost],
            tools=_tools(lines),
            before=[title for number, title in by_hand if number < first],
            after=[title for number, title in by_hand if number > first],
            lines=lines,
            both=both,
        )
    )


TOOL = re.compile(
    r"(?:^|[|&;] *|\$\()(mk[a-z0-9.]+|resize2fs|e2fsck|tune2fs|e2label|fatlabel|exfatlabel|swaplabel|ntfs\w+|dd|wipefs|pv\w+|vg\w+|lv\w+"
    r"|cryptsetup|btrfs\w*|xfs_\w+|dump\.\w+|fsck\.\w+)\b"
)


def _tools(lines: list[Line]) -> list[str]:
    """What the commands of a script call, beside the shell's own and what every live system has."""
    found = {tool for line in lines if not line.later for command in line.commands for tool in TOOL.findall(command)}
    return sorted(found - {"mktemp", "mkdir"})


def _label_id(disk: Disk) -> str:
    """The table's own identity, as the partitioning utility prints it; empty where there is no table."""
    table = disk.table
    return table.guid if table.kind == "gpt" else f"0x{table.signature}" if table.kind == "mbr" and table.signature else ""


def _by_hand(step: Step, scene: Scene) -> bool:
    """What a person does to the disk themselves, in the order of the sheet: a script leaves it to them."""
    return step.actor != "bench" or _by_installer(step) or _by_its_own_system(step, scene)


def _by_installer(step: Step) -> bool:
    """What an installer divides and formats by itself."""
    return isinstance(step, Shrink | Create | Format) and bool(step.by)


def _node(disk: Disk, number: int | None) -> str:  # noqa: ARG001 - one signature with the sheet's
    return '"$DISK"' if number is None else f'"$(part {number})"'


def _holds(disk: Disk, call: str) -> bool:
    return any(volume.call == call for volume in disk.volumes)


def _disks(step: Step, scene: Scene) -> set[str]:
    """The disks that a step writes: those of its volumes, or the one it names."""
    named = {str(getattr(step, "disk", ""))} - {""}
    calls = {*step.inside(), *(str(getattr(step, name)) for name in ("call",) if getattr(step, name, ""))}
    return named | {place[0].id for call in calls if (place := scene.at(call))} if step.writes in {"table", "inside"} else set()


def _disk(reading: Reading, steps: list[tuple[int, Step, Scene]], disk_id: str) -> Disk:
    there = [disk.id for disk in reading.plan.found.disks]
    before = [(step, scene) for _, step, scene in steps if not isinstance(step, Install) and step.actor == "bench"]
    with_steps = sorted({one for step, scene in before for one in _disks(step, scene)})
    if disk_id and disk_id not in there:
        raise PlanError(f"There is no disk {disk_id} in this job.", f"Choose one of: {', '.join(there)}.")
    if not with_steps or (disk_id and disk_id not in with_steps):
        raise PlanError("There are no partition steps to write down.", "Choose an aim, or create a volume, first.")
    if not disk_id and len(with_steps) > 1:
        raise PlanError(
            f"This plan has steps on the disks {', '.join(with_steps)}: each has a script of its own.",
            f"Name one: --disk {with_steps[0]}.",
        )
    return reading.plan.found.disk(disk_id or with_steps[0])


def _by_its_own_system(step: Step, scene: Scene) -> bool:
    """A shrink that a person does before, in the system that owns the volume: the script looks whether it was done."""
    return isinstance(step, Shrink) and not words(step, scene).scripted


def _lines(steps: list[tuple[int, Step, Scene]], disk: str) -> Iterator[Line]:
    """Bench steps of one disk. Once the script has begun, what comes behind something that a person does or looks at waits for it."""
    later = begun = False
    for number, step, scene in steps:
        if step.actor != "bench" or _by_installer(step):
            later = later or (begun and (step.writes != "none" or isinstance(step, Prove)))
            continue
        if disk not in _disks(step, scene):
            continue
        said = words(step, scene)
        if _by_its_own_system(step, scene):
            if begun:
                raise PlanError(
                    _refusal(number, said, "it is done in the system that owns the volume, in the middle"), "Work by the sheet."
                )
            continue
        if not said.scripted or not said.commands:
            raise PlanError(_refusal(number, said, "a script does not do that"), "Work by the sheet.")
        begun = True
        yield Line(number, shown(said.title), said.commands, later)


def _refusal(number: int, said: Words, why: str) -> str:
    return f"Step {number} of this disk, “{said.title}”, is not for a script: {why}."


def _expected(disk: Disk, own: list[tuple[int, Step, Scene]]) -> Iterator[dict[str, object]]:
    """Where every volume that was there must be when the script begins."""
    after = {step.call: step.to_bytes for _, step, scene in own if isinstance(step, Shrink) and _by_its_own_system(step, scene)}
    for volume in disk.volumes:
        size = after.get(volume.call, volume.size)
        yield {
            "call": volume.call,
            "words": shlex.quote(_named(volume)),
            "start": volume.start // disk.sector,
            "sectors": size // disk.sector,
            "guid": shlex.quote(volume.guid.upper()) if disk.table.kind == "gpt" else "",
            "number": volume.number,
        }


def _named(volume: Volume) -> str:
    label = shown(volume.filesystem.label if volume.filesystem and volume.filesystem.label else volume.name)
    return f"{volume.call} (partition {volume.number}{', ' + label if label else ''})"


def _makes(own: list[tuple[int, Step, Scene]]) -> list[str]:
    return [f"{step.call} ({binary(step.size)})" for _, step, _ in own if isinstance(step, Create)]
