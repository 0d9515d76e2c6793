"""Plain lines for a terminal."""

from __future__ import annotations

from inkshelf.core.checks.registry import Finding
from inkshelf.core.disk.filesystems import title
from inkshelf.core.disk.types import type_name
from inkshelf.core.machine.roles import flag_words
from inkshelf.core.machine.state import Disk
from inkshelf.core.plan.reading import Reading
from inkshelf.core.size import binary, both, grouped
from inkshelf.core.texts import shown

TABLES = {"gpt": "GPT", "mbr": "MBR", "none": "no table"}
SIGNS = {"stop": "STOP", "warn": "warn", "note": "note"}


def disk_lines(disk: Disk) -> list[str]:
    """Return a disk as lines: who it is, its volumes in order of their place, its gaps."""
    lines = [
        f"Disk {disk.id}  {both(disk.size)}  {TABLES[disk.table.kind]}, {disk.sector}-byte sectors  {disk.model or 'model not known'}  serial {disk.serial or 'not known'}"
    ]
    rows = [(volume.start, _volume_line(volume)) for volume in disk.volumes]
    rows += [(gap.start, f"  --        {binary(gap.size):>11}  free") for gap in disk.gaps()]
    return lines + [line for _, line in sorted(rows)]


def _volume_line(volume: object) -> str:
    from inkshelf.core.machine.state import Volume

    assert isinstance(volume, Volume)  # noqa: S101
    system = volume.filesystem
    used = "" if volume.used is None else f", {binary(volume.used)} used"
    label = f" “{system.label}”" if system and system.label else ""
    what = f"{title(system.kind)}{label}{used}" if system else "no file system"
    flags = f"  [{', '.join(flag_words(volume))}]" if flag_words(volume) else ""
    holds = f"  holds {volume.holds.title}" if volume.holds else ""
    inside = (
        f" ({', '.join(f'{one.name} {binary(one.size_bytes)}' for one in system.inside)})" if system and system.inside else ""
    )
    kind = f"{type_name(volume.type_id)}: " if volume.type_id else ""
    told = f"  (told: {', '.join(one.fact for one in volume.told)})" if volume.told else ""
    inside += "".join(
        f" + {one.call or 'file'} {shown(one.path)} {binary(one.size_bytes)}{' (' + one.fault + ')' if one.fault else ''}"
        for one in volume.disk_files
    )
    return f"  {volume.call:4} #{volume.number:<3} {binary(volume.size):>11}  {kind}{what}{inside}{holds}{flags}{told}"


def finding_lines(found: tuple[Finding, ...]) -> list[str]:
    """Return findings as lines, each with its remedies."""
    lines = []
    for one in found:
        remedies = f"  [{' | '.join(remedy.title for remedy in one.remedies)}]" if one.remedies else ""
        lines.append(
            f"{SIGNS[one.severity]}  {', '.join(one.calls) + ': ' if one.calls else ''}{one.title}. {one.why}{remedies}"
        )
    return lines


def plan_lines(reading: Reading, found: tuple[Finding, ...]) -> list[str]:
    """Return a whole plan as lines."""
    lines = ["as found"] + [line for disk in reading.plan.found.disks for line in disk_lines(disk)]
    lines += ["", "as planned"] + [line for disk in reading.plan.planned.disks for line in disk_lines(disk)]
    for one in reading.ledger.shrinks:
        lines += [
            "",
            f"Step {one.step}: shrink {one.call} from {both(one.from_bytes)} to {both(one.to_bytes)}: type {one.type_mib} into the box (it takes MiB)",
        ]
    lines.append("")
    for number, line in enumerate(_step_lines(reading), 1):
        if number == reading.no_return:
            lines.append("---- point of no return ----")
        lines.append(line)
    ledger = reading.ledger
    lines += [
        "",
        (
            f"kept {grouped(ledger.kept_bytes)} B, moved {grouped(ledger.moved_bytes)} B, erased {grouped(ledger.erased_bytes)} B, new {grouped(ledger.new_bytes)} B, "
            f"lost {', '.join(ledger.lost) or 'nothing'}"
        ),
        "",
    ]
    return lines + finding_lines(found)


def _step_lines(reading: Reading) -> list[str]:
    from inkshelf.core.sheet.scene import scenes  # late: a disk alone has no steps
    from inkshelf.core.sheet.telling import words

    return [f"{number:3}  {words(step, scene).title}" for number, step, scene in scenes(reading)]


def change_lines(old: Reading, new: Reading) -> list[str]:
    """Return the steps that a change added or took back, and what it gives up that was kept before."""
    was, now = _step_lines(old), _step_lines(new)
    lines = now[len(was) :] if now[: len(was)] == was else [f"taken back: {one.strip()}" for one in was[len(now) :]]
    for call in new.ledger.lost:
        place = new.plan.found.find(call)
        if call not in old.ledger.lost and place:
            lines.append(f"This gives up what is on disk {place[0].id} ({_who(place[0])}) in {call}:")
            lines.append(f"{_volume_line(place[1])}")
            lines.append("The command undo takes the step back.")
    return lines


def _who(disk: Disk) -> str:
    return f"{both(disk.size)}, {disk.model or 'model not known'}, serial {disk.serial or 'not known'}"
