"""The partition script, run on sparse files: it makes what was planned, and refuses every other disk."""

from __future__ import annotations

import json
import os
import stat
import subprocess
from pathlib import Path

import pytest

from inkshelf.bench import demo, tools
from inkshelf.bench.handover import Written
from inkshelf.bench.tablewriter import write_table
from inkshelf.core.errors import PlanError
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.steps.kinds import Create, Retype, Shrink
from inkshelf.exchange import render
from inkshelf.exchange.script import script

# -- the job file ------------------------------------------------------------------------------------------------------


STUB = """#!/bin/sh
case "$*" in *SIZE*) echo "$FAKE_SIZE";; *MODEL*) echo "$FAKE_MODEL";; *SERIAL*) echo "$FAKE_SERIAL";; *MOUNTPOINT*) for one in $FAKE_MOUNT; do echo "$one"; done;; esac
"""


@pytest.fixture
def workplace(job: Job, tmp_path: Path) -> Path:
    """A folder with the script, stand-ins for what asks or formats devices, and an image shrunk as the sheet says."""
    binaries = tmp_path / "bin"
    binaries.mkdir()
    for name, text in (("lsblk", STUB), ("mkfs.ext4", "#!/bin/sh\n"), ("mkfs.fat", "#!/bin/sh\n"), ("mkswap", "#!/bin/sh\n")):
        (binaries / name).write_text(text)
        (binaries / name).chmod(0o755)
    (tmp_path / "script.sh").write_text(script(read(job)))
    reading = read(job)
    shrunk = next(number for number, step in enumerate(job.steps, 1) if isinstance(step, Shrink))
    fd = os.open(tmp_path / "disk.img", os.O_RDWR | os.O_CREAT)
    os.ftruncate(fd, job.found.disks[0].size)
    write_table(fd, reading.plan.found.disks[0], reading.plan.machines[shrunk].disks[0], Written())
    os.close(fd)
    return tmp_path


def run_script(folder: Path, typed: str = "WN08-8831-C", **facts: str) -> subprocess.CompletedProcess[str]:
    said = {"FAKE_SIZE": str(demo.DISK_BYTES), "FAKE_MODEL": demo.MODEL, "FAKE_SERIAL": demo.SERIAL, "FAKE_MOUNT": "", **facts}
    environment = {**os.environ, **said, "PATH": f"{folder / 'bin'}:{os.environ['PATH']}:/usr/sbin:/sbin"}
    return subprocess.run(
        ["bash", "script.sh", "disk.img"],
        cwd=folder,
        env=environment,
        input=typed + "\n",
        capture_output=True,
        text=True,
        check=False,
    )


@pytest.mark.parametrize(
    ("facts", "says"),
    [
        ({"FAKE_SIZE": "512110190593"}, "bytes"),
        ({"FAKE_MODEL": "Wren NV-513"}, "model"),
        ({"FAKE_SERIAL": "WN08-8831-D"}, "serial"),
        ({"FAKE_MOUNT": "/mnt"}, "mounted"),
        ({"FAKE_MOUNT": "/mnt\n" * 20000}, "mounted"),  # more than a pipe holds: what writes it must not end early
        ({"typed": "yes"}, "serial typed"),
    ],
)
def test_the_script_refuses_another_disk(workplace: Path, facts: dict[str, str], says: str) -> None:
    before = (workplace / "disk.img").stat().st_mtime_ns
    done = run_script(workplace, **facts)
    assert done.returncode == 1
    assert "Refused" in done.stderr
    assert says in done.stderr
    assert (workplace / "disk.img").stat().st_mtime_ns == before


def test_the_script_makes_the_table_that_was_planned(workplace: Path, job: Job) -> None:
    done = run_script(workplace)
    assert done.returncode == 0, done.stderr
    seen = json.loads(tools.run("sfdisk", "--json", workplace / "disk.img").output)["partitiontable"]["partitions"]
    rows = {
        int(one["node"].rsplit("img", 1)[1]): (one["start"] * 512, one["size"] * 512, one["uuid"], one["type"]) for one in seen
    }
    hidden = next(step.type_id for step in job.steps if isinstance(step, Retype))
    planned = {
        one.number: (one.start, one.size, one.guid, hidden if one.call == "B1" else one.type_id)
        for _, one in read(job).plan.planned.volumes()
    }
    assert rows == planned
    assert list(workplace.glob("table-before-*.dump"))
    assert run_script(workplace).returncode == 1, "a second run finds the numbers taken"


def test_the_script_refuses_a_disk_that_was_not_shrunk_yet(workplace: Path, job: Job) -> None:
    fd = os.open(workplace / "disk.img", os.O_RDWR)
    write_table(fd, job.found.disks[0], job.found.disks[0], Written())
    os.close(fd)
    done = run_script(workplace)
    assert done.returncode == 1
    assert "S1 (partition 3, SYSTEM) is not where the plan expects it" in done.stderr


def test_the_script_is_sound_shell_and_is_not_executable(workplace: Path) -> None:
    assert subprocess.run(["bash", "-n", str(workplace / "script.sh")], check=False).returncode == 0
    assert not (workplace / "script.sh").stat().st_mode & stat.S_IXUSR


def test_a_plan_without_partition_steps_has_no_script(found_job: Job) -> None:
    with pytest.raises(PlanError, match="no partition steps"):
        script(read(found_job))


def test_the_script_leaves_to_the_sheet_what_it_cannot_do(job: Job) -> None:
    changed = change(change(job, "create", "A", size="2GiB"), "format", "D2", fs="xfs", label="x")
    grown = change(changed, "resize", "D2", size="3GiB")
    with pytest.raises(PlanError, match="Work by the sheet"):
        script(read(grown))
    assert "Grow D2" in render.markdown(read(grown))


def test_every_step_of_the_script_stands_on_the_sheet(job: Job) -> None:
    text = script(read(job))
    for number, step in enumerate(job.steps, 1):
        if isinstance(step, Create | Retype):
            assert f"step {number}" in text


@pytest.mark.parametrize(
    ("kind", "lines"),
    [
        ("ntfs", ["mkfs.ntfs -Q -q -s 512", "ntfslabel --new-serial="]),
        ("exfat", ["mkfs.exfat -c 32768", "exfatlabel -i "]),
        ("xfs", ["mkfs.xfs -q -m uuid="]),
        ("f2fs", ["mkfs.f2fs -q -w 512 -U"]),
        ("luks", ["cryptsetup luksFormat --type luks2 --uuid", "passphrase"]),
        ("lvm", ["pvcreate --uuid", "vgcreate ink", "lvcreate -n root -L 536870912b ink"]),
        ("btrfs", ["mkfs.btrfs -q -U", 'btrfs subvolume create "$MOUNTED"/@home', 'umount "$MOUNTED"']),
    ],
)
def test_the_script_makes_every_kind(found_job: Job, tmp_path: Path, kind: str, lines: list[str]) -> None:
    job = change(found_job, "create", "A", size="2GiB")
    words = {"subvolumes": "@,@home"} if kind == "btrfs" else {}
    job = change(job, "format", "D1", fs=kind, label="ink", **words)
    if kind == "lvm":
        job = change(job, "create", "D1", label="root", size="512MiB")
    made = script(read(job))
    at = [made.index(one) for one in lines]
    assert at == sorted(at)
    assert "mkswap" not in made
    path = tmp_path / "script.sh"
    path.write_text(made)
    subprocess.run(["bash", "-n", str(path)], check=True)
