"""Numbers that a person set: they stay whatever else changes, the others adapt; and which limit keeps the rest at its size."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from inkshelf.bench.recipes import wanting
from inkshelf.core.checks import findings
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import Machine
from inkshelf.core.plan import document
from inkshelf.core.plan.job import Job, changed_aim
from inkshelf.core.plan.locks import lock, lockable, locked, unlock, unlock_all
from inkshelf.core.plan.reading import read
from inkshelf.core.plan.wanted import wanted_by
from inkshelf.core.sheet.bounds import bounds
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.kinds import FillGroup, Grow, Shrink
from inkshelf.core.value import replace
from strategies import machines as any_machine
from strategies import wishes


def sizes(job: Job) -> dict[str, int]:
    return {call: size for call, _, _, size in lockable(job)}


@given(st.data(), any_machine())
def test_a_size_that_is_locked_stays_whatever_else_is_asked(data: st.DataObject, machine: Machine) -> None:
    """Either the number is kept to the MiB, or the plan says that it cannot be; nothing is changed in silence."""
    job = data.draw(wishes(machine))
    made = sizes(job)
    assume(made)
    call = data.draw(st.sampled_from(sorted(made)))
    size = data.draw(st.integers(1, 2 * made[call] // MIB)) * MIB
    kept = lock(job, call, size)
    if kept.plan_fault:
        assert not kept.steps
    else:
        own = next(aim.id for one, aim, _, _ in lockable(kept) if one == call)
        asked = [step for step in kept.steps if isinstance(step, Grow | Shrink) and step.call == call]
        if all(step.id.split(".")[0] == own for step in asked):  # another aim may give it room, or take some
            assert sizes(kept)[call] == size
        assert next(create.size for _, _, create in wanted_by(kept) if create.call == call) == size
        assert locked(kept)[call] == size
        assert document.load(document.dump(kept)) == kept
        back = unlock(kept, call)
        assert locked(back) == {}
        assert sizes(back) == made, "opened again, everything is as it was"
    assert sizes(unlock_all(kept)) == made


@pytest.mark.parametrize(
    "said", [{"home": "apart"}, {"home": "apart", "share": "ntfs"}, {"home": "lvm"}, {"encryption": "all", "home": "apart"}]
)
def test_the_others_take_what_a_locked_one_leaves(two: Job, said: dict[str, str]) -> None:
    job = wanting(two, ("own-disk", said))
    before = sizes(job)
    room = sum(before.values())
    call = max(before, key=lambda one: before[one])
    kept = lock(job, call, before[call] - 30 * GIB)
    assert sizes(kept)[call] == before[call] - 30 * GIB
    others = [one for one in before if one != call and sizes(kept)[one] != before[one]]
    assert all(sizes(kept)[one] > before[one] for one in others), "who changes gets more, nobody less"
    assert sum(sizes(kept).values()) <= room
    changed = changed_aim(kept, replace(kept.aims[0], swap="none"))
    assert before[call] - 30 * GIB in sizes(changed).values(), "it outlives another answer"


def test_what_lies_in_a_group_is_locked_by_its_part(two: Job) -> None:
    job = wanting(two, ("own-disk", {"home": "lvm"}))
    kept = changed_aim(job, replace(job.aims[0], sizes=(("root", 64 * GIB),)))
    step = next(one for one in kept.steps if isinstance(one, FillGroup))
    assert {one.name: one.size_bytes for one in step.holds}["root"] == 64 * GIB
    assert sizes(kept)["K1"] == sizes(job)["K1"], "the container is not the root in it"
    assert locked(kept) == {}
    assert sizes(lock(job, "K1", 100 * GIB))["K1"] == 100 * GIB


def test_what_cannot_be_together_is_named_and_never_cut(one: Job) -> None:
    job = wanting(one, ("beside", {"home": "apart", "size": "100GiB"}))
    kept = lock(job, "S2", 300 * GIB)
    assert "locked: root 300 GiB" in kept.plan_fault
    assert not kept.steps
    assert sizes(unlock_all(kept)) == sizes(job)


def test_below_its_floor_a_locked_volume_is_kept_and_said(one: Job) -> None:
    kept = lock(wanting(one, ("beside", {"home": "apart"})), "S2", 12 * GIB)
    assert sizes(kept)["S2"] == 12 * GIB
    assert any(found.key.startswith("room.floor") and "S2" in found.calls for found in findings(read(kept)))


@pytest.mark.parametrize("call", ["S1", "X9"])
def test_only_what_an_aim_makes_has_a_size_to_lock(one: Job, call: str) -> None:
    job = wanting(one, ("beside", {}))
    with pytest.raises(PlanError, match="Those are: "):
        lock(job, call)
    with pytest.raises(PlanError, match="not locked"):
        unlock(job, "S2")


def test_the_limit_that_binds_is_the_one_that_gives_room_when_it_goes(one: Job) -> None:
    """As much as S1 gives: what stands behind is named, with what its move would bring and cost; once it moved, that much is there."""
    most = 213 * GIB
    job = wanting(one, ("beside", {"size": "213GiB"}))
    (bound,) = bounds(read(job))
    assert "S1 gives no more" in bound.words
    assert "if R1 moved" in bound.words
    planned = read(job).plan.planned.disk("A")
    recovery = planned.volumes[-1]
    gap = planned.usable_end - recovery.end
    assert abs(bound.more - gap) < 2 * MIB
    assert bound.copied == recovery.used
    assert most + bound.more > 230 * GIB


def test_what_a_person_or_comfort_decides_is_said_as_such(one: Job, two: Job) -> None:
    said = {
        "comfort": bounds(read(wanting(one, ("beside", {}))))[0].words,
        "set": bounds(read(wanting(one, ("beside", {"size": "120GiB"}))))[0].words,
        "end": bounds(read(wanting(two, ("own-disk", {}))))[0].words,
    }
    assert said["comfort"].startswith("every one is comfortable")
    assert said["set"].startswith("their room was set at 120 GiB")
    assert said["end"].startswith("disk B ends behind")
    job = wanting(two, ("own-disk", {}))
    assert bounds(read(lock(job, "S2", 50 * GIB)))[0].words == "every size is locked"


@given(st.data(), any_machine())
def test_every_aim_that_makes_something_open_says_what_binds_it(data: st.DataObject, machine: Machine) -> None:
    reading = read(data.draw(wishes(machine)))
    known = {(one.aim, one.disk) for one in bounds(reading)}
    for aim, need, create in wanted_by(reading.job):
        stays = reading.plan.planned.find(create.call) is not None  # a later aim may have taken it away again
        if stays and (need.grows or need.comfort > need.floor):
            assert (aim.id, create.disk) in known
    assert all(one.words and one.more >= 0 for one in bounds(reading))
    assert all((one.more > 0) == ("moved" in one.words) for one in bounds(reading))


def test_locked_by_command_by_key_and_by_menu(one: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    from inkshelf.cli import run
    from inkshelf.store import jobfile

    path = tmp_path / "job.json"
    jobfile.save(wanting(one, ("beside", {"home": "apart", "size": "140GiB"})), path)
    assert run(["lock", str(path), "s2", "60GiB"]) == 0
    assert sizes(jobfile.load(path))["S2"] == 60 * GIB
    assert run(["aim", str(path), "--change", "1", "--size", "160GiB"]) == 0
    assert sizes(jobfile.load(path))["S2"] == 60 * GIB
    capsys.readouterr()
    assert run(["lock", str(path)]) == 0
    said = capsys.readouterr().out
    assert [line for line in said.splitlines() if line.endswith("locked")] == [
        next(line for line in said.splitlines() if line.startswith("S2"))
    ]
    assert run(["lock", str(path), "S2", "--off"]) == 0
    assert locked(jobfile.load(path)) == {}
    assert run(["lock", str(path), "S1"]) != 0


def test_a_giver_shrinks_for_what_is_locked_and_not_further(one: Job) -> None:
    job = wanting(one, ("beside", {"size": "140GiB"}))
    kept = lock(job, "S2", 90 * GIB)
    assert [step.to_bytes for step in kept.steps if isinstance(step, Shrink)] == [
        step.to_bytes for step in job.steps if isinstance(step, Shrink)
    ]
