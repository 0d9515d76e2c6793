"""Steps by hand, and what the bench does with them: moved, grown, labelled, removed; nothing lost on the way."""

from __future__ import annotations

import itertools
import json
from pathlib import Path

import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule

from inkshelf.bench.inker import ink
from inkshelf.cli import run
from inkshelf.core.aims.beside import Beside
from inkshelf.core.checks import know
from inkshelf.core.errors import InkshelfError, PlanError, StepError
from inkshelf.core.plan.byhand import change, take_back
from inkshelf.core.plan.job import Job, replan, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.kinds import Create, Delete, Format, Grow, Label, Move, Retype, Shrink
from inkshelf.core.steps.ledger import positions
from inkshelf.core.value import replace
from strategies import drawn


@pytest.fixture
def awake(found_job: Job) -> Job:
    """The machine after its owner shut it down fully."""
    system = found_job.found.find("S1")[1]
    return replace(
        found_job,
        found=found_job.found.with_volume(
            "S1", lambda one: replace(one, filesystem=replace(system.filesystem, hibernated=False))
        ),
    )


def last(job: Job) -> object:
    """The last step, without its identity."""
    return replace(job.steps[-1], id="")


def test_a_volume_is_made_in_the_largest_gap_or_where_it_is_asked_for(found_job: Job) -> None:
    job = change(found_job, "create", "A", size="4GiB", type="linux_swap")
    made = last(job)
    assert isinstance(made, Create)
    assert (made.call, made.role, made.number, made.size) == ("W1", "swap", 5, 4 * GIB)
    assert made.start == job.found.find("R1")[1].end
    job = change(job, "create", "A", after="W1", size="rest")
    assert last(job).start == made.start + made.size
    assert read(job).plan.fault is None
    at = change(found_job, "create", "A", at="470 GiB", size="1GiB")
    assert last(at).start == 470 * GIB


def test_shrinking_removing_and_moving_by_hand(awake: Job) -> None:
    job = change(awake, "resize", "S1", size="300GiB")
    assert last(job) == Shrink("S1", 300 * GIB)
    job = change(job, "move", "R1", after="S1")
    assert isinstance(last(job), Move)
    moved = read(job).plan.planned.find("R1")[1]
    assert moved.start == read(job).plan.planned.find("S1")[1].end
    assert moved.guid == awake.found.find("R1")[1].guid
    ledger = read(job).ledger
    assert ledger.moved_bytes == awake.found.find("R1")[1].used
    assert ledger.lost == ()
    job = change(job, "resize", "R1", size="2GiB")
    assert last(job) == Grow("R1", 2 * GIB)
    job = change(job, "delete", "N1")
    assert read(job).ledger.lost == ("N1",)
    assert read(take_back(job)).ledger.lost == ()


def test_formatting_labels_types_and_flags(found_job: Job) -> None:
    job = change(change(found_job, "create", "A", size="8GiB"), "format", "D1", fs="ext4", label="archive")
    assert isinstance(last(job), Format)
    job = change(job, "label", "D1", label="plates")
    assert last(job) == Label("D1", "plates")
    job = change(job, "type", "D1", type="linux-home")
    job = change(job, "flag", "D1", flag="no-letter", state="on")
    assert last(job).attributes == 1 << 63
    job = change(job, "flag", "D1", flag="no-letter", state="off")
    assert isinstance(last(job), Retype)
    volume = read(job).plan.planned.find("D1")[1]
    assert (volume.filesystem.label, volume.attributes) == ("plates", 0)


REFUSED = [
    ("create", "Q", {}, "no disk Q"),
    ("create", "A", {"size": "100GiB"}, "do not fit"),
    ("create", "A", {"at": "10GiB"}, "no free room at"),
    ("create", "A", {"after": "S1"}, "no free room right behind S1"),
    ("create", "A", {"type": "nonsense"}, "not a partition type"),
    ("create", "A", {"size": "12 parsecs"}, "not a unit"),
    ("delete", "S9", {}, "There is no volume S9"),
    ("move", "R1", {}, "where it goes"),
    ("move", "S1", {"at": "470GiB"}, "needs"),
    ("resize", "S1", {}, "how large"),
    ("resize", "S1", {"size": "300GiB"}, "half asleep"),
    ("resize", "B1", {"size": "200MiB"}, "cannot be resized"),
    ("resize", "R1", {"size": "1GiB"}, "that size already"),
    ("format", "R1", {"fs": "zfs"}, "not a file system"),
    ("format", "R1", {"fs": "nofs"}, "not a file system"),
    ("label", "N1", {"label": "x"}, "nothing that could bear a label"),
    ("label", "B1", {"label": "lower case"}, "upper case"),
    ("type", "R1", {}, "which type"),
    ("flag", "R1", {"flag": "shiny"}, "not a flag"),
    ("flag", "R1", {"flag": "required", "state": "on"}, "so already"),
    ("polish", "R1", {}, "not a change"),
]


@pytest.mark.parametrize(("verb", "call", "words", "says"), REFUSED)
def test_what_cannot_be_done_says_why_and_changes_nothing(
    found_job: Job, verb: str, call: str, words: dict[str, str], says: str
) -> None:
    with pytest.raises(InkshelfError, match=says) as caught:
        change(found_job, verb, call, **words)
    assert caught.value.remedy


def test_steps_by_hand_stay_when_facts_or_the_aim_change(found_job: Job) -> None:
    job = change(with_aim(found_job, Beside(size_bytes=100 * GIB)), "create", "A", size="4GiB")
    assert last(job).call == "D1"
    job = know(job, "ram_bytes", 64 * GIB)
    assert last(job).call == "D1"
    job = with_aim(job, Beside(size_bytes=50 * GIB))
    assert read(job).plan.fault is None
    assert job.steps[-1].id == job.by_hand[0].id == "h1"


@pytest.mark.parametrize(
    ("step", "says"),
    [
        (Move("R1", 400 * GIB), "overlap S1"),
        (Move("R1", 476 * GIB), "not fit"),
        (Grow("R1", 30 * GIB), "not fit"),
        (Grow("R1", GIB), "cannot grow"),
        (Move("S1", MIB), "half asleep"),
    ],
)
def test_reshaping_refuses_places_that_are_taken(found_job: Job, step: object, says: str) -> None:
    with pytest.raises(StepError, match=says):
        step.apply(found_job.found)


def test_where_every_kept_byte_is_after_each_step(awake: Job) -> None:
    job = change(change(change(awake, "resize", "S1", size="300GiB"), "move", "R1", after="S1"), "delete", "N1")
    found = positions(read(job).plan, job.steps)
    by_call = {
        call: [(one.step, one.start, one.size) for one in found if one.call == call] for call in ("B1", "N1", "S1", "R1")
    }
    start = awake.found.find("R1")[1].start
    assert by_call["R1"] == [(0, start, GIB), (2, awake.found.find("S1")[1].start + 300 * GIB, GIB)]
    assert [step for step, _, _ in by_call["S1"]] == [0, 1]
    assert [step for step, _, _ in by_call["N1"]] == [0]


def test_the_bench_moves_grows_labels_and_removes_as_predicted(awake: Job, tmp_path: Path) -> None:
    """The owner's volume is woken on the bench first; then everything by hand, read back equal."""
    job = awake
    asleep = job.found.with_volume("S1", lambda one: replace(one, filesystem=replace(one.filesystem, hibernated=True)))
    job = change(replace(job, found=asleep), "prepare", "S1", what="fast-startup-off")
    for verb, call, words in (
        ("resize", "S1", {"size": "300GiB"}),
        ("move", "R1", {"after": "S1"}),
        ("move", "R1", {"at": "308000MiB"}),
        ("resize", "R1", {"size": "2GiB"}),
        ("label", "R1", {"label": "RESCUE"}),
        ("create", "A", {"after": "R1", "size": "20GiB"}),
        ("format", "D1", {"fs": "ext4", "label": "archive"}),
        ("resize", "D1", {"size": "10GiB"}),
        ("resize", "D1", {"size": "15GiB"}),
        ("label", "D1", {"label": "plates"}),
        ("label", "B1", {"label": "START"}),
        ("flag", "D1", {"flag": "hidden", "state": "on"}),
        ("delete", "N1", {}),
    ):
        job = change(job, verb, call, **words)
    report = ink(job, tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    assert {one.what: one.detail for one in report.checks}["R1: files"].startswith("1 files and folders the same")


class HandMachine(RuleBasedStateMachine):
    """Any steps a person may try, in any order: each is refused in words or leaves a sound plan."""

    jobs: list[Job] = []  # noqa: RUF012 - filled by the fixture below, once

    @initialize()
    def begin(self) -> None:
        self.job = self.jobs[0]

    def _try(self, verb: str, call: str, **words: str) -> None:
        try:
            self.job = change(self.job, verb, call, **words)
        except InkshelfError as error:
            assert error.what

    @rule(
        size=st.sampled_from(["1GiB", "4GiB", "rest", "300MiB"]),
        kind=st.sampled_from(["linux_data", "linux_swap", "efi_system"]),
    )
    def create(self, size: str, kind: str) -> None:
        self._try("create", "A", size=size, type=kind)

    @rule(
        call=st.sampled_from(["B1", "N1", "S1", "R1", "D1", "W1", "B2"]),
        size=st.sampled_from(["300GiB", "250GiB", "2GiB", "rest", "512MiB"]),
    )
    def resize(self, call: str, size: str) -> None:
        self._try("resize", call, size=size)

    @rule(call=st.sampled_from(["N1", "R1", "D1", "W1"]), after=st.sampled_from(["S1", "R1", "D1", "B1"]))
    def move(self, call: str, after: str) -> None:
        self._try("move", call, after=after)

    @rule(call=st.sampled_from(["R1", "D1", "W1", "B2"]), fs=st.sampled_from(["ext4", "swap", "fat32", "xfs"]))
    def format(self, call: str, fs: str) -> None:
        self._try("format", call, fs=fs)

    @rule(call=st.sampled_from(["N1", "D1", "W1"]))
    def delete(self, call: str) -> None:
        self._try("delete", call)

    @rule()
    def undo(self) -> None:
        self.job = take_back(self.job)

    @invariant()
    def the_plan_is_sound(self) -> None:
        reading = read(self.job)
        assert reading.plan.fault is None
        volumes = reading.plan.planned.disks[0].volumes
        assert all(one.end <= other.start for one, other in itertools.pairwise(volumes))
        assert sum(one.size for one in reading.ledger.stretches) == self.job.found.disks[0].size
        assert len({one.guid for one in volumes}) == len(volumes)


HandMachine.TestCase.settings = settings(drawn(25), stateful_step_count=14)


@pytest.fixture(autouse=True)
def hand_jobs(awake: Job) -> None:
    HandMachine.jobs = [awake]


class TestHand(HandMachine.TestCase):
    pass


def test_changes_and_the_ledger_on_the_command_line(
    demo_files: tuple[Path, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    job = str(tmp_path / "job.json")
    assert run(["new", "-o", job, "--firmware", "uefi", "--disk", str(demo_files[0])]) == 0
    for words in (
        ["create", "A", "--size", "6GiB", "--type", "linux_data"],
        ["format", "D1", "--fs", "ext4", "--label", "archive"],
        ["label", "D1", "plates"],
        ["type", "D1", "linux_home"],
        ["flag", "D1", "hidden", "on"],
        ["resize", "D1", "--size", "rest"],
        ["delete", "N1"],
        ["undo"],
    ):
        assert run(["change", job, *words]) == 0, words
    capsys.readouterr()
    assert run(["change", job, "move", "D1", "--after", "S1"]) == 2
    assert "no free room right behind S1" in capsys.readouterr().err
    assert run(["change", job, "delete", "N1", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["ledger"]["lost"] == ["N1"]
    assert run(["ledger", job, "--json"]) == 0
    document = json.loads(capsys.readouterr().out)
    assert {"step", "call", "disk", "start_byte", "size_bytes", "used_bytes"} == document["positions"][0].keys()
    assert run(["ledger", job]) == 0
    assert "lost N1" in capsys.readouterr().out


def test_nothing_by_hand_to_take_back_is_harmless(found_job: Job) -> None:
    assert take_back(found_job).steps == ()
    with pytest.raises(PlanError):
        change(replace(found_job, steps=(Delete("Z1"),)), "delete", "N1")


def test_a_partition_name_that_no_table_holds_is_refused_when_it_is_said(found_job: Job) -> None:
    fits = change(found_job, "create", "A", size="1GiB", name="n" * 34 + "\U0001f4d6")
    assert last(fits).name.endswith("\U0001f4d6")
    with pytest.raises(StepError, match="longer than 36"):
        change(found_job, "create", "A", size="1GiB", name="n" * 35 + "\U0001f4d6")


def test_a_call_number_stays_taken_while_what_it_was_given_to_does_not_apply(found_job: Job) -> None:
    job = change(found_job, "create", "A", size="10GiB")
    asked = job.by_hand[0]
    waiting = replan(replace(job, by_hand=(replace(asked, words=(("size", "9000GiB"),)),)))
    assert [one.intent for one in waiting.idle] == [asked.id]
    assert asked.made == "D1"
    assert last(change(waiting, "create", "A", size="5GiB")).call == "D2"
