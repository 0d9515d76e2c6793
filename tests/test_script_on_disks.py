"""The partition script on sparse images of disks that the bench made: MBR, removal, moves, growth, a disk without a table."""

from __future__ import annotations

import hashlib
import json
import os
import subprocess
from pathlib import Path

import pytest

import machines
from inkshelf.bench import tools
from inkshelf.bench.intake import take_in
from inkshelf.bench.recipes import inked, wanting
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import Disk
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job, with_found
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.kinds import Grow, Move
from inkshelf.core.value import replace
from inkshelf.exchange.script import script

INSIDE = (
    "mkfs.ext4",
    "mkfs.fat",
    "mkfs.ntfs",
    "ntfslabel",
    "mkswap",
    "e2fsck",
    "resize2fs",
    "ntfsresize",
    "ntfsfix",
    "dumpe2fs",
)
LSBLK = """#!/bin/bash
case "$*" in *SIZE*) echo "$FAKE_SIZE";; *SERIAL*) echo "SER-1";; *) echo "";; esac
"""


def named(job: Job) -> Job:
    """The job with the serial that the script asks for."""
    disks = tuple(replace(one, serial="SER-1", model="") for one in job.found.disks)
    return with_found(job, replace(job.found, disks=disks))


def ran(job: Job, image: Path, folder: Path) -> subprocess.CompletedProcess[str]:
    """Run the script on an image; what works inside partitions, whose nodes a file has not, is only noted."""
    binaries = folder / "bin"
    binaries.mkdir()
    for name in INSIDE:
        (binaries / name).write_text(f'#!/bin/sh\necho "{name} $*" >> {folder}/log\necho Block count: 1\n')
    (binaries / "lsblk").write_text(LSBLK)
    for one in binaries.iterdir():
        one.chmod(0o755)
    (folder / "script.sh").write_text(script(read(job)))
    where = {
        **os.environ,
        "FAKE_SIZE": str(job.found.disks[0].size),
        "PATH": f"{binaries}:{os.environ['PATH']}:/usr/sbin:/sbin",
    }
    return subprocess.run(
        ["bash", "script.sh", str(image), str(folder)],
        cwd=folder,
        env=where,
        input="SER-1\n",
        capture_output=True,
        text=True,
        check=False,
    )


def rows_of(image: Path) -> dict[int, tuple[int, int]]:
    seen = json.loads(tools.run("sfdisk", "--json", image).output)["partitiontable"]
    return {int(one["node"].removeprefix(str(image))): (one["start"] * 512, one["size"] * 512) for one in seen["partitions"]}


def planned(disk: Disk) -> dict[int, tuple[int, int]]:
    rows = {one.number: (one.start, one.size) for one in disk.volumes}
    outer = disk.table.extended
    return rows | ({outer.number: (outer.start, outer.size)} if outer else {})


def contents(image: Path, start: int, size: int) -> str:
    total, fd = hashlib.sha256(), os.open(image, os.O_RDONLY)
    for at in range(start, start + size, 64 * MIB):
        total.update(os.pread(fd, min(64 * MIB, start + size - at), at))
    os.close(fd)
    return total.hexdigest()


@pytest.fixture
def crowded(tmp_path: Path) -> tuple[Job, Path]:
    image = machines.crowded_mbr(tmp_path)
    return named(take_in([image], mode="legacy", ram_bytes=8 * GIB, seed="script")), image


def test_on_an_mbr_disk_a_volume_goes_and_another_takes_its_room(crowded: tuple[Job, Path], tmp_path: Path) -> None:
    job, image = crowded
    last = max((one for one in job.found.disk("A").volumes if not one.logical), key=lambda one: one.start)
    taken = change(job, "delete", last.call)
    made = change(taken, "create", "A", size="1GiB")
    done = ran(made, image, tmp_path)
    assert done.returncode == 0, done.stderr
    assert rows_of(image) == planned(read(made).plan.planned.disk("A"))
    again = tmp_path / "again"
    again.mkdir()
    second = ran(made, image, again)
    assert second.returncode == 1, "a second run finds another table"
    assert "Refused" in second.stderr


def test_a_move_takes_every_byte_along_and_growth_follows(tmp_path: Path) -> None:
    image = tmp_path / "disk.img"
    with image.open("wb") as out:
        out.truncate(2 * GIB)
    spec = "label: dos\nlabel-id: 0x1234abcd\nstart=2048, size=204800, type=83\nstart=1024000, size=409600, type=83\n"
    subprocess.run(["sfdisk", "--quiet", "--no-tell-kernel", "--no-reread", str(image)], input=spec, text=True, check=True)
    for start, label in ((MIB, "first"), (500 * MIB, "second")):
        part = tmp_path / label
        with part.open("wb") as out:
            out.truncate((100 if label == "first" else 200) * MIB)
        subprocess.run(["mkfs.ext4", "-q", "-L", label, str(part)], check=True)
        with image.open("r+b") as out:
            out.seek(start)
            out.write(part.read_bytes())
    job = named(take_in([image], mode="legacy", ram_bytes=GIB, seed="move"))
    job = change(change(job, "move", "D2", at="300MiB"), "resize", "D2", size="1GiB")
    assert [type(step) for step in job.steps] == [Move, Grow]
    before = contents(image, 500 * MIB, 200 * MIB)
    done = ran(job, image, tmp_path)
    assert done.returncode == 0, done.stderr
    assert rows_of(image) == {1: (MIB, 100 * MIB), 2: (300 * MIB, GIB)}
    assert contents(image, 300 * MIB, 200 * MIB) == before
    assert f"resize2fs {image}2" in (tmp_path / "log").read_text()


def test_an_extended_partition_counts_among_what_is_expected(tmp_path: Path) -> None:
    image = machines.blank(tmp_path / "disk.img", 2 * GIB)
    spec = "label: dos\nlabel-id: 0x1234abcd\nstart=2048, size=204800, type=83\nstart=409600, size=2097152, type=f\n"
    spec += "start=411648, size=409600, type=83\n"
    subprocess.run(["sfdisk", "--quiet", "--no-tell-kernel", "--no-reread", str(image)], input=spec, text=True, check=True)
    job = change(named(take_in([image], mode="legacy", ram_bytes=GIB, seed="ext")), "create", "A", size="100MiB")
    done = ran(job, image, tmp_path)
    assert done.returncode == 0, done.stderr
    assert rows_of(image) == planned(read(job).plan.planned.disk("A"))


def test_what_lies_behind_a_look_at_a_system_waits_for_it(tmp_path: Path) -> None:
    image = inked(tmp_path / "linux.img", 120 * 10**9, ("clean", {"systems": "linux-legacy", "table": "mbr"}))
    job = named(take_in([image], mode="legacy", ram_bytes=8 * GIB, seed="look"))
    job = wanting(job, ("beside", {"system": "nt-old", "size": "60GiB"}))
    assert not job.plan_fault
    kinds = [step.kind for step in job.steps]
    assert kinds.index("shrink") < kinds.index("prove") < kinds.index("create")
    text = script(read(job))
    begun = [line for line in text.splitlines() if line.startswith("begin ")]
    assert any("Shrink S1" in line for line in begun)
    assert not any("Make" in line or "Format" in line for line in begun), "first the shrunk system is started and looked at"
    assert "Make S2" in text


@pytest.mark.parametrize("table", ["gpt", "mbr"])
def test_a_disk_without_a_table_gets_one_with_every_volume(table: str, tmp_path: Path) -> None:
    image = machines.blank(tmp_path / "blank.img", 180 * 10**9)
    mode = "uefi" if table == "gpt" else "legacy"
    job = named(take_in([image], mode=mode, secure_boot="off", ram_bytes=4 * GIB, seed="blank"))
    job = wanting(job, ("clean", {"systems": "linux-desktop", "table": table, "home": "apart", "share": "ntfs"}))
    done = ran(job, image, tmp_path)
    assert done.returncode == 0, done.stderr
    assert rows_of(image) == planned(read(job).plan.planned.disk("A"))
    text = (tmp_path / "script.sh").read_text()
    assert "Left to you afterwards: step" in text
    assert "Install Linux desktop" in text
    again = tmp_path / "again"
    again.mkdir()
    assert "has a table" in ran(job, image, again).stderr


def test_a_table_of_another_identity_is_refused(crowded: tuple[Job, Path], tmp_path: Path) -> None:
    job, image = crowded
    subprocess.run(["sfdisk", "-q", "--disk-id", str(image), "0xdeadbeef"], check=True)
    done = ran(change(job, "delete", "W1"), image, tmp_path)
    assert done.returncode == 1
    assert "another identity" in done.stderr


def test_what_waits_for_a_person_is_not_run(tmp_path: Path) -> None:
    """After a system was looked at, or a loader taken off, the rest is left to the hand that did it."""
    job = named(machines.one_disk(tmp_path))
    job = wanting(job, ("beside", {"size": "90GiB"}), ("remove", {"system": "S2"}))
    text = script(read(job))
    kept = [line for line in text.splitlines() if line.startswith("begin ")]
    assert not any("Remove" in line for line in kept), "volumes are removed after the loader, which a person takes off"
    assert "# step" in text
    with pytest.raises(PlanError):
        script(read(named(machines.one_disk(tmp_path))))
