"""Systems whose menu lists entry files: planned, told, inked, read back, removed again; and what begins, against a real menu and the stand-in."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest

from disks import answered
from inkshelf.bench import real_menu
from inkshelf.bench.folder import Bench
from inkshelf.bench.inker import ink
from inkshelf.bench.intake import take_in
from inkshelf.bench.recipes import wanting
from inkshelf.bench.watching import watch
from inkshelf.core.boot.rehearse import Outcome
from inkshelf.core.disk.contents import BootFile
from inkshelf.core.machine.state import Machine
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.steps.kinds import Install
from inkshelf.core.value import replace
from inkshelf.data import exact

sys.path.insert(0, str(Path(__file__).parent.parent / "tools"))
import entry_cases


def off(job: Job) -> Job:
    return replace(job, found=replace(job.found, firmware=replace(job.found.firmware, secure_boot="off")))


def lean(job: Job, esp: str = "shared") -> Job:
    return answered(wanting(off(job), ("beside", {"system": "linux-lean", "esp": esp})))


def entries_on(machine: Machine) -> list[BootFile]:
    return [file for _, volume in machine.volumes() for file in volume.boot_files if file.kind == "entry"]


def verdict(job: Job, system: str, mishap: str = "none") -> Outcome:
    return next(one for one in read(job).after if (one.system, one.mishap) == (system, mishap))


@pytest.fixture(scope="module")
def shared(one: Job, tmp_path_factory: pytest.TempPathFactory) -> tuple[Job, Path]:
    """A system of that kind beside one of the NT family, in its EFI system partition, inked."""
    made, folder = lean(one), tmp_path_factory.mktemp("lean") / "bench"
    report = ink(made, folder)
    assert [check for check in report.checks if not check.ok] == []
    return made, folder


def test_what_was_planned_is_read_back_and_its_kernel_lies_beside_its_entry(shared: tuple[Job, Path]) -> None:
    made, folder = shared
    back = take_in([Bench(folder).image("A")], mode="uefi", secure_boot="off", seed="back").found
    (entry,) = entries_on(back)
    assert (entry.program, entry.lacks) == ("\\lean\\vmlinuz-6", False)
    assert entries_on(read(made).plan.planned) == [entry]
    (root,) = [one for _, one in back.volumes() if one.holds and one.holds.family == "linux"]
    assert root.holds.kernels == 0, "its kernels lie beside the menu"
    assert entry.targets == (root.filesystem.uuid,)
    assert verdict(made, "S2").verdict == "starts"
    assert verdict(made, "S1").why == "chosen in the menu", "the menu lists what lies on its own volume"
    assert verdict(made, "S2", "secure-boot-on").verdict == "does not start", "nothing of it is signed"


@pytest.mark.parametrize("real", [True, False])
def test_real_firmware_begins_its_kernel(shared: tuple[Job, Path], real: bool, monkeypatch: pytest.MonkeyPatch) -> None:
    if not real:
        monkeypatch.setattr(real_menu, "entry_menu_missing", lambda: "a package")
    watched = watch(*shared)
    assert watched.differs == ""
    assert watched.predicted.system == "S2"
    assert "stand-in: kernel of Lean Linux" in watched.seen.console
    assert ("stand-in: menu of entry files" in watched.seen.console) != real


def test_the_sheet_says_where_its_kernels_go_and_what_names_them(shared: tuple[Job, Path]) -> None:
    (install,) = [step for step in shared[0].steps if isinstance(step, Install)]
    page = sheet(read(shared[0]))
    (item,) = [one for one in page.rows if one.number == shared[0].steps.index(install) + 1]
    said = dict(item.words.values)
    assert said["its kernels go to"] == "B1, below \\lean"
    assert said["an entry file there, such as"] == "\\loader\\entries\\lean.conf"


def test_it_goes_with_its_entry_and_kernels_and_the_menu_stays_for_the_other_family(
    shared: tuple[Job, Path], tmp_path: Path
) -> None:
    _, folder = shared
    found = take_in([Bench(folder).image("A")], mode="uefi", secure_boot="off", seed="gone")
    found = replace(found, found=replace(found.found, firmware=replace(read(shared[0]).plan.planned.firmware)))
    job = answered(wanting(found, ("remove", {"system": "S2"})))
    report = ink(job, tmp_path / "bench")
    assert [check for check in report.checks if not check.ok] == []
    left = [file.path for _, one in read(job).plan.planned.volumes() for file in one.boot_files]
    assert f"{exact('paths', 'entry_menu_folder')}\\{exact('paths', 'entry_menu_x64')}" in left
    assert not entries_on(read(job).plan.planned)
    assert verdict(job, "S1").starts


@pytest.mark.parametrize(
    ("said", "why"),
    [
        ({"encryption": "all"}, "a root inside a container or a group is not planned with it"),
        ({"home": "lvm"}, "a root inside a container or a group is not planned with it"),
    ],
)
def test_a_root_that_has_to_be_opened_first_is_refused_in_words(one: Job, said: dict[str, str], why: str) -> None:
    assert why in wanting(off(one), ("beside", {"system": "linux-lean", "esp": "own", **said})).plan_fault


# -- against a real menu -----------------------------------------------------------------------------------------------
def kept() -> list[str]:
    return (Path(__file__).parent.parent / "docs/entry-agreement.md").read_text(encoding="utf-8").splitlines()


@pytest.mark.parametrize("case", entry_cases.CASES, ids=lambda one: one.title)
def test_what_a_real_menu_began_is_still_what_is_predicted(case: entry_cases.Entries, tmp_path: Path) -> None:
    """Every case, against the table that was written when all of them were started."""
    wanted = entry_cases.predicted(entry_cases.made(case, tmp_path / "disk.img", real=False))
    (row,) = [one for one in kept() if one.startswith(f"| {case.title} | ")]
    assert row.split(" | ")[1] == f"`{wanted or 'nothing'}`"
    assert row.endswith("| yes |")


@pytest.mark.parametrize("title", ["within one key the later version", "a default whose kernel is not there"])
def test_the_stand_in_sorts_as_predicted(title: str, tmp_path: Path) -> None:
    case = next(one for one in entry_cases.CASES if one.title == title)
    wanted, stood, watched = entry_cases.judged(case, tmp_path, real=False)
    assert stood == wanted == "heron" or stood == wanted == "merlin", watched.said
