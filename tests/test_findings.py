"""Findings: each appears in its scene, and its remedy takes it away."""

from __future__ import annotations

import pytest

from inkshelf.core.aims.beside import Beside
from inkshelf.core.boot.rehearse import systems
from inkshelf.core.checks import apply_remedy, findings, know
from inkshelf.core.checks.registry import AnswerFor
from inkshelf.core.checks.registry import ChangeAim as AimChange
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.room import givers
from inkshelf.core.machine.state import BootEntry, Disk, FileSystem, Machine, SystemRoot, Table, Volume
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.plan.reading import Reading, read
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.kinds import Delete, Format, PutLoader, RemoveFiles, SetOrder, Shrink
from inkshelf.core.value import replace


def keys(reading: Reading) -> set[str]:
    return {one.key for one in findings(reading)}


def condition(job: Job, **facts: object) -> Job:
    return replace(job, found=replace(job.found, conditions=replace(job.found.conditions, **facts)))


def firmware(job: Job, **facts: object) -> Job:
    return replace(job, found=replace(job.found, firmware=replace(job.found.firmware, **facts)))


def volume(job: Job, call: str, **facts: object) -> Job:
    return replace(job, found=job.found.with_volume(call, lambda one: replace(one, **facts)))


def files(job: Job, call: str, **facts: object) -> Job:
    return replace(
        job, found=job.found.with_volume(call, lambda one: replace(one, filesystem=replace(one.filesystem, **facts)))
    )


def table(job: Job, **facts: object) -> Job:
    disk = job.found.disks[0]
    return replace(job, found=job.found.with_disk(replace(disk, table=replace(disk.table, **facts))))


def dark_meanwhile(job: Job) -> Job:
    """The loader is taken off and put there again: in between nothing starts."""
    files = job.found.find("B1")[1].boot_files
    return replace(job, aims=(), steps=(RemoveFiles("B1", ("\\EFI",)), PutLoader("S1", "B1", files)))


def two_old_disks(job: Job, size: int = 100 * GIB, primaries: int = 1, *, removable: bool = False) -> Job:
    """Two MBR disks of one signature beside the first one, the first of them with a system."""
    volumes = tuple(
        Volume(
            f"S{at}",
            at,
            at * GIB,
            GIB,
            "0x07",
            role="system",
            filesystem=FileSystem("ntfs", GIB),
            holds=SystemRoot("nt", "NT family"),
        )
        for at in range(10, 10 + primaries)
    )
    old = Disk("B", size, serial="7", removable=removable, table=Table("mbr", signature="00c0ffee"), volumes=volumes)
    other = replace(old, id="C", size=90 * GIB, serial="8", volumes=())
    return replace(job, found=replace(job.found, disks=(*job.found.disks, old, other)))


SCENES = {
    "people.backup": (lambda job: condition(job, backup="made"), "stop"),
    "people.mains": (lambda job: condition(job, mains=False), "stop"),
    "people.key": (lambda job: condition(job, encrypted=True), "stop"),
    "people.encrypted": (lambda job: condition(job, encrypted=None), "warn"),
    "people.consent": (lambda job: condition(job, consent=False), "note"),
    "people.ram": (lambda job: replace(job, found=replace(job.found, ram_bytes=None)), "warn"),
    "firmware.mode": (lambda job: firmware(job, mode=None), "warn"),
    "firmware.secure-boot": (lambda job: firmware(job, secure_boot=None), "warn"),
    "firmware.hidden": (lambda job: firmware(job, secure_boot="hidden"), "warn"),
    "disk.table.A": (lambda job: table(job, primary_ok=False, fault="x"), "warn"),
    "disk.backup.A": (lambda job: table(job, backup_lba=5000), "warn"),
    "disk.hybrid.A": (lambda job: table(job, hybrid=True), "warn"),
    "disk.alignment": (lambda job: volume(job, "R1", start=job.found.find("R1")[1].start + 512), "note"),
    "disk.type.A": (lambda job: volume(job, "N1", type_id="1" * 8), "note"),
    "disk.duplicate.C48E1D93-5A2F-47B6-9E08-D17B3F6A20E4": (
        lambda job: volume(job, "R1", guid=job.found.find("S1")[1].guid),
        "stop",
    ),
    "disk.beyond.R1": (lambda job: volume(job, "R1", size=100 * GIB), "stop"),
    "disk.overlap.S1.R1": (lambda job: volume(job, "R1", start=job.found.find("R1")[1].start - GIB), "stop"),
    "disk.identity.A": (lambda job: replace(job, found=job.found.with_disk(replace(job.found.disks[0], serial=""))), "warn"),
    "disk.alike.AB": (
        lambda job: replace(
            job, found=replace(job.found, disks=(*job.found.disks, replace(job.found.disks[0], id="B", serial="2", volumes=())))
        ),
        "warn",
    ),
    "room.dirty.S1": (lambda job: files(job, "S1", dirty=True), "warn"),
    "room.asleep.S1": (lambda job: job, "warn"),
    "room.movable.S1": (lambda job: with_aim(job, replace(job.aim, size_bytes=220 * GIB)), "stop"),
    "room.reserve.S1": (
        lambda job: with_aim(files(job, "S1", smallest_bytes=190 * GIB), replace(job.aim, size_bytes=260 * GIB)),
        "warn",
    ),
    "room.unmeasured.S1": (lambda job: files(job, "S1", smallest_bytes=None), "warn"),
    "room.floor.D1": (lambda job: with_aim(job, replace(job.aim, size_bytes=22 * GIB)), "stop"),
    "room.comfort.S2": (lambda job: with_aim(job, replace(job.aim, size_bytes=60 * GIB)), "note"),
    "room.no-plan": (lambda job: with_aim(job, replace(job.aim, size_bytes=400 * GIB)), "stop"),
    "room.blocked.S1": (lambda job: replace(job, steps=(), aims=()), "note"),
    "room.gap.A.491300847616": (lambda job: job, "note"),
    "room.blind.A": (lambda job: replace(files(job, "S1", used_bytes=None), steps=(), aims=()), "warn"),
    "people.lost.R1": (lambda job: replace(job, steps=(Delete("R1"),)), "warn"),
    "people.lost.S1": (
        lambda job: replace(job, steps=(Format("S1", "ext4", "x", "11111111-2222-4333-8444-555555555555"),)),
        "stop",
    ),
    "room.contents": (lambda job: files(job, "R1", kind="unknown"), "warn"),
    "room.fault": (lambda job: replace(job, steps=(Shrink("S1", GIB),)), "stop"),
    "start.small-esp.B1": (lambda job: files(job, "B1", clusters=60_000), "stop"),
    "start.none.S1": (lambda job: volume(job, "B1", boot_files=()), "stop"),
    "start.no-esp": (lambda job: replace(job, steps=(Delete("B1"),)), "stop"),
    "start.two-esp.A": (lambda job: job, "note"),
    "start.assumed": (lambda job: job, "note"),
    "start.put-back.B1": (lambda job: job, "note"),
    "start.dark": (dark_meanwhile, "warn"),
    "start.firmware-reset.S2": (lambda job: job, "note"),
    "start.full.B1": (lambda job: with_aim(files(job, "B1", used_bytes=298 * MIB), replace(job.aim, esp="shared")), "stop"),
    "start.roots.A": (
        lambda job: replace(volume(job, "R1", type_id="4F68BCE3-E8CD-4DB1-96E7-FBCAF984B709", attributes=0), steps=job.steps),
        "warn",
    ),
    "fs.label.R1": (
        lambda job: replace(
            job, steps=(Format("R1", "ext4", "a label that is too long", "11111111-2222-4333-8444-555555555555"),)
        ),
        "stop",
    ),
    "disk.uuid.e65a871d880d1eab": (
        lambda job: files(files(job, "S1", uuid="E65A871D880D1EAB"), "R1", uuid="e65a871d880d1eab"),
        "warn",
    ),
    "disk.signature.00c0ffee": (two_old_disks, "stop"),
    "disk.large-mbr.B": (lambda job: two_old_disks(job, size=3 << 40), "warn"),
    "disk.slots.B": (lambda job: two_old_disks(job, primaries=4), "warn"),
    "disk.removable.B": (lambda job: two_old_disks(job, removable=True), "note"),
    "fs.sector.B1": (lambda job: files(job, "B1", sector_bytes=4096, hidden_sectors=2048), "stop"),
    "start.entry.Boot0007": (
        lambda job: firmware(
            job, entries_known=True, entries=(BootEntry(7, "old desk", partition_guid="1" * 8 + "-1111" * 3 + "-" + "1" * 12),)
        ),
        "note",
    ),
    "start.type.B1": (lambda job: replace(volume(job, "B1", type_id=gpt_type("basic_data")), steps=(), aims=()), "warn"),
    "firmware.lockdown": (lambda job: with_aim(job, replace(job.aim, swap="hibernate", size_bytes=160 * GIB)), "warn"),
    "start.hand.S2": (lambda job: replace(job, steps=tuple(one for one in job.steps if not isinstance(one, SetOrder))), "warn"),
}


@pytest.mark.parametrize("key", SCENES)
def test_each_finding_appears_in_its_scene(job: Job, key: str) -> None:
    scene, severity = SCENES[key]
    found = {one.key: one for one in findings(read(scene(job)))}
    assert key in found, sorted(found)
    assert found[key].severity == severity
    assert found[key].why.endswith((".", "?"))


@pytest.mark.parametrize("key", SCENES)
def test_each_finding_is_silent_outside_its_scene(job: Job, key: str) -> None:
    scene, _ = SCENES[key]
    if scene(job) != job:
        assert key not in keys(read(job))


def test_a_loader_volume_gets_its_type_back_by_the_remedy(job: Job) -> None:
    changed = SCENES["start.type.B1"][0](job)
    finding = next(one for one in findings(read(changed)) if one.key == "start.type.B1")
    assert "start.type.B1" not in keys(read(apply_remedy(changed, finding.remedies[0])))


def test_a_raw_clone_is_said_once_for_each_volume(job: Job) -> None:
    first = job.found.disks[0]
    twins = tuple(replace(one, call=f"{one.call[0]}{int(one.call[1:]) + 50}") for one in first.volumes)
    cloned = replace(job, found=replace(job.found, disks=(first, replace(first, id="B", serial="9", volumes=twins))))
    said = [one for one in keys(read(cloned)) if one.startswith(("disk.duplicate", "disk.uuid"))]
    assert len(said) == len(first.volumes)


def test_a_sound_plan_has_no_stop(job: Job) -> None:
    assert [one.key for one in findings(read(job)) if one.severity == "stop"] == []


@pytest.mark.parametrize("key", [key for key, (_, severity) in SCENES.items() if severity == "stop"])
def test_every_stop_offers_a_remedy_or_can_be_answered_for(job: Job, key: str) -> None:
    scene, _ = SCENES[key]
    changed = scene(job)
    finding = next(one for one in findings(read(changed)) if one.key == key)
    assert finding.remedies
    answer = next((one for one in finding.remedies if isinstance(one, AnswerFor)), None)
    assert (answer is None) == finding.final
    if answer:
        assert apply_remedy(changed, answer, "  ") == changed, "without a reason nothing is overridden"
        after = next(one for one in findings(read(apply_remedy(changed, answer, "the owner insists"))) if one.key == key)
        assert (after.severity, after.overridden) == ("warn", "the owner insists")


@pytest.mark.parametrize(
    "key",
    [
        "people.backup",
        "people.mains",
        "people.key",
        "people.encrypted",
        "people.consent",
        "firmware.mode",
        "firmware.secure-boot",
        "room.movable.S1",
        "room.floor.D1",
        "room.no-plan",
        "firmware.lockdown",
        "room.comfort.S2",
    ],
)
def test_the_first_remedy_takes_the_finding_away(job: Job, key: str) -> None:
    changed = SCENES[key][0](job)
    finding = next(one for one in findings(read(changed)) if one.key == key)
    assert key not in keys(read(apply_remedy(changed, finding.remedies[0])))


def test_a_plan_that_cannot_be_offers_the_disk_on_which_it_can(found_job: Job) -> None:
    first = found_job.found.disks[0]
    old = replace(first, table=replace(first.table, kind="mbr"))
    found = replace(found_job.found, disks=(old, replace(first, id="B")))
    asked = with_aim(replace(found_job, found=found), Beside(size_bytes=100 * GIB))
    said = next(one for one in findings(read(asked)) if one.key == "room.no-plan")
    offered = [(one.field, one.value) for one in said.remedies if isinstance(one, AimChange)]
    assert offered == [("disk", "B")]
    assert apply_remedy(asked, said.remedies[0]).steps


def test_nothing_is_said_about_an_empty_job() -> None:
    assert findings(read(Job())) == ()
    assert systems(Machine()) == ()


def test_used_space_can_be_told_by_a_person(found_job: Job) -> None:
    blind = files(with_aim(found_job, Beside(size_bytes=100 * GIB)), "S1", used_bytes=None, smallest_bytes=None)
    assert givers(blind.found.disks[0]) == ()
    told = know(blind, "used:S1", 188 * GIB)
    assert told.steps
    for call, size in (("S9", 1), ("S1", 10_000 * GIB), ("N1", 1)):
        with pytest.raises(PlanError):
            know(blind, f"used:{call}", size)
