"""The script and the commands on the sheet: each line on the disk it was planned for, nothing unquoted, run on sparse files."""

from __future__ import annotations

import os
import re
import subprocess
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import machines
from inkshelf.bench.recipes import wanting
from inkshelf.cli import run
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.errors import InkshelfError, PlanError
from inkshelf.core.machine.state import Disk, FileSystem, Firmware, Machine, Table, Volume
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job, with_found
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.kinds import Create
from inkshelf.core.value import replace
from inkshelf.data import text as shipped
from inkshelf.exchange import render
from inkshelf.exchange.script import script
from inkshelf.store import jobfile

LOGGED = (
    *("mkfs.fat", "mkfs.ext4", "mkfs.ntfs", "ntfslabel", "mkfs.xfs", "mkfs.btrfs", "btrfs", "mkswap", "cryptsetup", "pvcreate"),
    *("vgcreate", "lvcreate", "mkfs.exfat", "mkfs.f2fs", "e2fsck", "resize2fs", "dumpe2fs", "udevadm"),
)


LOG = '#!/bin/bash\nprintf "%s" "${0##*/}" >> "$LOG"; for one in "$@"; do printf "\\t%s" "$one" >> "$LOG"; done; printf "\\n" >> "$LOG"\n'


LSBLK = """#!/bin/bash
case "$*" in *SIZE*) echo "$FAKE_SIZE";; *MODEL*) echo "$FAKE_MODEL";; *SERIAL*) echo "$FAKE_SERIAL";; *) echo "";; esac
"""


SFDISK = LOG + 'case "$*" in --dump*) cat "$FAKE_TABLE";; *) cat > /dev/null;; esac\n'


def guid(letter: str, number: int) -> str:
    return f"{ord(letter):08X}-0000-4000-8000-{number:012X}"


def disk(letter: str, sizes: list[int], model: str = "Heron", serial: str = "") -> Disk:
    """A GPT disk with volumes of these sizes in GiB, a gap of 4 GiB behind each."""
    volumes, at = [], MIB
    for number, gib in enumerate(sizes, 1):
        system = FileSystem("ext4", gib * GIB, f"old {letter}{number}", used_bytes=GIB, cluster_bytes=4096)
        volumes.append(Volume("", number, at, gib * GIB, gpt_type("linux_data"), guid=guid(letter, number), filesystem=system))
        at += (gib + 4) * GIB
    size = at + 20 * GIB
    table = Table("gpt", guid(letter, 99), "", 34, size // 512 - 34, backup_lba=size // 512 - 1)
    return Disk(
        letter,
        size,
        model=model,
        serial=serial or f"SER-{letter}",
        device=f"/dev/sd{letter.lower()}",
        table=table,
        volumes=tuple(volumes),
    )


def machine_of(*disks: Disk) -> Machine:
    from disks import assemble

    return replace(assemble(disks), firmware=Firmware("uefi"))


@pytest.fixture(scope="module")
def stand_ins(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("bin")
    for name, text in (("lsblk", LSBLK), ("sfdisk", SFDISK), *((one, LOG + "echo Block count: 1\n") for one in LOGGED)):
        (folder / name).write_text(text)
        (folder / name).chmod(0o755)
    return folder


def dump_of(found: Disk) -> str:
    rows = [
        f"/dev/sdz{one.number} : start= {one.start // 512}, size= {one.size // 512}, type={one.type_id}, uuid={one.guid}"
        for one in found.volumes
    ]
    return "\n".join(["label: gpt", f"label-id: {found.table.guid}", *rows]) + "\n"


def ran(
    folder: Path, stand_ins: Path, text: str, found: Disk, node: str = "/dev/sdz"
) -> tuple[subprocess.CompletedProcess[str], list[list[str]]]:
    """Run a script with stand-ins for everything that touches devices; return what it did and what it called."""
    (folder / "script.sh").write_text(text)
    (folder / "table").write_text(dump_of(found))
    log = folder / "log"
    log.write_text("")
    said = {"FAKE_SIZE": str(found.size), "FAKE_MODEL": found.model, "FAKE_SERIAL": found.serial}
    environment = {
        **os.environ,
        **said,
        "FAKE_TABLE": str(folder / "table"),
        "LOG": str(log),
        "PATH": f"{stand_ins}:{os.environ['PATH']}",
    }
    done = subprocess.run(
        ["bash", "script.sh", node, "."],
        cwd=folder,
        env=environment,
        input=found.serial + "\n",
        capture_output=True,
        text=True,
        check=False,
    )
    return done, [line.split("\t") for line in log.read_text().splitlines()]


@st.composite
def two_disk_jobs(draw: st.DrawFn) -> Job:
    sizes = st.lists(st.integers(2, 30), min_size=1, max_size=4)
    job = Job(found=machine_of(disk("A", draw(sizes)), disk("B", draw(sizes))), seed="two")
    for _ in range(draw(st.integers(1, 5))):
        planned = read(job).plan.planned
        calls = [one.call for _, one in planned.volumes()]
        verb = draw(st.sampled_from(["create", "format", "format", "type", "resize"]))
        words = {
            "create": {"size": "2GiB"},
            "format": {"fs": draw(st.sampled_from(["ext4", "fat32", "ntfs", "swap"]))},
            "type": {"type": "linux_home"},
            "resize": {"size": "1500MiB"},
        }[verb]
        try:
            job = change(job, verb, draw(st.sampled_from("AB")) if verb == "create" else draw(st.sampled_from(calls)), **words)
        except InkshelfError:
            continue
    return job


@given(two_disk_jobs(), st.sampled_from("AB"))
def test_a_script_never_names_a_partition_that_the_ledger_keeps(
    tmp_path_factory: pytest.TempPathFactory, stand_ins: Path, job: Job, letter: str
) -> None:
    reading = read(job)
    try:
        text = script(reading, letter)
    except PlanError as error:
        assert error.remedy
        return
    found = job.found.disk(letter)
    done, calls = ran(tmp_path_factory.mktemp("two"), stand_ins, text, found)
    assert done.returncode == 0, done.stderr
    kept = {one.number for one in found.volumes if one.call not in reading.ledger.lost}
    made = {one.number for one in reading.plan.planned.disk(letter).volumes} - {one.number for one in found.volumes}
    written = [call for call in calls if call[0].startswith("mk") or call[0] in {"ntfslabel", "cryptsetup", "pvcreate"}]
    for call in written:
        number = int(re.search(r"/dev/sdz(\d+)", " ".join(call)).group(1))
        assert number not in kept, call
        assert number in made | {one.number for one in found.volumes}
    said = re.search(r"Keeps (.*?)\. Gives up (.*?)\.", done.stdout)
    assert set(said.group(1).split(", ")) - {"nothing"} == {one.call for one in found.volumes if one.number in kept}
    assert not set(said.group(1).split(", ")) & set(reading.ledger.lost)


def test_each_disk_has_a_script_of_its_own(tmp_path: Path, stand_ins: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """A format of a volume on B became the same partition number on A."""
    job = Job(found=machine_of(disk("A", [10, 10]), disk("B", [10, 10])), seed="two")
    job = change(change(job, "create", "A", size="2GiB"), "format", "D4", fs="ext4", label="x")
    with pytest.raises(PlanError, match="steps on the disks A, B"):
        script(read(job))
    one, other = (script(read(job), letter) for letter in "AB")
    assert "mkfs.ext4" not in one
    assert "mkfs.ext4" in other
    _, calls = ran(tmp_path, stand_ins, other, job.found.disk("B"))
    assert [call[-1] for call in calls if call[0] == "mkfs.ext4"] == ["/dev/sdz2"]
    jobfile.save(job, tmp_path / "job.json")
    assert run(["script", str(tmp_path / "job.json"), "-o", str(tmp_path / "x.sh")]) == 2
    assert "--disk A" in capsys.readouterr().err
    assert run(["script", str(tmp_path / "job.json"), "-o", str(tmp_path / "x.sh"), "--disk", "b"]) == 0


def test_a_script_speaks_of_its_own_disk_only(tmp_path: Path) -> None:
    job = wanting(machines.two_disks(tmp_path), ("own-disk", {"disk": "B", "share": "ntfs"}))
    disks = tuple(replace(one, serial=f"SER-{one.id}") for one in job.found.disks)
    text = script(read(with_found(job, replace(job.found, disks=disks))), "B")
    head = text.partition("set -euo")[0]
    assert "Install Linux desktop" in head
    assert "S1" not in head, "what is done to the other disk is not named here"
    assert "Makes B2" in text


EVIL = (
    *("$(touch GOT)", "`touch GOT`", "'; touch GOT; '", '"; touch GOT; "', "\ntouch GOT\n", "\\", '", uuid=', "%s%n"),
    *("\x1b[31m", "\u2028touch GOT", "-rf", "| touch GOT", "# x\ntouch GOT"),
)


@given(st.lists(st.sampled_from(EVIL), min_size=8, max_size=8))
def test_hostile_strings_in_every_field_have_no_effect(
    tmp_path_factory: pytest.TempPathFactory, stand_ins: Path, evil: list[str]
) -> None:
    """As an image, a capture or a document that was not checked might bring them."""
    title, model, label, name, named, uuid, kind, owner = evil
    plain = disk("A", [10, 10], model=model)
    job = Job(title=title, owner=owner, found=machine_of(plain), seed="evil")
    job = change(change(job, "create", "A", size="2GiB"), "format", "D3", fs="ext4", label="x")
    steps = tuple(
        replace(step, name=name) if isinstance(step, Create) else replace(step, label=label[:16], uuid=uuid)
        for step in job.steps
    )
    found = job.found.with_volume("D1", lambda one: replace(one, name=named, filesystem=replace(one.filesystem, label=kind)))
    text = script(read(replace(job, found=found, steps=steps)))
    folder = tmp_path_factory.mktemp("evil")
    done, calls = ran(folder, stand_ins, text, found.disk("A"))
    assert not (folder / "GOT").exists()
    assert not list(folder.glob("*GOT*"))
    assert sum(call[0].startswith("mk") for call in calls) <= 1
    page = render.markdown(read(replace(job, found=found, steps=steps))) + render.html(
        read(replace(job, found=found, steps=steps))
    )
    assert "\x1b" not in page
    if done.returncode:
        assert "Refused" in done.stderr or "STOPPED" in done.stderr


def test_the_copy_of_the_table_is_printed_kept_where_it_is_asked_for_and_what_stopped_is_said(
    tmp_path: Path, stand_ins: Path
) -> None:
    job = Job(found=machine_of(disk("A", [10, 10])), seed="stop")
    job = change(change(job, "create", "A", size="2GiB"), "format", "D3", fs="ext4", label="x")
    text = script(read(job))
    done, _ = ran(tmp_path, stand_ins, text, job.found.disk("A"))
    assert dump_of(job.found.disk("A")).splitlines()[2] in done.stdout
    assert "gone when it is switched off" in done.stdout
    (kept,) = tmp_path.glob("table-before-*.dump")
    assert kept.read_text() == dump_of(job.found.disk("A"))
    broken = tmp_path / "broken"
    broken.mkdir()
    for one in stand_ins.iterdir():
        (broken / one.name).symlink_to(one)
    (broken / "mkfs.ext4").unlink()
    (broken / "mkfs.ext4").write_text("#!/bin/sh\nexit 3\n")
    (broken / "mkfs.ext4").chmod(0o755)
    done, _ = ran(tmp_path, broken, text, job.found.disk("A"))
    assert done.returncode
    assert "STOPPED at step 2: Format D3" in done.stderr
    assert "Done and not taken back:; step 1: Make D3" in done.stderr
    assert f"put the table back as it was found: sfdisk /dev/sdz < {tmp_path}/table-before-" in done.stderr


def test_the_sheets_have_a_picture_a_legend_warnings_and_mount_lines(job: Job) -> None:
    page, text = render.html(read(job)), render.markdown(read(job))
    assert page.count("<svg") == 3, "the printed code, the disk as found and as planned"
    assert "disk A: B1 300 MiB" in page
    for made in (page, text):
        assert "To be careful of" in made
        assert "UUID=" in made
        assert "/etc/fstab" in made
    assert "| S1 | system, NT family, “SYSTEM”" in text
    row = next(one for one in sheet(read(job)).rows if one.words.title.startswith("Format S2"))
    assert row.words.about == ("S2: partition 6 of disk A, “Linux root”, 50 GiB, no file system, from 316.85 GiB",)
    proofs = [one for one in sheet(read(job)).rows if one.words.stage == "Proof"]
    assert all(any("free space" in what for what, _ in one.words.values) for one in proofs)
    assert any(one.words.paste for one in sheet(read(job)).rows)


def test_the_clock_is_spoken_of_only_where_there_are_two_conventions(found_job: Job) -> None:
    from inkshelf.core.aims.beside import Beside
    from inkshelf.core.plan.job import with_aim

    alone = replace(found_job, found=found_job.found.with_volume("S1", lambda one: replace(one, holds=None)))
    for job, said in ((found_job, True), (alone, False)):
        titles = [
            row.words.title for row in sheet(read(with_aim(job, Beside(size_bytes=15 * GIB, swap="none", esp="own")))).rows
        ]
        assert any("clock" in one for one in titles) is said


def test_a_stick_takes_the_time_of_its_two_passes(job: Job) -> None:
    row = next(one for one in sheet(read(job)).rows if one.words.stage == "Medium")
    assert 8 < row.minutes < 30


def test_nothing_is_piped_into_a_search_that_ends_at_its_first_find() -> None:
    """With pipefail what writes into it fails then: a mounted disk was not refused, a right one was, now and then."""
    for name in ("partitions.sh.j2", "capture-linux.sh"):
        lines = shipped(f"templates/{name}").splitlines()
        if any("pipefail" in line for line in lines):
            assert [line for line in lines if re.search(r"\|\s*(grep\b[^|]*\s-[a-zA-Z]*q|head\b)", line)] == []
