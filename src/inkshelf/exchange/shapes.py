"""The published shapes of ``--json`` output: exact integers in bytes, one document."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from msgspec import to_builtins

from inkshelf.core.boot.firmware import Start
from inkshelf.core.boot.rehearse import Outcome
from inkshelf.core.checks.registry import Finding
from inkshelf.core.disk.types import type_name
from inkshelf.core.machine.roles import flag_words
from inkshelf.core.machine.state import Disk, DiskFile, Inside, Machine, Volume
from inkshelf.core.plan.reading import Reading
from inkshelf.core.sheet.bounds import bounds
from inkshelf.core.sheet.media import StickPlan, media
from inkshelf.core.sheet.scene import scenes
from inkshelf.core.sheet.settings import Setting, settings
from inkshelf.core.sheet.telling import words
from inkshelf.core.steps.ledger import Ledger, Position

if TYPE_CHECKING:
    from inkshelf.exchange.images import Looked


def volume(one: Volume) -> dict[str, Any]:
    """Return a volume's shape."""
    system = one.filesystem
    return {
        "call": one.call,
        "number": one.number,
        "start_byte": one.start,
        "size_bytes": one.size,
        "type_id": one.type_id,
        "type_name": type_name(one.type_id) if one.type_id else "",
        "name": one.name,
        "guid": one.guid,
        "filesystem": system.kind if system else None,
        "label": system.label if system else "",
        "uuid": system.uuid if system else "",
        "used_bytes": one.used,
        "flags": flag_words(one),
        "role": one.role,
        "system": one.holds.title if one.holds else None,
        "told": {said.fact: said.value for said in one.told},
        "smallest_bytes": system.smallest_bytes if system else None,
        "smallest_why": system.smallest_why if system else "",
        "inside": [_inside(part) for part in (system.inside if system else ())],
        "disk_files": [_disk_file(file) for file in one.disk_files],
    }


def _inside(part: Inside) -> dict[str, Any]:
    return {
        "name": part.name,
        "size_bytes": part.size_bytes,
        "filesystem": part.kind or None,
        "label": part.label,
        "uuid": part.uuid,
        "used_bytes": part.used_bytes,
    }


def _disk_file(file: DiskFile) -> dict[str, Any]:
    return {
        "call": file.call or None,
        "path": file.path,
        "form": file.form,
        "size_bytes": file.size_bytes,
        "stored_bytes": file.stored_bytes,
        "table": file.table,
        "system": file.holds.title if file.holds else None,
        "fault": file.fault,
    }


def disk(one: Disk) -> dict[str, Any]:
    """Return a disk's shape."""
    return {
        "disk": one.id,
        "size_bytes": one.size,
        "logical_sector_bytes": one.sector,
        "table": one.table.kind,
        "guid": one.table.guid,
        "model": one.model,
        "serial": one.serial,
        "volumes": [volume(part) for part in one.volumes],
        "free": [{"start_byte": gap.start, "size_bytes": gap.size} for gap in one.gaps()],
    }


def finding(one: Finding) -> dict[str, Any]:
    """Return a finding's shape."""
    return {
        "key": one.key,
        "severity": one.severity,
        "title": one.title,
        "why": one.why,
        "calls": list(one.calls),
        "remedies": [remedy.title for remedy in one.remedies],
        "overridden": one.overridden,
    }


def machine(one: Machine) -> dict[str, Any]:
    """Return a machine's shape."""
    firmware = one.firmware
    return {
        "firmware": {
            "mode": firmware.mode,
            "keys": [to_builtins(one) for one in firmware.keys],
            "timeout": firmware.timeout,
            "secure_boot": firmware.secure_boot,
            "order": list(firmware.order),
            "entries": [
                {
                    "number": entry.number,
                    "title": entry.title,
                    "partition_number": entry.partition_number,
                    "partition_guid": entry.partition_guid,
                    "disk_signature": entry.signature,
                    "path": entry.path,
                }
                for entry in firmware.entries
            ],
        },
        "ram_bytes": one.ram_bytes,
        "disks": [disk(part) for part in one.disks],
    }


def totals(one: Ledger) -> dict[str, Any]:
    """Return the ledger's shape."""
    return {
        "kept_bytes": one.kept_bytes,
        "moved_bytes": one.moved_bytes,
        "erased_bytes": one.erased_bytes,
        "new_bytes": one.new_bytes,
        "lost": list(one.lost),
        "stretches": [
            {"disk": part.disk, "start_byte": part.start, "size_bytes": part.size, "fate": part.fate, "call": part.call}
            for part in one.stretches
        ],
    }


def position(one: Position) -> dict[str, Any]:
    """Return a position's shape."""
    return {
        "step": one.step,
        "call": one.call,
        "disk": one.disk,
        "start_byte": one.start,
        "size_bytes": one.size,
        "used_bytes": one.used,
    }


def plan(reading: Reading, found: tuple[Finding, ...]) -> dict[str, Any]:
    """Return the shape of a whole plan."""
    rows = []
    for number, step, scene in scenes(reading):
        said = words(step, scene)
        rows.append(
            {
                "number": number,
                "kind": step.kind,
                "call": getattr(step, "call", ""),
                "stage": said.stage,
                "title": said.title,
                "values": dict(said.values),
                "about": list(said.about),
                "commands": list(said.commands),
                "back": said.way_back,
                "back_commands": list(said.back_lines),
                "minutes": said.minutes,
                "id": step.id,
            }
        )
    shrinks = [
        {"call": one.call, "step": one.step, "from_bytes": one.from_bytes, "to_bytes": one.to_bytes, "type_mib": one.type_mib}
        for one in reading.ledger.shrinks
    ]
    return {
        "found": machine(reading.plan.found),
        "planned": machine(reading.plan.planned),
        "steps": rows,
        "point_of_no_return": reading.no_return,
        "findings": [finding(one) for one in found],
        "media": [stick_plan(one) for one in media(reading)],
        "settings": [_setting(one) for one in settings(reading)],
        "bounds": [to_builtins(one) for one in bounds(reading)],
        "ledger": totals(reading.ledger),
        "shrink": shrinks,
    }


def _setting(one: Setting) -> dict[str, Any]:
    return {
        "name": one.name,
        "found": one.found,
        "changes": [{"step": number, "to": value} for number, value in one.changes],
        "end": one.end,
        "put_back_at": one.back or None,
        "locks": [to_builtins(lock) for lock in one.locks],
        "recovery_key": one.key,
    }


def outcome(one: Outcome, after: Machine | None = None) -> dict[str, Any]:
    """Return an outcome's shape; ``after``: the machine that it speaks of, for the smallest repair where the system does not start."""
    return {
        "system": one.system,
        "mishap": one.mishap,
        "starts": one.starts,
        "by_hand": one.by_hand,
        "known": one.sure,
        "verdict": one.verdict,
        "path": list(one.path),
        "why": one.why,
        **({"repair": _repair(one, after)} if after is not None else {}),
    }


def _repair(one: Outcome, after: Machine) -> dict[str, Any] | None:
    """What would mend it then: a cause, and the steps of its repair."""
    from inkshelf.core.mending.narrowing import smallest

    found = smallest(after, one.system) if after.system(one.system) else None
    return (
        {"cause": found.cause.key, "title": found.cause.title, "steps": [step.kind for step in found.case.steps]}
        if found
        else None
    )


def start(mishap: str, one: Start) -> dict[str, Any]:
    """Return the shape of what the firmware does at a start after a mishap."""
    tried = [
        {
            "variable": each.variable or None,
            "title": each.title,
            "disk": each.disk or None,
            "volume": each.volume or None,
            "path": each.path or None,
            "result": each.result,
            "why": each.why,
        }
        for each in one.tried
    ]
    disk, volume, path = one.started or ("", "", "")
    started = {"disk": disk, "volume": volume or None, "path": path or None} if one.started else None
    return {"mishap": mishap, "tried": tried, "started": started, "ends": one.ends}


def image(one: Looked, machine: Machine | None = None) -> dict[str, Any]:
    """Return the shape of an image that was looked into; with a machine, the ways to make a stick of it for that."""
    from inkshelf.core.media.ways import ways

    made = to_builtins(one.image)
    return {
        **made,
        "hybrid": one.image.hybrid,
        "legacy": one.image.legacy,
        "missing": one.image.missing,
        "editions": [to_builtins(edition) for edition in one.editions],
        "ways": [to_builtins(way) for way in ways(one.image, machine)] if machine is not None else [],
    }


def stick(disk: Disk) -> dict[str, Any]:
    """Return the shape of a stick of a job."""
    from inkshelf.core.media.speed import good_for

    return {
        "disk": disk.id,
        "size": disk.size,
        "model": disk.model,
        "serial": disk.serial,
        "failing": disk.failing,
        "good_for": good_for(disk),
        **(to_builtins(disk.stick) if disk.stick else {}),
    }


def stick_plan(one: StickPlan) -> dict[str, Any]:
    """Return the shape of a stick as it is planned: everything that a screen shows of it."""
    return {
        "disk": one.disk,
        "identity": one.identity,
        "size_bytes": one.size,
        "good_for": one.good_for,
        "aim": one.aim,
        "volumes": [volume(own) for own in one.volumes],
        "images": [to_builtins(own) for own in one.images],
        "free_bytes": one.free,
        "largest_next_bytes": one.largest_next,
        "start": to_builtins(one.start),
        "bytes_a_second": one.rate,
        "seconds": {"write": round(one.write, 1), "check": round(one.check, 1), "measured": one.measured},
    }


def together(looked: list[Looked], sticks: tuple[int, ...]) -> dict[str, Any] | None:
    """Return the shape of several images on sticks, ``None`` where there is one image, or no stick."""
    if len(looked) < 2 or not sticks:
        return None
    from inkshelf.core.media import many

    return dict(to_builtins(many.on_sizes(tuple(one.image for one in looked), sticks)))
