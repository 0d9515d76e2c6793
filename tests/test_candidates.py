"""Ways side by side: none is worse in everything than another, nobody loses more in one, and the one taken is planned as shown."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.bench.intake import take_in
from inkshelf.bench.recipes import blank, wanting
from inkshelf.cli import run
from inkshelf.core.aims import kind_of_aim
from inkshelf.core.aims.beside import Beside
from inkshelf.core.checks import findings
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.draw import guid
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import Disk, FileSystem, Machine, Volume
from inkshelf.core.plan.job import Job, and_aim, changed_aim, with_aim, with_found
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.candidates import HERE, MOST, candidates, choose, dominates, figures, worked_out
from inkshelf.core.size import GIB
from inkshelf.core.value import replace
from inkshelf.exchange import render
from inkshelf.store import jobfile
from strategies import machines, wishes


@given(st.data(), machines())
def test_no_way_is_dominated_and_none_loses_more(data: st.DataObject, machine: Machine) -> None:
    job = data.draw(wishes(machine))
    found = candidates(job)
    if job.plan_fault or not job.aims:
        return
    assert found[0].key == HERE
    assert found[0].job == job
    assert len(found) <= MOST
    assert len({one.key for one in found}) == len(found)
    everything = tuple(worked_out(job))
    lost = set(read(job).ledger.lost)
    for one in found[1:]:
        assert not any(dominates(other.figures, one.figures) for other in everything)
        assert set(read(one.job).ledger.lost) <= lost
        assert one.job.steps
        assert not one.job.plan_fault
        assert figures(read(one.job)) == one.figures
        assert choose(job, one.key, "because").steps == one.job.steps, "the way that is taken is the one that was shown"


def test_to_erase_what_is_kept_is_no_way(found_job: Job) -> None:
    """There is room beside what lies on the second disk; an emptied one would be the simpler way, and is none."""
    held = FileSystem("ext4", 100 * GIB, uuid="771c2c61-d4d4-4dba-b9a4-7d8c3cb72e0e", used_bytes=40 * GIB)
    kept = Volume("D8", 1, GIB, 100 * GIB, gpt_type("linux_data"), role="data", filesystem=held, guid=guid("kept", "D8"))
    table = replace(found_job.found.disks[0].table, guid=guid("kept", "B"), first_usable=34, last_usable=400 * GIB // 512 - 34)
    disk = Disk("B", 400 * GIB, serial="B-1", table=table, volumes=(kept,))
    job = with_found(found_job, replace(found_job.found, disks=(*found_job.found.disks, disk)))
    planned = and_aim(job, kind_of_aim("own-disk").usual_on(job.found, {"disk": "B", "there": "keep"}))
    ways = tuple(worked_out(planned))
    assert len(ways) > 1
    assert [one.key for one in ways if read(one.job).ledger.lost] == []


def test_the_way_that_was_taken_keeps_its_reason(found_job: Job) -> None:
    job = with_aim(found_job, Beside(esp="own"))
    taken = choose(job, "esp=shared", "the firmware forgets entries")
    assert taken.aims[0].esp == "shared"
    assert taken.reasons == ("EFI system partition: shared: the firmware forgets entries",)
    again = choose(taken, "home=apart", "she reinstalls")
    assert len(again.reasons) == 2
    for written in (render.markdown(read(again)), render.html(read(again))):
        assert "she reinstalls" in written
        assert "A Linux desktop beside S1 on disk A" in written
    with pytest.raises(PlanError, match=r"Did you mean esp=own\?"):
        choose(taken, "esp=onw", "x")


def test_what_is_nowhere_worse_and_somewhere_better_dominates(found_job: Job) -> None:
    one = candidates(with_aim(found_job, Beside()))[0].figures
    for name, better, worse in (
        ("moved", -1, 1),
        ("minutes", -5, 5),
        ("by_hand", -1, 1),
        ("put_back", -1, 1),
        ("stops", -1, 1),
        ("warns", -1, 1),
        ("survives", 1, -1),
    ):
        value = getattr(one, name)
        assert dominates(replace(one, **{name: value + better}), one), name
        assert not dominates(replace(one, **{name: value + worse}), one), name
    roomier = replace(one, free={call: size + 1 for call, size in one.free.items()})
    assert dominates(roomier, one)
    assert not dominates(one, one)
    assert not dominates(replace(roomier, moved=one.moved + 1), one)


@given(st.data(), machines())
def test_a_way_out_can_be_planned_and_loses_nothing_that_was_not_to_go(data: st.DataObject, machine: Machine) -> None:
    job = data.draw(wishes(machine))
    aim = data.draw(st.sampled_from(["beside", "own-disk", "in-file"]))
    size = data.draw(st.integers(200, 3000))
    job = and_aim(replace(job, aims=()), kind_of_aim(aim).usual_on(machine, {}))
    job = changed_aim(job, replace(job.aims[0], size_bytes=size * GIB))
    if not job.plan_fault:
        return
    kept = {one.call for _, one in machine.volumes()}
    erased = {one.call for disk, one in machine.volumes() if getattr(job.aims[0], "what_is_there", "") == "erase"}
    for one in candidates(job):
        assert not one.job.plan_fault
        assert one.job.steps
        assert set(read(one.job).ledger.lost) & kept <= erased
        assert choose(job, one.key, "because").steps == one.job.steps


def test_the_largest_size_that_can_be_is_offered_and_not_one_more(found_job: Job) -> None:
    job = with_aim(found_job, Beside(size_bytes=400 * GIB))
    assert job.plan_fault
    (way,) = [one for one in candidates(job) if one.key.startswith("size=")]
    size = way.job.aims[0].size_bytes // GIB
    assert not any(one.severity == "stop" and one.key.startswith("room") for one in findings(read(way.job)))
    more = with_aim(found_job, Beside(size_bytes=(size + 1) * GIB))
    assert more.plan_fault or any(one.severity == "stop" and one.key.startswith("room") for one in findings(read(more)))


def test_ways_out_are_ranked_and_leave_no_system_out_where_a_lighter_one_will_do(tmp_path: Path) -> None:
    image = blank(tmp_path / "disk.img", 160 * 10**9)
    job = take_in([image], mode="uefi", secure_boot="off", ram_bytes=8 * GIB, seed="out")
    job = wanting(job, ("clean", {"disk": "A", "systems": "linux-heavy,linux-rolling,linux-rolling,linux-light"}))
    assert "come to" in job.plan_fault
    found = candidates(job)
    assert found
    assert len({one.key for one in found}) == len(found)
    assert "in the place of" in found[0].words
    assert len(found[0].figures.free) == 4
    costs = [(one.figures.stops, -len(one.figures.free), one.figures.moved) for one in found]
    assert costs == sorted(costs)


def test_a_disk_that_holds_something_is_never_the_way_out_of_a_full_one(found_job: Job) -> None:
    small = Disk("B", 30 * 10**9, model="Heron", serial="x")
    job = with_found(replace(found_job, aims=()), replace(found_job.found, disks=(*found_job.found.disks, small)))
    job = and_aim(job, kind_of_aim("clean").usual_on(job.found, {"disk": "B", "systems": "nt-desktop"}))
    assert job.plan_fault
    assert not any("disk=A" in one.key for one in candidates(job))


def test_the_command_names_the_fault_and_the_ways_out(
    found_job: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "job.json"
    jobfile.save(with_aim(found_job, Beside(size_bytes=400 * GIB)), path)
    assert run(["candidates", str(path)]) == 1
    said = capsys.readouterr().out
    assert said.startswith("This cannot be: 400 GiB")
    key = next(line.split(":")[0] for line in said.splitlines() if line.startswith("size="))
    assert run(["choose", str(path), key, "--because", "that is enough for her"]) == 0
    assert not jobfile.load(path).plan_fault
