"""Plans on machines that nobody made by hand: whatever the disk, a plan keeps what is there or says why it cannot be."""

from __future__ import annotations

from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from inkshelf.core.aims.beside import Beside
from inkshelf.core.checks import findings
from inkshelf.core.checks.start import nothing_starts_meanwhile
from inkshelf.core.errors import InkshelfError
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.plan.reading import Reading, read
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.kinds import Create, Shrink
from inkshelf.core.value import replace
from inkshelf.exchange import render
from inkshelf.exchange.script import script
from strategies import aims, machines, mbr_machines, wishes


def sound(disk: Disk) -> None:
    """What every table must be, said in the words of the specification."""
    volumes = sorted(disk.volumes, key=lambda one: one.start)
    for one, other in pairwise(volumes):
        assert one.end <= other.start
    for one in volumes:
        assert disk.table.first_usable * disk.sector <= one.start < one.end <= (disk.table.last_usable + 1) * disk.sector
        assert one.start % disk.sector == one.size % disk.sector == 0
        assert 1 <= one.number <= disk.table.entry_count
    assert len({one.number for one in volumes}) == len(volumes) == len({one.guid for one in volumes})


def keeps(found: Machine, reading: Reading) -> None:
    """Every volume is still there, whole or shrunk from its end, and nothing that is in use was cut off."""
    assert reading.ledger.lost == ()
    for disk, volume in found.volumes():
        now_on, now = reading.plan.planned.find(volume.call)
        assert (now_on.id, now.start, now.number, now.guid) == (disk.id, volume.start, volume.number, volume.guid)
        assert now.size <= volume.size
        assert volume.used is None or now.size == volume.size or now.size >= volume.used


@given(machines(), aims, st.sampled_from(["A", "B"]))
def test_a_plan_keeps_what_is_there_or_says_why_it_cannot_be(machine: Machine, aim: Beside, letter: str) -> None:
    job = with_aim(
        Job(found=machine, seed="generated"), replace(aim, disk=letter if letter in {one.id for one in machine.disks} else "A")
    )
    if not job.steps:
        assert job.plan_fault.endswith((".", "?"))
        return
    reading = read(job)
    assert reading.plan.fault is None
    for disk in reading.plan.planned.disks:
        sound(disk)
        assert sum(one.size for one in reading.ledger.stretches if one.disk == disk.id) == disk.size
    keeps(machine, reading)
    for step in job.steps:
        if isinstance(step, Create):
            assert step.disk == job.aim.disk
            assert step.start % MIB == step.size % MIB == 0
    said = {one.key for one in findings(reading)}
    for step in job.steps:
        if isinstance(step, Shrink):
            volume = reading.plan.planned.find(step.call)[1]
            free = volume.size - (volume.used or 0)
            kept = volume.used is not None and free >= 20 * GIB and free * 100 >= 15 * volume.size
            assert kept or any(key.startswith("room.") and key.endswith(step.call) for key in said), said


@given(machines(), aims)
def test_everything_that_is_written_of_a_plan_can_be_written(machine: Machine, aim: Beside) -> None:
    job = with_aim(Job(found=machine, seed="generated"), aim)
    reading = read(job)
    found = findings(reading)
    assert len({one.key for one in found}) == len(found), "a finding is answered for by its key"
    if not job.steps:
        return
    made = sheet(reading, found)
    assert len(made.rows) == len(job.steps)
    assert (
        abs(made.minutes - sum(row.words.minutes for row in made.rows)) <= 0.5 * sum(row.words.minutes for row in made.rows) + 1
    )
    assert render.markdown(reading)
    try:
        assert script(reading).startswith("#!/bin/bash")
    except InkshelfError as error:
        assert "steps" in str(error)


@given(
    machines(),
    st.lists(
        st.tuples(
            st.sampled_from(["create", "resize", "move", "delete", "format", "label"]), st.integers(0, 9), st.integers(1, 900)
        ),
        max_size=6,
    ),
)
def test_changes_by_hand_leave_a_sound_table_or_are_refused(machine: Machine, wanted: list[tuple[str, int, int]]) -> None:
    job = Job(found=machine, seed="generated")
    for verb, which, number in wanted:
        planned = read(job).plan.planned
        volumes = [volume for _, volume in planned.volumes()]
        words = {
            "create": {"size": f"{number}GiB"},
            "resize": {"size": f"{number}GiB"},
            "move": {"at": f"{number}GiB"},
            "format": {"fs": ("ext4", "f2fs", "ntfs")[number % 3]},
            "label": {"label": f"L{number}"},
        }.get(verb, {})
        call = (
            planned.disks[which % len(planned.disks)].id
            if verb == "create"
            else volumes[which % len(volumes)].call
            if volumes
            else "D1"
        )
        try:
            job = change(job, verb, call, **words)
        except InkshelfError as error:
            assert error.what
    reading = read(job)
    assert reading.plan.fault is None
    for before, disk in zip(machine.disks, reading.plan.planned.disks, strict=True):
        sound(disk)
        assert sum(one.size for one in reading.ledger.stretches if one.disk == disk.id) == disk.size == before.size


@given(st.data())
def test_no_plan_leaves_a_machine_without_a_start_that_could_have_kept_one(data: st.DataObject) -> None:
    """Only a disk that is emptied, and a table that becomes another in place, have no order in which something always starts; they say so.

    Where no system is kept at all, the last one may be taken away before the first new one is there: who wants its room has asked for that.
    """
    machine = data.draw(st.one_of(machines(), mbr_machines()))
    reading = read(data.draw(wishes(machine)))
    dark = list(nothing_starts_meanwhile(reading))
    given_up = all(one.call in reading.ledger.lost for _, one in machine.volumes() if one.holds)
    assert [one.severity for one in dark] in ([], ["note" if given_up else "warn"])
    if dark and not given_up:
        assert {one.kind for one in reading.job.aims} & {"clean", "table"}, [step.kind for step in reading.job.steps]
