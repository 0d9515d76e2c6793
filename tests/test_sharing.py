"""Findings about what systems mount and share: a scene that raises each, one that does not, and what its remedy changes."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

import machines
from inkshelf.bench import tools
from inkshelf.bench.filling import ntfs as filled
from inkshelf.bench.image import ImageFile
from inkshelf.bench.intake import take_in
from inkshelf.bench.recipes import wanting
from inkshelf.core.checks import apply_remedy, findings
from inkshelf.core.checks.registry import ByHand, ChangeAim, Finding
from inkshelf.core.disk import ntfs, ntfs_names
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Firmware, SystemRoot
from inkshelf.core.plan.job import Job, with_found
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB
from inkshelf.core.steps.kinds import Prepare
from inkshelf.core.value import replace
from inkshelf.data import exact


def seen(job: Job) -> dict[str, Finding]:
    return {one.key: one for one in findings(read(job))}


@pytest.fixture(scope="module")
def crowded(tmp_path_factory: pytest.TempPathFactory) -> Job:
    image = machines.crowded_mbr(tmp_path_factory.mktemp("crowded"))
    return take_in([image], mode="legacy", ram_bytes=8 * GIB, seed="crowded")


def mounting(job: Job, *mounts: tuple[str, str]) -> Job:
    """The recovery volume plays a Linux-family system with this mount table."""
    holds = SystemRoot("linux", "Quill", True, mounts)
    return with_found(job, job.found.with_volume("R1", lambda one: replace(one, holds=holds)))


def uuid(job: Job, call: str) -> str:
    return f"UUID={job.found.find(call)[1].filesystem.uuid}"


def clashing(job: Job, call: str) -> Job:
    named = lambda one: replace(one, filesystem=replace(one.filesystem, clashes=("/Sea.jpg",)))  # noqa: E731
    return with_found(job, job.found.with_volume(call, named))


def with_step(job: Job, step: Prepare) -> Job:
    return replace(job, steps=(*job.steps, step))


def marked(job: Job, *calls: str) -> Job:
    disk = job.found.disks[0]
    volumes = tuple(replace(one, active=one.call in calls) for one in disk.volumes)
    return with_found(job, job.found.with_disk(replace(disk, volumes=volumes)))


def outside(job: Job, *, fallback: bool) -> Job:
    """The disk taken out of its machine, with or without the file that any firmware looks for."""

    def files(one: object) -> object:
        kept = tuple(file for file in one.boot_files if fallback or "BOOTX64" not in file.path.upper())
        return replace(one, boot_files=kept)

    disk = job.found.disks[0]
    disk = replace(disk, removable=True, volumes=tuple(files(one) for one in disk.volumes))
    return with_found(job, replace(job.found, disks=(disk,)))


Scene = Callable[[Job], Job]
SCENES: list[tuple[str, Scene, Scene]] = [
    ("sharing.device.R1.home", lambda j: mounting(j, ("/dev/sda4", "/home")), lambda j: mounting(j, ("/dev/mapper/x", "/home"))),
    ("fs.home.R1", lambda j: mounting(j, (uuid(j, "B1"), "/home")), lambda j: mounting(j, (uuid(j, "B1"), "/boot/efi"))),
    ("fs.case.S1", lambda j: clashing(j, "S1"), lambda j: with_step(clashing(j, "S1"), Prepare("S1", "names_apart"))),
    ("sharing.own.R1.S1", lambda j: mounting(j, (uuid(j, "S1"), "/mnt")), lambda j: mounting(j, (uuid(j, "B1"), "/mnt"))),
    ("sharing.hibernate.a1", lambda j: wanting(j, ("own-disk", {"share": "ntfs", "swap": "hibernate"})), lambda j: wanting(j, ("own-disk", {"swap": "hibernate"}))),
    ("start.fallback.A", lambda j: outside(j, fallback=False), lambda j: outside(j, fallback=True)),
]  # fmt: skip


@pytest.mark.parametrize(("key", "raises", "does_not"), SCENES, ids=[one[0] for one in SCENES])
def test_a_finding_stands_in_its_scene_and_in_no_other(two: Job, key: str, raises: Scene, does_not: Scene) -> None:
    found, quiet = seen(raises(two)), seen(does_not(two))
    assert key in found
    assert key not in quiet
    assert key not in seen(two)
    assert found[key].why.endswith(".")
    assert found[key].remedies


def test_a_remedy_takes_hibernation_or_the_share_away(two: Job) -> None:
    job = wanting(two, ("own-disk", {"share": "ntfs", "swap": "hibernate"}))
    for remedy in seen(job)["sharing.hibernate.a1"].remedies:
        assert isinstance(remedy, ChangeAim)
        assert "sharing.hibernate.a1" not in seen(apply_remedy(job, remedy))


def test_one_volume_is_active_and_a_remedy_sees_to_it(crowded: Job) -> None:
    nt = next(one.call for one in crowded.found.disks[0].volumes if one.holds and one.holds.family == "nt")
    other = next(one.call for one in crowded.found.disks[0].volumes if one.call != nt and not one.logical)
    assert "start.active.A" not in seen(marked(crowded, nt))
    for calls in ((nt, other), ()):
        job = marked(crowded, *calls)
        finding = seen(job)["start.active.A"]
        assert isinstance(finding.remedies[0], ByHand)
        mended = apply_remedy(job, finding.remedies[0])
        assert "start.active.A" not in seen(mended)
        assert [one.call for one in read(mended).plan.planned.disks[0].volumes if one.active] == [nt]
    uefi = replace(marked(crowded, nt, other).found, firmware=Firmware("uefi"))
    assert "start.active.A" not in seen(with_found(crowded, uefi)), "UEFI looks for no mark"


def test_names_that_clash_are_read_from_a_volume_that_the_base_utility_made(tmp_path: Path) -> None:
    """One folder down, too; a name beside its own short form is no clash, and a system's own volume is not looked through."""
    image = tmp_path / "nt.img"
    with image.open("wb") as out:
        out.truncate(64 << 20)
    tools.run("mkntfs", "-q", "-F", image)
    with filled.mounted(image) as folder:
        (folder / "Photos").mkdir()
        for name in ("Sea.jpg", "Photos/Tide.png", "Photos/tide.png", "Photos/TIDE.png", "a name that is long.text"):
            (folder / name).write_text(name)
    with ImageFile(image) as source:
        volume = ntfs.open_ntfs(source)
        assert volume is not None
        found, whole = ntfs_names.clashes(volume)
        assert sorted(one.lower() for one in found) == ["/photos/tide.png"] * 2
        assert len(set(found)) == 2
        assert whole
        assert ntfs_names.clashes(volume, most=1) == ((), False), "what was not looked at is said"
    assert take_in([image]).found.disks[0].volumes[0].filesystem.clashes == found


def test_what_is_still_written_after_a_mount_is_gone_is_waited_for(tmp_path: Path) -> None:
    """The driver of a mount may have its last bytes to write when the mount is gone already: they are not read before."""
    image = tmp_path / "late.img"
    image.write_bytes(b"early")
    line = f"import time; out = open({str(image)!r}, 'r+b'); print('open', flush=True); time.sleep(1); out.write(b'later')"
    driver = subprocess.Popen([sys.executable, "-c", line], stdout=subprocess.PIPE, text=True)
    assert driver.stdout is not None
    assert driver.stdout.readline() == "open\n"
    with pytest.raises(BenchError, match="still being written"):
        filled.released(image, 0.1)
    filled.released(image)
    assert image.read_bytes() == b"later"
    driver.stdout.close()
    assert driver.wait() == 0


def test_the_listing_that_is_printed_shows_the_names_that_clash(tmp_path: Path) -> None:
    for name in ("Sea.jpg", "sea.jpg", "shore.jpg"):
        (tmp_path / name).write_text(name)
    said = subprocess.run(
        ["sh", "-c", exact("linux", "clashes_listing")], cwd=tmp_path, capture_output=True, text=True, check=True
    )
    assert sorted(said.stdout.split()) == ["./Sea.jpg", "./sea.jpg"]
