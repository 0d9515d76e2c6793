"""Findings about firmware, what a start leads through, sizes that do not add up, the machine in a technician's hands: each in its scene only."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from inkshelf.bench.recipes import wanting
from inkshelf.cli import run
from inkshelf.core.aims import kind_of_aim
from inkshelf.core.checks import apply_remedy, findings, know
from inkshelf.core.checks.registry import ChangeAim, Finding, Know
from inkshelf.core.disk.contents import waits_for
from inkshelf.core.disk.linux_system import mount_table
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.asked import ASKED
from inkshelf.core.machine.state import BootEntry, Conditions, Disk, FileSystem, SystemRoot, Table, Volume
from inkshelf.core.plan.job import Job, and_aim, left_by
from inkshelf.core.plan.locks import lock
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.kinds import AddEntry, Install, Move, Prepare
from inkshelf.core.value import replace
from inkshelf.store import jobfile
from inkshelf.ui.frame.window import Window

Scene = Callable[[Job], Job]


def seen(job: Job) -> dict[str, Finding]:
    return {one.key: one for one in findings(read(job))}


def fact(job: Job, **known: object) -> Job:
    for field, value in known.items():
        job = know(job, field, value)
    return job


def volume(job: Job, call: str, **fields: object) -> Job:
    return replace(job, found=job.found.with_volume(call, lambda one: replace(one, **fields)))


def beside(job: Job, **said: str) -> Job:
    return wanting(job, ("beside", said))


def without(job: Job, kind: type, what: str = "") -> Job:
    left = tuple(one for one in job.steps if not isinstance(one, kind) or (what and getattr(one, "what", "") != what))
    return replace(job, steps=left)


def second(job: Job, table: str, *, removable: bool = False, family: str = "nt", mounts: tuple = (), waits: tuple = ()) -> Job:  # type: ignore[type-arg]
    """Another disk with a system of its own on it."""
    holds = SystemRoot(family, "older desk", True, mounts, waits=waits)  # type: ignore[arg-type]
    held = FileSystem("ntfs" if family == "nt" else "ext4", 99 * GIB, uuid="0123456789ABCDEF", used_bytes=9 * GIB)
    one = Volume("S8", 1, MIB, 99 * GIB, "0x07" if table == "mbr" else "", "system", guid="", filesystem=held, holds=holds)
    bounds = Table("gpt", "5f3c1c5e-7a4e-4e0a-9a57-0c4d2f0e1a2b", first_usable=34, last_usable=(100 * GIB) // 512 - 34)
    made = Disk(
        "C",
        100 * GIB,
        table=bounds if table == "gpt" else Table("mbr", signature="00c0ffee"),
        volumes=(one,),
        removable=removable,
    )
    return replace(job, found=replace(job.found, disks=(*job.found.disks, made)))


def elsewhere(job: Job, *, removable: bool, own: bool = False) -> Job:
    """A system whose loader lies on another disk than it; ``own``: on its own disk, too."""
    made = wanting(job, ("own-disk", {"disk": "B"}))
    new = next(one for one in made.steps if isinstance(one, Install))
    planned = read(made).plan.planned
    esp, target = planned.find(new.esp)[1], planned.find("B1")[1]
    left = planned.with_volume(esp.call, lambda one: replace(one, boot_files=one.boot_files if own else ()))
    left = left.with_volume("B1", lambda one: replace(one, boot_files=(*target.boot_files, *esp.boot_files[1:])))
    number = next(one.entry.number for one in made.steps if isinstance(one, AddEntry))
    first = left.firmware.entry(number)
    assert first is not None
    entry = replace(first, disk="A", partition_number=target.number, partition_guid=target.guid)
    entries = tuple(entry if one.number == number else one for one in left.firmware.entries)
    entries += (replace(first, number=9),) if own else ()
    order = (*left.firmware.order, *((9,) if own else ()))
    disks = tuple(replace(one, removable=removable and one.id == "A") for one in left.disks)
    found = replace(left, disks=disks, firmware=replace(left.firmware, entries=entries, order=order, entries_known=True))
    return replace(job, found=found, aims=(), steps=())


def numbered(job: Job, number: int) -> Job:
    esp = job.found.find("B1")[1]
    entry = BootEntry(0, "old desk", "A", number, esp.guid, path="\\EFI\\x.efi")
    return replace(job, found=replace(job.found, firmware=replace(job.found.firmware, entries=(entry,), entries_known=True)))


def legacy_install(job: Job, first: int) -> Job:
    """The legacy way onto an MBR whose first volume begins at ``first``."""
    firmware = replace(job.found.firmware, mode="legacy", entries=(), order=())
    held = FileSystem("ext4", 90 * GIB, uuid="771c2c61-d4d4-4dba-b9a4-7d8c3cb72e0e", used_bytes=GIB)
    one = Volume("S7", 1, first, 90 * GIB, "0x83", "system", filesystem=held)
    disk = Disk("D", 100 * GIB, table=Table("mbr", signature="00c0ffee"), volumes=(one,))
    step = Install(
        "S7", "", "Linux desktop", "linux", GIB, (), (("UUID=771c2c61-d4d4-4dba-b9a4-7d8c3cb72e0e", "/"),), code_on="D"
    )
    return replace(job, found=replace(job.found, firmware=firmware, disks=(disk,)), aims=(), steps=(step,))


def locked_root(job: Job, *, boot: bool) -> Job:
    mounts = (("UUID=x", "/"), *((("UUID=y", "/boot"),) if boot else ()))
    return volume(job, "S1", filesystem=FileSystem("luks", 400 * GIB), holds=SystemRoot("linux", "sealed", mounts=mounts))


def growing(job: Job, *, also: bool) -> Job:
    made = wanting(job, ("own-disk", {"home": "together", "size": "60GiB", "there": "erase"}))
    system = next(one.call for one in made.steps if isinstance(one, Install))
    made = lock(made, system)
    if not also:
        return made
    return and_aim(made, kind_of_aim("give-back").usual_on(left_by(made), {"volume": "GAP", "to": system}))


def waiting(job: Job, *, removable: bool, late: bool = False) -> Job:
    """A system whose mount table names a volume of disk A."""
    uuid = job.found.find("S1")[1].filesystem.uuid
    made = second(
        job, "gpt", family="linux", mounts=(("UUID=r", "/"), (f"UUID={uuid}", "/srv")), waits=() if late else ("/srv",)
    )
    disks = tuple(replace(one, removable=removable and one.id == "A") for one in made.found.disks)
    return replace(made, found=replace(made.found, disks=disks))


def and_moved(job: Job) -> Job:
    made = beside(job, home="apart")
    place = read(made).plan.planned.find("D1")[1]
    return replace(made, steps=(*made.steps, Move("D1", place.start + GIB, id="x.move.D1")))


def split(job: Job, gap: int, **said: str) -> Job:
    """Two gaps on disk A, and a wish that only both together would hold."""
    disk = job.found.disk("A")
    between = Volume("D9", 9, 120 * GIB, 20 * GIB, gpt_type("linux_data"), "data", filesystem=FileSystem("xfs", 20 * GIB))
    volumes = (*(one for one in disk.volumes if one.end < 10 * GIB), between)
    ends = Table("gpt", disk.table.guid, first_usable=34, last_usable=(140 + gap) * GIB // 512)
    first = min(120 - gap, 100)
    filler = Volume(
        "D8", 8, GIB, (first - 1) * GIB, gpt_type("linux_data"), "data", filesystem=FileSystem("xfs", (first - 1) * GIB)
    )
    made = replace(disk, table=ends, volumes=(*volumes[:-1], filler, between))
    return beside(replace(job, found=replace(job.found, disks=(made,))), size="50GiB", **said)


SCENES: list[tuple[str, str, Scene, Scene]] = [
    ("firmware.fast-boot", "warn", lambda j: fact(beside(j), fast_boot=True), lambda j: fact(beside(j), fast_boot=False)),
    ("firmware.external", "stop", lambda j: fact(beside(j), external_start=False), lambda j: fact(wanting(j, ("no-stick", {})), external_start=False)),
    ("firmware.ports", "stop", lambda j: fact(wanting(j, ("travelling", {})), two_ports=False), lambda j: fact(beside(j), two_ports=False)),
    ("firmware.update", "warn", lambda j: fact(beside(j), update_pending=True), beside),
    ("firmware.password", "warn", lambda j: know(beside(j), "firmware_password", "missing"), lambda j: know(beside(j), "firmware_password", "noted")),
    ("firmware.revoked.S2", "stop", lambda j: fact(beside(fact(j, secure_boot="on")), least_generation=5), lambda j: fact(beside(fact(j, secure_boot="on")), least_generation=4)),
    ("firmware.protection", "warn", lambda j: without(beside(fact(j, encrypted=True)), Prepare), lambda j: beside(fact(j, encrypted=True))),
    ("start.elsewhere.S2", "note", lambda j: elsewhere(j, removable=False), lambda j: elsewhere(j, removable=False, own=True)),
    ("start.chain.S2", "warn", lambda j: elsewhere(j, removable=True), lambda j: elsewhere(j, removable=False)),
    ("start.number.Boot0000", "warn", lambda j: numbered(j, 7), lambda j: numbered(j, 1)),
    ("start.core.D", "stop", lambda j: legacy_install(j, 63 * 512), lambda j: legacy_install(j, MIB)),
    ("start.table.S8", "warn", lambda j: second(j, "mbr"), lambda j: second(j, "gpt")),
    ("start.modes", "warn", lambda j: second(j, "mbr", family="linux"), lambda j: second(j, "gpt", family="linux")),
    ("start.locked.S1", "warn", lambda j: locked_root(j, boot=False), lambda j: locked_root(j, boot=True)),
    ("room.larger.S1", "stop", lambda j: volume(j, "S1", filesystem=replace(j.found.find("S1")[1].filesystem, size_bytes=900 * GIB)), lambda j: j),
    ("room.unused.S1", "note", lambda j: volume(j, "S1", filesystem=replace(j.found.find("S1")[1].filesystem, size_bytes=300 * GIB)), lambda j: j),
    ("room.lock.S2", "warn", lambda j: growing(j, also=True), lambda j: growing(j, also=False)),
    ("sharing.late.S8.S1", "note", lambda j: waiting(j, removable=False), lambda j: waiting(j, removable=False, late=True)),
    ("sharing.clock", "note", lambda j: replace(beside(j), steps=tuple(one for one in beside(j).steps if getattr(one, "subject", "") != "clock")), beside),
    ("people.width.S2", "stop", lambda j: fact(beside(j), cpu_bits=32), lambda j: fact(beside(j), cpu_bits=64)),
    ("people.licence", "warn", lambda j: beside(j, system="nt-desktop"), lambda j: fact(beside(j, system="nt-desktop"), licence=True)),
    ("people.case", "note", lambda j: wanting(j, ("own-disk", {"others": "out"})), lambda j: wanting(j, ("own-disk", {}))),
    ("people.battery", "stop", lambda j: fact(j, battery_swollen=True), lambda j: fact(j, battery_swollen=False)),
    ("disk.failing.A", "stop", lambda j: know(j, "failing:a", "yes"), lambda j: know(j, "failing:A", "no")),
    ("room.move.D1", "note", and_moved, beside),
    ("room.split.A", "note", lambda j: split(j, 30), lambda j: split(j, 60, system="linux-legacy")),
]  # fmt: skip


@pytest.mark.parametrize(("key", "severity", "raises", "quiet"), SCENES, ids=[one[0] for one in SCENES])
def test_each_stands_in_its_scene_and_in_no_other(two: Job, key: str, severity: str, raises: Scene, quiet: Scene) -> None:
    found = seen(raises(two))
    assert key in found, sorted(found)
    assert found[key].severity == severity
    assert found[key].why.endswith(".") or ": " in found[key].why
    assert found[key].remedies
    assert key not in seen(quiet(two))


@pytest.mark.parametrize("key", [key for key, _, _, _ in SCENES if key.startswith(("firmware", "people", "disk"))])
def test_what_a_person_can_put_right_is_put_right_by_the_remedy(two: Job, key: str) -> None:
    raises = next(one[2] for one in SCENES if one[0] == key)
    job = raises(two)
    remedy = next((one for one in seen(job)[key].remedies if isinstance(one, Know | ChangeAim)), None)
    if remedy is None or key == "firmware.protection":  # a key at hand does not suspend anything
        return
    assert key not in seen(apply_remedy(job, remedy))


def test_everything_that_is_asked_can_be_said_on_the_command_line_and_is_kept(two: Job, tmp_path: object) -> None:
    path = tmp_path / "job.json"  # type: ignore[operator]
    for one in ASKED:
        for word, value in one.values().items():
            jobfile.save(two, path)
            assert run(["know", str(path), one.key, word]) == 0
            found = jobfile.load(path).found
            assert getattr(found.firmware if one.field in {"mode", "secure_boot"} else found.conditions, one.field) == value
    assert {one.field for one in ASKED} >= set(Conditions.__struct_fields__), "what is kept is asked for somewhere"
    assert run(["know", str(path), "failing:A", "yes"]) == 0
    assert jobfile.load(path).found.disk("A").failing is True


@pytest.mark.parametrize(("said", "value"), [("failing:Z", "yes"), ("failing:A", "perhaps")])
def test_a_disk_that_is_not_there_is_answered_in_words(two: Job, said: str, value: str) -> None:
    with pytest.raises(PlanError):
        know(two, said, value)


@pytest.mark.parametrize(
    ("line", "waits"),
    [
        ("UUID=1 /home ext4 defaults 0 2", ("/home",)),
        ("UUID=1 /home ext4 rw,nofail 0 2", ()),
        ("UUID=1 /home ext4 noauto,rw", ()),
        ("UUID=1 /home", ("/home",)),
        ("UUID=1 / ext4 defaults 0 1", ()),
        ("UUID=1 none swap sw 0 0", ()),
    ],
)
def test_what_a_start_waits_for_is_read_from_its_line(line: str, waits: tuple[str, ...]) -> None:
    assert mount_table(line)[1] == waits
    assert waits_for("/srv", "nofailure"), "another word that begins alike"


def test_what_concerns_few_machines_is_folded_away_until_it_is_said(window: Window, qtbot: QtBot) -> None:
    window.desk.show("intake")
    questions = window.chapter("intake").questions  # type: ignore[attr-defined]
    assert "fast_boot" not in questions.choices
    qtbot.mouseClick(questions.fold, Qt.MouseButton.LeftButton)
    choice = questions.choices["fast_boot"]
    assert choice.isVisibleTo(questions)
    qtbot.mouseClick(choice.button(0), Qt.MouseButton.LeftButton)
    assert window.desk.job.found.conditions.fast_boot is True
    qtbot.mouseClick(questions.fold, Qt.MouseButton.LeftButton)
    assert choice.isVisibleTo(questions), "what was said stays in sight"
    assert not questions.choices["case_open"].isVisibleTo(questions)


def test_a_finding_is_said_once_whatever_is_there_twice(two: Job) -> None:
    twice = waiting(two, removable=False)
    system = twice.found.find("S8")[1]
    line = system.holds.mounts[1][0]
    holds = replace(system.holds, mounts=(*system.holds.mounts, (line, "/srv/more")), waits=("/srv", "/srv/more"))
    moved = and_moved(two)
    again = replace(
        moved, steps=(*moved.steps, Move("D1", read(moved).plan.planned.find("D1")[1].start + GIB, id="x.move.D1.2"))
    )
    core = legacy_install(two, 63 * 512)
    disk = core.found.disks[0]
    other = replace(disk.volumes[0], call="S6", number=2, start=91 * GIB, size=8 * GIB)
    both = replace(core, found=core.found.with_disk(replace(disk, volumes=(*disk.volumes, other))))
    both = replace(both, steps=(*core.steps, replace(core.steps[0], call="S6")))
    for job in (volume(twice, "S8", holds=holds), again, both):
        keys = [one.key for one in findings(read(job))]
        assert sorted(set(keys)) == sorted(keys)
