"""Starts of the machine: where each step is done, what is done in one start, what several aims of one job ask for twice."""

from __future__ import annotations

import random
from pathlib import Path

import pytest

from aim_jobs import AimJobs
from inkshelf.bench.intake import take_in
from inkshelf.bench.recipes import inked, wanting
from inkshelf.core.machine.profiles import profile
from inkshelf.core.plan.job import Job, with_found
from inkshelf.core.plan.merging import merged
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.sessions import FIRMWARE, LIVE, places, restarts, sessions
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GIB
from inkshelf.core.steps.kinds import AddEntry, Confirm, Install, Prepare, Prove, SetMode, SetSecureBoot, every_step
from inkshelf.core.value import replace
from inkshelf.exchange import render


def starts(job: Job) -> list[tuple[int, str]]:
    """Number and words of every start, by the step that it is for."""
    return [(one.number, one.start) for one in sessions(read(job)) if one.start]


def test_every_kind_of_step_has_a_place_and_an_unknown_one_is_refused() -> None:
    lacking = [one.__name__ for one in every_step() if places.dispatch(one) is places.dispatch(object)]
    assert lacking == []
    with pytest.raises(TypeError, match="nobody said where"):
        places(object(), None)


def test_one_more_beside_takes_six_starts(one: Job) -> None:
    job = wanting(one, ("beside", {"size": "90GiB"}))
    seen = starts(job)
    assert [number for number, _ in seen] == [1, 1, 2, 3, 4, 5, 6], "leaving the firmware's settings is no start of its own"
    assert FIRMWARE in seen[0][1]
    assert seen[1][1].startswith("leave the settings, and start NT family (S1)")
    assert seen[2][1].startswith("shut down fully, then start NT family (S1)"), "the shrink box is in its own system"
    assert LIVE in seen[4][1]
    assert seen[5][1] == "the installer's own restart, into Linux desktop (S2)"
    assert restarts(read(job)) == 6


def test_a_new_system_is_looked_at_in_the_start_that_its_installation_ends_in(one: Job) -> None:
    job = wanting(one, ("beside", {"size": "90GiB"}))
    rows = list(zip(job.steps, sessions(read(job)), strict=True))
    new = next(session for step, session in rows if isinstance(step, Prove) and step.when == "new")
    assert not new.start
    old = next(session for step, session in rows if isinstance(step, Prove) and step.when == "every old one")
    assert old.start == "start NT family (S1)"
    shrunk = next(session for step, session in rows if isinstance(step, Prove) and step.when == "after shrinking")
    assert shrunk.start == "start NT family (S1)", "it must come up once more after it was made smaller"


def test_an_installer_that_restarts_several_times_is_counted_with_all_of_them(two: Job) -> None:
    job = wanting(two, ("clean", {"disk": "B", "systems": "nt-desktop"}))
    before = next(
        session.number
        for step, session in zip(job.steps[::-1], list(sessions(read(job)))[::-1], strict=True)
        if session.number and not session.start.startswith("the installer") and job.steps.index(step) < install_at(job)
    )
    after = next(session for session in sessions(read(job)) if session.start.startswith("the installer"))
    assert after.number == before + profile("nt-desktop").restarts


def install_at(job: Job) -> int:
    return next(number for number, step in enumerate(job.steps) if isinstance(step, Install))


def test_two_aims_ask_once_for_what_is_made_sure_of_and_tidy_up_once(two: Job) -> None:
    job = wanting(two, ("own-disk", {"disk": "B", "share": "ntfs"}), ("give-back", {"to": "S1"}))
    subjects = [step.subject for step in job.steps if isinstance(step, Confirm)]
    assert len(subjects) == len(set(subjects))
    assert job.steps[-1].subject == "tidy"
    off = [step.call for step in job.steps if isinstance(step, Prepare) and step.what == "fast_startup_off"]
    assert off == ["S1"], "it was switched off once, and stays off"
    apart = sum(restarts(read(wanting(two, one_aim))) for one_aim in (("own-disk", {"disk": "B", "share": "ntfs"}),))
    apart += restarts(read(wanting(two, ("give-back", {"to": "S1"}))))
    assert restarts(read(job)) <= apart


def test_what_is_merged_is_only_what_was_said_twice(one: Job) -> None:
    steps = wanting(one, ("beside", {"size": "90GiB"})).steps
    assert merged(steps) == steps
    twice = merged((*steps, *steps))
    dropped = [*steps, *steps]
    for step in twice:
        dropped.remove(step)
    assert dropped
    assert all(isinstance(step, Confirm | Prepare) for step in dropped)
    suspended = Prepare("S1", "suspend_encryption"), Prepare("S1", "resume_encryption")
    both = merged((*suspended, *steps, *suspended))
    assert [step.what for step in both if isinstance(step, Prepare) and "encryption" in step.what] == [
        "suspend_encryption",
        "resume_encryption",
    ]
    assert both[0] == suspended[0]
    assert both[-1] == suspended[1]


def test_a_travelling_system_is_started_with_its_disk_and_the_machine_without_it(two: Job) -> None:
    job = wanting(two, ("travelling", {"disk": "B"}))
    seen = starts(job)
    assert seen[-1] == (restarts(read(job)), "start NT family (S1), the external disk out")
    assert restarts(read(job)) == 4


def test_the_sheet_says_every_start_where_it_is_made(one: Job, tmp_path: Path) -> None:
    job = wanting(one, ("no-stick", {"size": "70GiB"}))
    made = sheet(read(job))
    text, page = render.markdown(read(job)), render.html(read(job))
    said = [row.session for row in made.rows if row.session.start]
    assert said[-1].number == made.restarts
    for session in said:
        assert f"*Start {session.number}: {session.start}*" in text
        assert f"<b>start {session.number}</b> {session.start}".replace("'", "&#39;") in page
    assert any("the installer from the disk itself" in session.start for session in said)
    assert f"the machine starts {made.restarts} times" in text


def test_a_system_that_is_carried_over_keeps_its_own_name(tmp_path: Path) -> None:
    """Its entry and its folder bear the title that it has, not that of a profile."""
    image = inked(tmp_path / "old.img", 100 * 10**9, ("clean", {"systems": "linux-legacy", "table": "mbr", "size": "60GiB"}))
    found = take_in([image], mode="legacy", ram_bytes=8 * GIB, seed="own")
    found = with_found(
        found, found.found.with_volume("S1", lambda one: replace(one, holds=replace(one.holds, title="Quill Linux 7 “Ñ”")))
    )
    job = wanting(found, ("table", {}))
    assert not job.plan_fault
    entry = next(step.entry for step in job.steps if isinstance(step, AddEntry))
    assert entry.title == "Quill Linux 7 “Ñ”"
    assert entry.path.split("\\")[2] == "quill-linux-7"
    files = {one.path.split("\\")[2] for one in read(job).plan.planned.find("B1")[1].boot_files}
    assert files == {"quill-linux-7"}
    assert "--bootloader-id=quill-linux-7" in render.markdown(read(job))


AT_THE_SETTINGS = {"firmware_values", "ports", "disk_seated", "disk_first", "SetSetting"}
"""What a person can see to while the firmware's settings are on the screen."""


def test_nothing_that_needs_a_running_system_is_asked_for_in_the_firmware_settings(tmp_path: Path) -> None:
    """An image was to be fetched, a stick written and an entry taken away while the machine stood in its settings."""
    made = AimJobs(tmp_path)
    seen: set[str] = set()
    for seed in range(60):
        reading, stands = read(made.job(random.Random(seed))), False
        for step, session in zip(reading.job.steps, sessions(reading), strict=True):
            stands = (
                FIRMWARE in session.start if session.start and "leave" not in session.start else stands and not session.start
            )
            if stands:
                seen.add(step.subject if isinstance(step, Confirm) else type(step).__name__)
    assert "firmware_values" in seen
    assert seen <= {*AT_THE_SETTINGS, SetMode.__name__, SetSecureBoot.__name__}


def test_a_second_system_in_a_file_hears_of_the_file_in_its_own_first_start(two: Job) -> None:
    job = wanting(two, ("in-file", {}))
    rows = list(zip(job.steps, sessions(read(job)), strict=True))
    fit = next(n for n, (step, _) in enumerate(rows) if isinstance(step, Confirm) and step.subject == "host_fit")
    assert "NT family (S1)" in rows[fit][1].start
    told = next(n for n, (step, _) in enumerate(rows) if isinstance(step, Confirm) and step.subject == "file_stays")
    proof = rows[told - 1][0]
    assert isinstance(proof, Prove)
    assert proof.when == "new"
    assert not rows[told][1].start
