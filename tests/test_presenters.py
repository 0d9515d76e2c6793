"""The plain modules beside the widgets: what the contents, the margin, the gauge, the palette and the start chapter say."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.core.aims import kind_of_aim
from inkshelf.core.aims.beside import Beside
from inkshelf.core.checks import findings
from inkshelf.core.machine.state import Disk, Firmware, Machine, Table
from inkshelf.core.plan.job import Job, and_aim, left_by, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB
from inkshelf.core.steps.identity import tick
from inkshelf.core.value import replace
from inkshelf.ui.aim.gauge import marks
from inkshelf.ui.desk import Desk, Notice
from inkshelf.ui.frame.actions import ACTIONS
from inkshelf.ui.frame.contents import lines, machine_lines
from inkshelf.ui.frame.margin import summary
from inkshelf.ui.frame.overlays import matches
from inkshelf.ui.startmap.chapter import rehearsal
from strategies import aims


def hints(job: Job) -> dict[str, tuple[str, bool]]:
    return {line.key: (line.hint, line.open) for line in lines(Desk(job))}


def test_the_contents_of_an_empty_job_say_where_to_begin() -> None:
    assert hints(Job()) == {
        "intake": ("no disk yet", True),
        "aim": ("open", True),
        "media": ("", False),
        "shelf": ("", False),
        "start": ("", False),
        "sheet": ("", False),
        "proof": ("", False),
        "logbook": ("", False),
        "practice": ("", False),
    }
    assert machine_lines(Desk()) == ()


def test_the_contents_count_what_is_open(job: Job) -> None:
    assert hints(job) == {
        "intake": ("complete", False),
        "aim": ("settled", False),
        "media": ("stick to make", False),
        "shelf": ("", False),
        "start": ("2 of 2", False),
        "sheet": (f"{len(job.steps)} steps", False),
        "proof": ("", False),
        "logbook": ("", False),
        "practice": ("", False),
    }
    unknown = replace(
        job, found=replace(job.found, ram_bytes=None, conditions=replace(job.found.conditions, mains=None, backup="none"))
    )
    assert hints(unknown)["intake"] == ("2 open", True)
    assert hints(unknown)["shelf"] == ("1 stop", True)
    assert hints(replace(job, ticked=tuple(tick(one) for one in job.steps[:2])))["sheet"][0] == f"2 of {len(job.steps)} done"
    assert hints(with_aim(job, replace(job.aim, size_bytes=400 * GIB)))["aim"] == ("cannot be", True)


def test_the_machine_is_told_in_a_few_lines(job: Job) -> None:
    rows = dict(machine_lines(Desk(job)))
    assert rows == {"firmware": "UEFI", "Secure Boot": "on", "memory": "16 GiB", "disk A": "512.1 GB", "serial": "WN08-8831-C"}
    bare = replace(
        job, found=replace(job.found, ram_bytes=None, firmware=replace(job.found.firmware, mode=None, secure_boot=None))
    )
    assert list(dict(machine_lines(Desk(bare))).values())[:3] == ["not known yet"] * 3


def test_the_margin_sums_findings_up(job: Job) -> None:
    assert summary(()) == "nothing to say"
    desk = Desk(job)
    assert summary(desk.findings).endswith("notes")
    assert "stop" not in summary(desk.findings)


@given(aims)
def test_the_gauge_shows_the_parts_of_what_is_planned(found_job: Job, aim: Beside) -> None:
    desk = Desk(with_aim(found_job, aim))
    now = marks(desk)
    assert now is not None
    assert now.least <= now.comfort
    if desk.job.steps and now.parts:
        made = {volume.role: volume.size for _, volume in desk.reading.plan.planned.volumes() if volume.planned}
        assert sum(size for _, size in now.parts) == sum(made.values())


def test_an_aim_behind_one_that_empties_its_disk_is_judged_by_what_it_finds() -> None:
    """On the disk as it was there is no EFI system partition for the installer to take, and all of it is free: the first aim changes both."""
    table = Table("gpt", guid="00000000-0000-0000-0000-00000000000A", first_usable=34, last_usable=40 * GIB // 512 - 34)
    machine = Machine(Firmware("uefi", "on"), (Disk("A", 40 * GIB, table=table),))
    job = Job(found=machine, seed="emptied")
    for kind, answers in (("own-disk", {"disk": "A"}), ("beside", {"disk": "A", "divides": "gap"})):
        job = and_aim(job, kind_of_aim(kind).usual_on(left_by(job), answers))
    assert not job.plan_fault
    small = [one for one in findings(read(job)) if one.key.startswith("room.comfort.")]
    assert small
    now = marks(Desk(job))
    assert now is not None
    assert now.most < 30 * GIB, "the first system keeps what it needs"


def test_the_gauge_needs_a_disk() -> None:
    assert marks(Desk()) is None


@pytest.mark.parametrize(
    ("words", "first"), [("undo", "edit.undo"), ("sheet html", "sheet.html"), ("slate", "view.theme"), ("go shelf", "go.shelf")]
)
def test_the_palette_finds_by_any_words(words: str, first: str) -> None:
    assert first in {one.id for one in matches(words)}


def test_the_palette_lists_all_for_nothing_and_nothing_for_nonsense() -> None:
    assert len(matches("")) == len(ACTIONS)
    assert matches("parsec") == []
    assert len({one.id for one in ACTIONS}) == len(ACTIONS)


@given(st.integers(-3, 60), st.sampled_from(["none", "firmware-reset", "nt-updated", "no such mishap"]))
def test_any_step_and_mishap_can_be_rehearsed(found_job: Job, step: int, mishap: str) -> None:
    desk = Desk(with_aim(found_job, Beside(size_bytes=100 * GIB, esp="own")))
    now = rehearsal(desk, step, mishap)
    assert now.reached is None or now.routes[now.reached].systems
    assert {call for call, _ in now.outcomes} <= {"S1", "S2"}
    assert ("S2", "none") in now.outcomes or step < len(desk.job.steps)


def test_the_desk_tells_who_listens_what_changed(job: Job, tmp_path: Path) -> None:
    desk, heard = Desk(job, tmp_path / "job.json"), []
    desk.subscribe(heard.append)
    desk.select("S1")
    desk.select("S1")
    desk.show("sheet", 4)
    desk.say(Notice("x"))
    desk.tick(3)
    desk.rename("new name", "owner")
    desk.change(desk.job, "nothing")
    assert heard == ["selection", "view", "notice", "notice", "saved", "job", "saved", "job", "job"]
    assert (desk.step, desk.job.done, desk.job.title) == (4, {job.steps[2].id}, "new name")
    assert desk.undo_words == "title and owner"
    desk.open(tmp_path / "job.json")
    assert desk.undo_words == ""


def test_a_selection_that_is_gone_is_dropped(job: Job) -> None:
    desk = Desk(job)
    desk.select("D1")
    desk.set_aim("together", home="together")
    assert desk.selected == ""
