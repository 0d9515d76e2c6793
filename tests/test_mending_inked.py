"""Mending on real bytes: a disk that was inked, broken by base utilities, taken in anew, mended on the bench and read back."""

from __future__ import annotations

import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

import machines
from disks import answered
from inkshelf.bench import emulator, stand_ins
from inkshelf.bench.inker import ink
from inkshelf.bench.intake import take_in
from inkshelf.bench.recipes import inked, wanting
from inkshelf.bench.watching import watch
from inkshelf.core.aims.mending import Mend
from inkshelf.core.boot.mishaps import STANDING
from inkshelf.core.boot.rehearse import outcome
from inkshelf.core.machine.state import Machine
from inkshelf.core.mending.narrowing import fitting
from inkshelf.core.plan import document
from inkshelf.core.plan.job import Job, and_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB, MIB
from inkshelf.core.value import replace
from inkshelf.data import exact

SIZE = 60 * 10**9


@pytest.fixture(scope="module")
def healthy(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Machine]:
    """A disk with one Linux-family system that starts through UEFI, as an inked plan left it."""
    folder = tmp_path_factory.mktemp("healthy")
    bare = folder / "bare.img"
    with bare.open("wb") as out:
        out.truncate(SIZE)
    job = wanting(
        take_in([bare], mode="uefi", secure_boot="off", ram_bytes=8 * GIB, seed="healthy"),
        ("clean", {"systems": "linux-desktop", "size": "40GiB"}),
    )
    report = ink(answered(job), folder / "bench")
    assert report.verified
    return Path(report.images[0]), read(job).plan.planned


def mtools(image: Path, start: int, *command: str) -> None:
    subprocess.run(
        [command[0], "-i", f"{image}@@{start}", *command[1:]], check=True, capture_output=True, env={"MTOOLS_SKIP_CHECK": "1"}
    )


def in_root(image: Path, machine: Machine, *lines: str) -> None:
    """Let debugfs, a base utility, write into the root where it stands."""
    root = machine.find("S1")[1]
    for line in lines:
        subprocess.run(["debugfs", "-w", "-R", line, f"{image}?offset={root.start}"], check=True, capture_output=True)


def esp(machine: Machine) -> int:
    return machine.find("B1")[1].start


def no_folder(image: Path, machine: Machine) -> None:
    mtools(image, esp(machine), "mdeltree", "::/EFI")


def no_configuration(image: Path, machine: Machine) -> None:
    for one in machine.find("B1")[1].boot_files:
        if one.kind == "menu-config":
            mtools(image, esp(machine), "mdel", "::" + one.path.replace("\\", "/"))


def no_program(image: Path, machine: Machine) -> None:
    spoilt = image.with_suffix(".text")
    spoilt.write_text("nothing that runs\n")
    for one in machine.find("B1")[1].boot_files:
        if one.kind == "first-stage":
            mtools(image, esp(machine), "mcopy", "-o", str(spoilt), "::" + one.path.replace("\\", "/"))


def no_kernel(image: Path, machine: Machine) -> None:
    in_root(image, machine, f"rm {exact('linux', 'boot_folder')}/{exact('linux', 'kernel_prefix')}-6")


def waits(image: Path, machine: Machine) -> None:
    system = machine.find("S1")[1]
    table = image.with_suffix(".table")
    table.write_text(
        f"UUID={system.filesystem.uuid} / ext4 defaults 0 1\n# an old disk\nUUID=0badcafe-0000-4000-8000-000000000000 /srv/plates ext4 defaults 0 2\n"
    )
    in_root(image, machine, f"rm {exact('linux', 'mount_table')}", f"write {table} {exact('linux', 'mount_table')}")


BROKEN: dict[str, tuple[str, Callable[[Path, Machine], None]]] = {
    "loader-gone": ("no-device", no_folder),
    "config-gone": ("prompt", no_configuration),
    "loader-broken": ("no-device", no_program),
    "kernel-gone": ("kernel-error", no_kernel),
    "waits-for-volume": ("emergency", waits),
}


@pytest.mark.parametrize("cause", BROKEN)
def test_what_utilities_broke_is_found_mended_and_read_back(healthy: tuple[Path, Machine], tmp_path: Path, cause: str) -> None:
    source, was = healthy
    image = tmp_path / "broken.img"
    subprocess.run(["cp", "--sparse=always", source, image], check=True)
    seen, broken = BROKEN[cause]
    broken(image, was)
    job = take_in([image], mode="uefi", secure_boot="off", ram_bytes=8 * GIB, seed="mend")
    found = replace(job.found, firmware=replace(was.firmware, entries_known=True))
    job = replace(job, found=found)
    if cause != "waits-for-volume":
        assert not outcome(found, "S1", STANDING[0]).starts
    assert next(one.cause.key for one in fitting(found, "S1", seen) if one.case.shown) == cause
    job = and_aim(job, Mend.usual_on(found, {"seen": seen}))
    assert not job.plan_fault
    assert document.load(document.dump(job)) == job
    report = ink(answered(job), tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    assert outcome(read(job).plan.planned, "S1", STANDING[0]).verdict == "starts"
    again = take_in([Path(report.images[0])], mode="uefi", secure_boot="off", ram_bytes=8 * GIB, seed="again").found
    again = replace(again, firmware=read(job).plan.planned.firmware)
    assert cause not in {one.cause.key for one in fitting(again, "S1", seen) if one.case.shown}, "read back from the bytes"
    assert outcome(again, "S1", STANDING[0]).verdict == "starts"


def test_what_may_be_missing_keeps_every_other_line(healthy: tuple[Path, Machine], tmp_path: Path) -> None:
    from inkshelf.bench import installers
    from inkshelf.bench.image import ImageFile
    from inkshelf.bench.kinds import ext
    from inkshelf.core.disk.source import Slice

    part = tmp_path / "root.ext4"
    with part.open("wb") as out:
        out.truncate(64 * MIB)
    subprocess.run(["mkfs.ext4", "-q", part], check=True)
    lines = "# kept  as  it is\nUUID=1 / ext4 defaults 0 1\nUUID=2\t/srv/plates\text4\tdefaults\t0\t2\nUUID=3 /srv/plates/old ext4 defaults 0 2\n"
    ext.put(part, {exact("linux", "mount_table"): lines.encode()})
    for _ in range(2):
        installers.may_be_missing(part, "/srv/plates")
    with ImageFile(part) as source:
        now = (ext.read(Slice(source, 0, source.size), exact("linux", "mount_table")) or b"").decode().splitlines()
    assert [now[0], now[1], now[3]] == [lines.splitlines()[at] for at in (0, 1, 3)]
    assert now[2] == f"UUID=2 /srv/plates ext4 defaults,{exact('linux', 'late_options')} 0 2"


def test_the_line_that_is_typed_does_what_the_bench_does(tmp_path: Path) -> None:
    """The printed command, run as it stands on a folder that stands for the opened system."""
    (tmp_path / "etc").mkdir()
    table = "# old /srv/plates\nUUID=1 / ext4 defaults 0 1\nUUID=2\t/srv/plates\text4\tdefaults\t0\t2\nUUID=3 /srv/plates2 ext4 defaults 0 2\n"
    (tmp_path / "etc/fstab.before").write_text(table)
    line = exact("typed", "may_be_missing").format(folder="/srv/plates", options=exact("linux", "late_options"))
    subprocess.run(["bash", "-c", line], check=True, env={"TARGET": str(tmp_path), "PATH": "/usr/bin:/bin"})
    now = (tmp_path / "etc/fstab").read_text().splitlines()
    assert now[2] == f"UUID=2 /srv/plates ext4 defaults,{exact('linux', 'late_options')} 0 2"
    assert [now[at] for at in (0, 1, 3)] == [table.splitlines()[at] for at in (0, 1, 3)]


def test_a_job_that_mends_is_planned_anew_when_it_is_opened(healthy: tuple[Path, Machine]) -> None:
    _, was = healthy
    job = and_aim(Job(found=was, seed="mend"), Mend())
    assert document.load(document.dump(job)).aims == job.aims


@pytest.fixture(scope="module")
def old(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A disk that starts the legacy way, with a system of either family."""
    return machines.crowded_mbr(tmp_path_factory.mktemp("old"))


def spoken(image: Path) -> str:
    """What a real BIOS shows of the code in the first sector."""
    return " ".join(emulator.watch_legacy([(image, "virtio")], 3).said)


@pytest.mark.parametrize(("system", "broken"), [("S1", "no-start-code"), ("S2", "no-start-code"), ("S2", "other-start-code")])
def test_start_code_is_mended_and_a_real_bios_runs_it(old: Path, tmp_path: Path, system: str, broken: str) -> None:
    """Before, nothing or the other family's speaks; after, the menu's own, and both systems start."""
    image = tmp_path / "disk.img"
    subprocess.run(["cp", "--sparse=always", old, image], check=True)
    code = bytes(440) if broken == "no-start-code" else stand_ins.start_code("another system", "nt")
    with image.open("r+b") as out:
        out.write(code[:440])
    assert ("another system" in spoken(image)) == (broken == "other-start-code")
    job = take_in([image], mode="legacy", ram_bytes=8 * GIB, seed="old")
    assert job.found.disks[0].table.code_of == ("" if broken == "no-start-code" else "nt")
    assert not outcome(job.found, system, STANDING[0]).starts
    causes = [one.cause.key for one in fitting(job.found, system, "one-line") if one.case.shown]
    assert broken in causes
    mended = answered(and_aim(job, Mend(system=system, seen="one-line", cause=broken)))
    report = ink(mended, tmp_path / "bench")
    assert report.verified, [one for one in report.checks if not one.ok]
    assert all(outcome(read(mended).plan.planned, one, STANDING[0]).starts for one in ("S1", "S2"))
    watched = watch(mended, tmp_path / "bench")
    assert watched.differs == ""
    assert "linux family" in " ".join(watched.seen.said)


def test_whose_code_it_is_tells_what_it_starts(old: Path, tmp_path: Path) -> None:
    found = take_in([old], mode="legacy", ram_bytes=8 * GIB, seed="old").found
    assert found.disks[0].table.code_of == "linux"
    for family, starting in (("linux", ["S1", "S2"]), ("nt", ["S1"]), ("", ["S1", "S2"])):
        disk = replace(found.disks[0], table=replace(found.disks[0].table, code_of=family))  # type: ignore[arg-type]
        machine = replace(found, disks=(disk,))
        assert [one for one in ("S1", "S2") if outcome(machine, one, STANDING[0]).starts] == starting


def test_an_nt_system_that_comes_beside_the_other_family_leaves_it_its_start(tmp_path: Path) -> None:
    """The legacy way its installer writes over the menu's code: a live system puts that back, and a real BIOS runs it."""
    disk = inked(tmp_path / "linux.img", 200 * 10**9, ("clean", {"systems": "linux-legacy", "table": "mbr", "size": "60GiB"}))
    job = wanting(
        take_in([disk], mode="legacy", ram_bytes=8 * GIB, seed="beside"), ("beside", {"system": "nt-old", "size": "60GiB"})
    )
    kinds = [step.kind for step in job.steps]
    assert kinds.index("install") < kinds.index("start-code") < kinds.index("regenerate")
    assert "live_stick" in [getattr(step, "subject", "") for step in job.steps[:3]]
    reading = read(job)
    assert [one.system for one in reading.after if one.mishap == "none" and one.starts] == ["S1", "S2"]
    dark = reading.stops[kinds.index("install") + 1]
    assert [one.system for one in dark if one.starts] == ["S2"], "between the installer and the menu's code"
    report = ink(answered(job), tmp_path / "bench")
    assert report.verified, [one for one in report.checks if not one.ok]
    watched = watch(answered(job), tmp_path / "bench")
    assert watched.differs == ""
    assert "linux family" in " ".join(watched.seen.said)
