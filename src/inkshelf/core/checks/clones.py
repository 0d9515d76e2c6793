"""Findings about copies: partitions, file systems and disks that bear one identity, as a raw clone leaves them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from inkshelf.core.checks.registry import ByHand, Finding, Show, check
from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.machine.state import Machine
from inkshelf.core.plan.reading import Reading
from inkshelf.core.texts import few


@check
def duplicates(reading: Reading) -> Iterator[Finding]:
    """Two partitions or disks with one GUID: a raw clone."""
    volumes = list(reading.plan.found.volumes())
    twice = {guid for guid, count in Counter(volume.guid for _, volume in volumes if volume.guid).items() if count > 1}
    for guid in sorted(twice):
        calls = tuple(volume.call for _, volume in volumes if volume.guid == guid)
        still = sum(volume.guid == guid for _, volume in reading.plan.planned.volumes()) > 1
        yield Finding(
            f"disk.duplicate.{guid}",
            "stop" if still else "note",
            "Two partitions bear one GUID",
            "Boot entries and boot data cannot tell them apart; this is what a raw clone leaves."
            + ("" if still else " The plan puts it right."),
            calls,
            (
                *(ByHand("renew", call, f"Give {call} a new identity") for call in calls[1:2]),
                Show("intake", "Take one of them out"),
            ),
        )


@check
def file_systems(reading: Reading) -> Iterator[Finding]:
    """Two volumes whose file systems bear one UUID: whatever mounts or starts by it may take either."""
    before, after = _by_uuid(reading.plan.found), _by_uuid(reading.plan.planned)
    for uuid, calls in before.items():
        if len(calls) < 2 or _one_guid(reading, calls):
            continue  # partitions of one GUID were said already, and a new identity renews both
        still = len(after.get(uuid, ())) > 1
        renewable = [call for call in calls[1:] if _renewable(reading, call)]
        yield Finding(
            f"disk.uuid.{uuid}",
            "warn" if still else "note",
            f"{few(calls, 2, ' and ')} bear one UUID",
            "Mount tables and menus name file systems by it, and may find either; this is what a copy of a volume leaves."
            + ("" if still else " The plan puts it right."),
            calls,
            (
                *(ByHand("renew", call, f"Give {call} a new identity") for call in renewable[:1]),
                Show("shelf", "Look at the shelf"),
            ),
        )


def _by_uuid(machine: Machine) -> dict[str, tuple[str, ...]]:
    found: dict[str, tuple[str, ...]] = {}
    for _, volume in machine.volumes():
        uuid = volume.filesystem.uuid.lower() if volume.filesystem else ""
        if uuid:
            found[uuid] = (*found.get(uuid, ()), volume.call)
    return found


def _one_guid(reading: Reading, calls: tuple[str, ...]) -> bool:
    guids = [place[1].guid for call in calls if (place := reading.plan.found.find(call))]
    return bool(guids[0]) and len(set(guids)) == 1


def _renewable(reading: Reading, call: str) -> bool:
    place = reading.plan.found.find(call)
    kind = KINDS.get(place[1].filesystem.kind) if place and place[1].filesystem else None
    return kind is not None and kind.renewable


@check
def signatures(reading: Reading) -> Iterator[Finding]:
    """Two MBR disks with one signature: the NT family takes one of them offline, and boot data may mean either."""
    known = [disk for disk in reading.plan.found.disks if disk.table.kind == "mbr" and int(disk.table.signature or "0", 16)]
    for one, count in Counter(disk.table.signature.lower() for disk in known).items():
        if count > 1:
            letters = [disk.id for disk in known if disk.table.signature.lower() == one]
            yield Finding(
                f"disk.signature.{one}",
                "stop",
                f"Disks {' and '.join(letters)} bear one signature",
                "The NT family takes one of them offline, and boot data may mean either; this is what a raw clone leaves.",
                (),
                (Show("intake", "Take one of them out"),),
            )
