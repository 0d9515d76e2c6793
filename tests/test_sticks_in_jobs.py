"""Sticks beside other aims of one job, and what is found out about sticks and images."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

import machines
from inkshelf.bench import sticks
from inkshelf.bench.intake import with_stick
from inkshelf.bench.recipes import wanting
from inkshelf.core.aims.sticks import known_images
from inkshelf.core.checks import findings, know
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import Disk, FileSystem, Machine, StickFacts, SystemRoot, Table, Volume
from inkshelf.core.media.material import Image, families_of
from inkshelf.core.plan.job import Job, and_aim, replan
from inkshelf.core.plan.merging import First
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.kinds import Confirm, Retype
from inkshelf.core.value import replace
from stick_jobs import images_in, stick_job, wanted


@pytest.fixture(scope="module")
def images(tmp_path_factory: pytest.TempPathFactory) -> tuple[Image, ...]:
    return images_in(tmp_path_factory.mktemp("images"))


@pytest.fixture
def job(tmp_path: Path) -> Job:
    return stick_job(tmp_path / "sticks", (900 * MIB,))


def with_a_stick(folder: Path) -> Job:
    """The demo machine with a blank stick plugged in."""
    one = sticks.Simulated("stick", 900 * MIB, "Testling", "T-1")
    (path,) = sticks.make(folder / "sticks", (one,))
    return with_stick(machines.one_disk(folder), sticks.as_disk(one, path, None, failing=False), path)


def test_a_job_that_makes_its_own_stick_asks_for_none(tmp_path: Path, images: tuple[Image, ...]) -> None:
    plugged = with_a_stick(tmp_path)
    bare = wanting(plugged, ("beside", {"size": "60GiB"}))
    assert "stick.apart" in {found.key for found in findings(read(bare))}
    both = wanting(wanted(plugged, "stick", images[:1]), ("beside", {"size": "60GiB"}))
    assert not both.plan_fault
    subjects = {step.subject for step in both.steps if isinstance(step, Confirm)}
    assert not subjects & {"material", "medium"}
    assert [step.kind for step in both.steps].index("write-image") < [step.kind for step in both.steps].index("install")
    assert "stick.apart" not in {found.key for found in findings(read(both))}
    later = and_aim(bare, replace(both.aims[0], id=""))
    assert [step.kind for step in later.steps] == [step.kind for step in both.steps], "wherever the stick's aim was added"
    rows = sheet(read(both)).rows
    first = next(row for row in rows if row.words.stage == "Medium")
    assert first.session.start == "", "a stick is made where it is plugged in: nothing is started for it"


def test_a_stick_that_another_aim_changed_before_is_made_after_it(job: Job, images: tuple[Image, ...]) -> None:
    """Made first, it would be erased again by what stands in front of it."""
    own = wanted(job, "stick", images[:1]).steps
    changed = fold(job.found, own).planned
    first = First(job.found)
    assert not first.takes(changed, ("M",), own)
    assert first.takes(job.found, ("M",), own)
    assert first.steps == own
    assert not First(replace(job.found, disks=())).takes(job.found, ("M",), own)


def test_what_installs_from_a_stick_never_hides_or_enters_anything_of_it(tmp_path: Path, images: tuple[Image, ...]) -> None:
    plugged = with_a_stick(tmp_path)
    for kind, said in (("beside", {"esp": "own"}), ("clean", {"disk": "A", "systems": "nt-desktop linux-light"})):
        made = wanting(wanted(plugged, "stick", images[:1]), (kind, said))
        assert not made.plan_fault
        stick = {call for step in made.steps if step.id.startswith("a1.") for call in step.gives_calls()} | {"M1", "M2"}
        own = {str(getattr(step, "call", "")) for step in made.steps if step.id.startswith("a2.")}
        assert own
        assert not own & stick


@pytest.mark.parametrize("holds", [None, SystemRoot("linux", "older desk", True)])
def test_the_live_stick_that_a_capture_was_made_from_is_not_hidden(tmp_path: Path, holds: SystemRoot | None) -> None:
    """It is what the installer starts from; a disk with a system of its own is hidden like any other."""
    job = machines.one_disk(tmp_path)
    startup = Volume("B7", 1, MIB, 64 * MIB, gpt_type("efi_system"), "startup", filesystem=FileSystem("fat32", 64 * MIB))
    root = Volume("S7", 2, 80 * MIB, 200 * MIB, gpt_type("linux_data"), "system", holds=holds)
    live = Disk("B", 8 * GIB, table=Table("gpt"), removable=True, volumes=(startup, root))
    made = wanting(replace(job, found=replace(job.found, disks=(*job.found.disks, live))), ("beside", {"esp": "own"}))
    assert ("B7" in {step.call for step in made.steps if isinstance(step, Retype)}) == (holds is not None)
    assert "B1" in {step.call for step in made.steps if isinstance(step, Retype)}


@pytest.mark.parametrize("system", ["nt-desktop", "linux-light"])
def test_an_installer_of_another_family_on_the_stick_is_said(tmp_path: Path, images: tuple[Image, ...], system: str) -> None:
    plugged = with_a_stick(tmp_path)
    wide = next(image for image in images if families_of(image) == ("linux",))
    made = wanting(wanted(plugged, "stick", (wide,)), ("clean", {"disk": "A", "systems": system}))
    assert made.steps
    assert ("stick.family" in {found.key for found in findings(read(made))}) == (system == "nt-desktop")


@pytest.mark.parametrize(
    ("key", "change"),
    [
        ("stick.lies.M", lambda disk: replace(disk, stick=replace(disk.stick, real_size=disk.size // 3))),
        ("stick.slows.M", lambda disk: replace(disk, stick=replace(disk.stick, slows_after=GIB, slow=4_000_000))),
    ],
)
def test_findings_about_a_stick(job: Job, images: tuple[Image, ...], key: str, change: Callable[[Disk], Disk]) -> None:
    made = wanted(job, "stick", images[:1])
    assert key not in {one.key for one in findings(read(made))}
    changed = replan(replace(made, found=made.found.with_disk(change(made.found.disk("M")))))
    assert key in {one.key for one in findings(read(changed))}


def test_findings_about_images(job: Job, images: tuple[Image, ...]) -> None:
    def keys(made: Job) -> set[str]:
        return {one.key for one in findings(read(made))}

    assert "stick.unverified" in keys(wanted(job, "stick", images[:1]))
    agreed = tuple(replace(one, checked="agrees") for one in images)
    assert "stick.unverified" not in keys(wanted(job, "stick", agreed[:1]))
    secure = replace(job, found=replace(job.found, firmware=replace(job.found.firmware, secure_boot="on")))
    assert "stick.refused.M" in keys(wanted(secure, "stick", agreed[3:4], way="files"))
    assert "stick.refused.M" not in keys(wanted(job, "stick", agreed[3:4], way="files"))
    nt = replace(agreed[0], name="nt.iso", live=None, install=("/sources/install.wim", 0, 5))
    assert "stick.unstarted" in keys(wanted(job, "many", (nt,)))
    assert "stick.unstarted" not in keys(wanted(job, "many", agreed[:1]))
    assert "stick.left.tern" in keys(wanted(job, "many", (*agreed, *known_images("tern=5GiB,uefi"))))
    live = agreed[0].live
    assert live is not None
    other = replace(agreed[0], live=replace(live, label="A label too long for it"))
    assert "stick.label.M1" in keys(wanted(job, "stick", (other,), way="files"))
    assert "stick.label.M1" not in keys(wanted(job, "stick", agreed[:1], way="files"))
    slow = replace(job, found=job.found.with_disk(replace(job.found.disk("M"), stick=StickFacts("usb2", 4_000_000, 200_000))))
    assert "stick.slow.M" in keys(wanted(slow, "keep", agreed[:1]))
    assert "stick.slow.M" not in keys(wanted(job, "keep", agreed[:1]))


@pytest.mark.parametrize(
    ("kind", "count", "said"),
    [("stick", 1, {"way": "files"}), ("many", 2, {}), ("two-part", 1, {"large": ("live",)}), ("installer-set", 2, {})],
)
def test_no_stick_is_made_in_silence_for_a_machine_that_does_not_start_it(
    job: Job, images: tuple[Image, ...], kind: str, count: int, said: dict[str, object]
) -> None:
    def refused(found: Machine) -> bool:
        made = wanted(replace(job, found=found), kind, images[:count], **said)
        return bool(made.steps) and "stick.refused.M" in {one.key for one in findings(read(made))}

    legacy = replace(job.found, firmware=replace(job.found.firmware, mode="legacy"))
    narrow = replace(job.found, conditions=replace(job.found.conditions, cpu_bits=32))
    assert not refused(job.found)
    assert refused(legacy)
    assert refused(narrow)


def test_what_can_be_taken_out_is_unplugged_and_nothing_else(job: Job, found_job: Job) -> None:
    assert know(job, "unplugged:M", "yes").found.disks == ()
    with pytest.raises(PlanError, match="fixed"):
        know(found_job, "unplugged:A", "yes")
    with pytest.raises(PlanError, match="no disk Z"):
        know(job, "unplugged:Z", "yes")
