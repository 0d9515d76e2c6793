"""Every aim on machines that nobody made for it: what is kept is kept, what goes was said to go, and every plan can be carried out."""

from __future__ import annotations

import json
import re
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.core import aims
from inkshelf.core.aims import Need, every_aim
from inkshelf.core.aims.shares import divide
from inkshelf.core.boot.mishaps import STANDING
from inkshelf.core.boot.rehearse import outcome
from inkshelf.core.checks import findings
from inkshelf.core.errors import JobError
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.plan import document
from inkshelf.core.plan.job import Job, and_aim, replan, without_aim
from inkshelf.core.plan.reading import Reading, read
from inkshelf.core.plan.wanted import wanted
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.kinds import Create, Install, Retype
from inkshelf.core.value import replace
from inkshelf.exchange import render
from strategies import machines, mbr_machines, wishes

anything = st.one_of(machines(), machines(), mbr_machines())


@given(st.data(), anything)
def test_a_plan_of_any_aims_can_be_carried_out_or_says_why_not(data: st.DataObject, machine: Machine) -> None:
    job = data.draw(wishes(machine))
    if job.plan_fault:
        assert not job.steps
        assert job.plan_fault.rstrip().endswith((".", "?")), job.plan_fault
        return
    reading = read(job)
    assert reading.plan.fault is None, [(one.kind, one) for one in job.aims]
    for disk in reading.plan.planned.disks:
        in_order(disk)
        assert sum(one.size for one in reading.ledger.stretches if one.disk == disk.id) == disk.size
    _keeps(machine, reading)
    _never_comes_back(machine, job)
    _hides_only_start_up_volumes(reading)
    _starts(reading)
    assert [step for _, step in wanted(job)] == [one for one in job.steps if isinstance(one, Create)], "one partition a need"
    assert replan(job) == job, "the same job gives the same plan"


def in_order(disk: Disk) -> None:
    """Volumes lie inside the table's bounds, apart from each other, each with a number of its own."""
    at = 0
    for one in disk.volumes:
        assert at <= one.start < one.end
        at = one.end
        if one.planned:
            assert one.start % MIB == one.size % MIB == 0
            assert disk.usable_start <= one.start
            assert one.end <= disk.usable_end
    assert len({one.number for one in disk.volumes}) == len(disk.volumes)


def _keeps(found: Machine, reading: Reading) -> None:
    """What no step gives up is there afterwards, on its disk, never smaller than what is in it; its identity is its own."""
    for disk, volume in found.volumes():
        if volume.call in reading.ledger.lost:
            continue
        now_on, now = reading.plan.planned.find(volume.call)
        assert now_on.id == disk.id
        assert volume.used is None or now.size >= min(volume.used, volume.size)
        if now_on.table.kind == disk.table.kind:
            assert now.guid == volume.guid
            assert now.type_id == volume.type_id, "what was hidden for the work is put back"
        if volume.filesystem and now.filesystem:
            assert now.filesystem.uuid == volume.filesystem.uuid
    said = {
        call for step, before in zip(reading.job.steps, reading.plan.machines, strict=False) for call in step.gives_up(before)
    }
    assert set(reading.ledger.lost) <= said


def _hides_only_start_up_volumes(reading: Reading) -> None:
    for step, before in zip(reading.job.steps, reading.plan.machines, strict=False):
        if isinstance(step, Retype) and step.active is None:
            assert before.find(step.call)[1].role == "startup", "nothing else is hidden from an installer"


def _never_comes_back(found: Machine, job: Job) -> None:
    made = [step.call for step in job.steps if isinstance(step, Create)]
    assert len(set(made)) == len(made), "a call number is given once"
    assert not set(made) & {volume.call for _, volume in found.volumes()}


def _starts(reading: Reading) -> None:
    """Every system that the plan installs, and leaves, starts at the end: by itself, by the menu, or by hand."""
    planned = reading.plan.planned
    if planned.firmware.mode is None or planned.firmware.secure_boot == "on":
        return
    for step in reading.job.steps:
        if isinstance(step, Install) and planned.find(step.call):
            seen = outcome(planned, step.call, STANDING[0])
            assert seen.starts, (seen, [(one.kind, one) for one in reading.job.aims])


@given(st.data(), anything)
def test_everything_can_be_written_of_any_plan_and_kept(data: st.DataObject, machine: Machine) -> None:
    job = data.draw(wishes(machine))
    reading = read(job)
    found = findings(reading)
    assert len({one.key for one in found}) == len(found), "a finding is answered for by its key"
    made = sheet(reading, found)
    assert len(made.rows) == len(job.steps)
    assert all(row.words.title and row.words.stage for row in made.rows)
    assert render.markdown(reading)
    assert document.load(document.dump(job)) == job
    for aim in job.aims:
        assert aim.sentence(machine)
        assert without_aim(job, aim.id).aims == tuple(one for one in job.aims if one.id != aim.id)


@pytest.mark.parametrize("kind", every_aim())
def test_every_question_has_a_usual_answer_with_its_reason(kind: type, found_job: Job) -> None:
    aim = kind.usual_on(found_job.found)
    for question in aim.questions(found_job.found):
        assert question.title
        assert question.why
        assert hasattr(aim, question.of), "the answer has a field"
        if question.kind == "choice":
            assert question.usual in {one.value for one in question.answers}
            assert all(one.cost for one in question.answers), "both sides' reasons"


def test_every_kind_of_aim_is_listed_by_its_word_and_an_unknown_one_is_refused(found_job: Job) -> None:
    folder = Path(aims.__file__).parent
    written = {
        word
        for one in folder.glob("*.py")
        for word in re.findall(r'\((?:AimBase|Schools|StickAim), frozen=True, tag="([^"]+)"', one.read_text())
    }
    assert set(aims.KINDS) == written
    assert [str(one.__struct_config__.tag) for one in every_aim()] == list(aims.KINDS)
    plain = json.loads(document.dump(found_job))
    for wrong, place in (
        ([{"kind": "nobody"}], "job.aims[0]"),
        ([{"kind": ["beside"]}], "job.aims[0]"),
        ([{"kind": "beside"}, 7], "job.aims[1]"),
        ([{"kind": "beside", "size_bytes": "x"}], "job.aims[0].size_bytes"),
        ({"kind": "beside"}, "job.aims"),
    ):
        plain["job"]["aims"] = wrong
        with pytest.raises(JobError) as refused:
            document.load(json.dumps(plain).encode())
        assert f"damaged at {place}:" in str(refused.value)


def test_the_window_with_a_job_loads_only_the_kinds_of_aim_that_the_job_holds() -> None:
    code = (
        "import sys, inkshelf.ui.start, inkshelf.ui.shelf.chapter; print(*[one for one in sys.modules if '.core.aims.' in one])"
    )
    loaded = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.split()
    own = {f"inkshelf.core.aims.{one.split('.')[0]}" for one in aims.KINDS.values()}
    assert own & set(loaded) == {"inkshelf.core.aims.beside"}


def test_what_is_over_is_shared_by_weight_in_whole_mib() -> None:
    one = Need("one", "system", "linux_root_x64", "ext4", "one", "linux_root", 20 * GIB, 80 * GIB, grows=True)
    two = replace(one, part="two", comfort=40 * GIB)
    fixed = replace(one, part="swap", floor=4 * GIB, comfort=4 * GIB, grows=False)
    sizes = divide((one, two, fixed), 200 * GIB + 7 * MIB)
    assert all(size % MIB == 0 for size in sizes.values())
    assert sum(sizes.values()) == 200 * GIB + 7 * MIB
    assert sizes["swap"] == 4 * GIB
    over = {part: size - comfort * GIB for (part, size), comfort in zip(sizes.items(), (80, 40, 4), strict=True)}
    assert over["one"] / over["two"] == pytest.approx(2, abs=0.001), "by comfort"


def test_a_placement_that_was_not_proved_is_said_to_be_none(found_job: Job, monkeypatch: pytest.MonkeyPatch) -> None:
    from inkshelf.core.aims import several

    made = and_aim(found_job, several.Several(systems=("linux-light",)))
    assert made.unproved == ()
    real = several._solved
    monkeypatch.setattr(several, "_solved", lambda problem: replace(real(problem), proven=False))
    told = and_aim(found_job, several.Several(systems=("linux-light",)))
    assert told.unproved == ("a1",)
    assert "wish.unproved.a1" in {one.key for one in findings(read(told))}
    assert document.load(document.dump(told)) == told
