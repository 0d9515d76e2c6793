"""What the sheet prints to be typed: carried out on sparse files it does what was planned, and its way back leads back."""

from __future__ import annotations

import json
import os
import subprocess
from pathlib import Path

import pytest

import machines
from disks import make_gpt_disk, put_volume
from inkshelf.bench import tools
from inkshelf.bench.image import inspect
from inkshelf.bench.intake import take_in
from inkshelf.bench.recipes import wanting
from inkshelf.core.aims.beside import Beside
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.machine.state import Disk
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job, and_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.scene import sheet_node
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GIB, MIB
from inkshelf.core.value import replace
from inkshelf.data import exact
from inkshelf.exchange.anytext import gather
from inkshelf.exchange.script import script


def on_file(job: Job, image: Path, folder: Path) -> None:
    """Carry out what the sheet prints, on a whole-disk image, with each volume as a file of its own beside it."""
    reading = read(job)
    for row, step in zip(sheet(reading).rows, job.steps, strict=True):
        place = reading.plan.machines[row.number - 1].find(step.call)
        found, volume = place
        part = folder / "part"
        size = max(volume.size, getattr(step, "to_bytes", 0))
        with image.open("rb") as source, part.open("wb") as out:
            source.seek(volume.start)
            out.write(source.read(volume.size))
            out.truncate(size)
        for command in row.words.commands:
            line = command.replace(sheet_node(found, volume.number), str(part)).replace(sheet_node(found, None), str(image))
            line = line.replace("e2fsck -f", "e2fsck -f -p").replace("ntfsresize ", "ntfsresize --force --no-progress-bar ")
            done = subprocess.run(
                ["bash", "-c", f"yes | {line}" if "ntfsresize" in line else line],
                env={**os.environ, "PATH": f"{os.environ['PATH']}:/sbin:/usr/sbin"},
                capture_output=True,
                text=True,
                check=False,
            )
            assert done.returncode in {0, 1} if "e2fsck" in line else done.returncode == 0, (line, done.stdout, done.stderr)
        with image.open("r+b") as out:
            out.seek(volume.start)
            out.write(part.read_bytes()[: volume.size if "to_bytes" not in step.__struct_fields__ else step.to_bytes])


@pytest.mark.parametrize(
    ("kind", "command", "sizes"),
    [
        ("linux_data", ("mkfs.ext4", "-F", "-q", "-L", "papers"), ("60MiB",)),
        ("linux_data", ("mkfs.ext4", "-F", "-q", "-L", "papers"), ("60MiB", "120MiB")),
        ("basic_data", ("mkfs.ntfs", "-F", "-Q", "-q", "-L", "OFFICE"), ("60MiB", "120MiB")),
    ],
)
def test_the_commands_of_the_sheet_do_what_was_planned(
    tmp_path: Path, kind: str, command: tuple[str, ...], sizes: tuple[str, ...]
) -> None:
    path = tmp_path / "disk.img"
    make_gpt_disk(path, 200 * MIB, 512, [(kind, 100 * MIB, command)])
    job = take_in([path], seed="sheet")
    for size in sizes:
        job = change(job, "resize", "D1", size=size)
    on_file(job, path, tmp_path)
    now = inspect(path).volumes[0]
    planned = read(job).plan.planned.find("D1")[1]
    assert (now.start, now.size) == (planned.start, planned.size)
    assert abs(now.filesystem.size_bytes - planned.filesystem.size_bytes) <= MIB


STEPS_ON_THE_TABLE = [
    ("gpt", "create", "A", {"size": "20MiB", "name": "new"}),
    ("gpt", "type", "D1", {"type": "basic_data"}),
    ("gpt", "flag", "D1", {"flag": "hidden", "state": "on"}),
    ("gpt", "create", "A", {"table": "mbr"}),
    ("gpt", "renew", "D1", {}),
    ("mbr", "create", "A", {"table": "gpt"}),
    ("mbr", "create", "A", {"size": "20MiB"}),
    ("mbr", "create", "A", {"size": "40MiB", "type": "extended"}),
    ("mbr", "flag", "D1", {"flag": "active", "state": "on"}),
    ("mbr", "flag", "D2", {"flag": "active", "state": "off"}),
    ("mbr", "type", "D1", {"type": "basic_data"}),
    ("none", "create", "A", {"table": "gpt"}),
]


@pytest.mark.parametrize(("kind", "verb", "call", "words"), STEPS_ON_THE_TABLE)
def test_the_way_back_that_the_sheet_prints_leads_back(
    tmp_path: Path, kind: str, verb: str, call: str, words: dict[str, str]
) -> None:
    path = tmp_path / "disk.img"
    with path.open("wb") as out:
        out.truncate(200 * MIB)
    label = {"gpt": "label: gpt\n1MiB,40MiB,L\n50MiB,40MiB,L\n", "mbr": "label: dos\n1MiB,40MiB,83\n50MiB,40MiB,c,*\n"}
    if kind in label:
        subprocess.run(["sfdisk", "--quiet", "--no-tell-kernel", "--no-reread", path], input=label[kind], text=True, check=True)
    for at in (1, 50) if kind in label else ():
        with path.open("r+b") as out:
            put_volume(out.fileno(), tmp_path, at * MIB, 40 * MIB, ("mkfs.ext4", "-F", "-q"))
    found = inspect(path)
    job = change(take_in([path], seed="back"), verb, call, **words)
    (row,) = sheet(read(job)).rows
    for line in row.words.commands:
        shell(line.replace(sheet_node(found, None), str(path)), tmp_path)
    planned = read(job).plan.planned.disks[0]
    assert places(inspect(path)) == places(planned)
    for line in row.words.back_lines:
        shell(line.replace(sheet_node(found, None), str(path)), tmp_path)
    assert places(inspect(path)) == places(found)


def shell(line: str, folder: Path) -> None:
    """Type a line as root. On a file the utilities take no old table away unless they are forced; a device has parts of its own."""
    if line.startswith(("e2fsck", "tune2fs", "command -v udevadm")):
        return
    line = line.replace("wipefs --all", "wipefs -qaf")
    line = f"wipefs -qaf *.img; {line}" if "sfdisk --wipe always" in line else line
    path = f"{os.environ['PATH']}:/sbin:/usr/sbin"
    done = subprocess.run(
        ["bash", "-c", line], cwd=folder, env={**os.environ, "PATH": path}, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, (line, done.stdout, done.stderr)


def places(disk: Disk) -> tuple[object, ...]:
    """What the table of a disk says."""
    inside = disk.table.extended
    volumes = [
        (one.number, one.start, one.size, one.type_id, one.guid, one.attributes, one.name, one.active) for one in disk.volumes
    ]
    identity = disk.table.guid if disk.table.kind == "gpt" else disk.table.signature
    return (disk.table.kind, identity, (inside.start, inside.size) if inside else None, volumes)


def test_a_mounted_ext4_is_never_told_to_shrink_from_inside(tmp_path: Path) -> None:
    path = tmp_path / "disk.img"
    make_gpt_disk(path, 200 * MIB, 512, [("linux_data", 100 * MIB, ("mkfs.ext4", "-F", "-q"))])
    job = change(take_in([path], seed="s"), "resize", "D1", size="60MiB")
    words = sheet(read(job)).rows[0].words
    assert "from a live system" in words.title
    assert not any("shrink box" in what for what, _ in words.values)
    kinds = [command.split()[0] for command in words.commands]
    assert kinds == ["e2fsck", "resize2fs", "dumpe2fs", "echo"], "the file system first, read back, then the partition"
    assert "resize2fs" in script(read(job))


def test_containers_say_how_they_grow_and_shrink(tmp_path: Path) -> None:
    path = tmp_path / "disk.img"
    make_gpt_disk(path, 600 * MIB, 512, [])
    job = change(change(take_in([path], seed="l"), "create", "A", size="200MiB"), "format", "D1", fs="lvm", label="ink")
    job = change(change(job, "resize", "D1", size="400MiB"), "resize", "D1", size="300MiB")
    grown, shrunk = (row.words for row in sheet(read(job)).rows[-2:])
    assert [one.split()[0] for one in grown.commands] == ["echo", "pvresize", "pvs"]
    assert any("lvextend --resizefs" in value for _, value in grown.values)
    assert shrunk.commands[0].startswith("pvresize --setphysicalvolumesize 314572800b")


def test_a_gap_is_told_in_the_unit_of_the_screen_with_the_room_that_was_free_already(job: Job) -> None:
    row = next(one for one in sheet(read(job)).rows if one.words.title.startswith("Shrink S1"))
    assert "140 GiB" in row.words.look
    assert " GB" not in row.words.look.replace("call GB", "")
    apart = job.found.with_volume("R1", lambda one: replace(one, start=one.start + 10 * GIB))
    later = change(replace(job, found=apart, aims=(), steps=(), by_hand=()), "prepare", "S1", what="fast_startup_off")
    row = sheet(read(change(later, "resize", "S1", size="400GiB"))).rows[-1]
    assert "66.2 GiB" in row.words.look, "56.25 GiB given up and 10 that were free"


def test_tables_types_and_variables_are_written_with_their_own_way_back(job: Job) -> None:
    for made in (job, change(replace(job, aims=(), steps=(), by_hand=()), "create", "A", size="2GiB")):
        reading = read(made)
        for row, step in zip(sheet(reading).rows, made.steps, strict=True):
            if step.writes in {"table", "variables"}:
                assert row.words.way_back, row.words.title
    reading = read(job)
    line = reading.no_return
    assert job.steps[line - 1].kind == "shrink"
    gap_only = read(replace(job, aims=(replace(job.aim, size_bytes=14 * GIB, swap="none", home="together"),), steps=()))
    assert gap_only.no_return is None or gap_only.job.steps == ()


def test_the_line_stands_at_the_first_step_that_is_not_taken_back(found_job: Job) -> None:
    from inkshelf.core.aims.beside import Beside
    from inkshelf.core.plan.job import with_aim

    own = read(with_aim(found_job, Beside(size_bytes=15 * GIB, swap="none", esp="own")))
    assert own.no_return is None, "only new volumes are written; each step says how it is taken back"
    shared = read(with_aim(found_job, Beside(size_bytes=15 * GIB, swap="none")))
    assert shared.job.steps[shared.no_return - 1].kind == "install", "the owner's EFI system partition is written"
    formatted = read(change(found_job, "format", "R1", fs="ext4"))
    assert formatted.no_return == 1
    assert tools.find("sfdisk")


def test_a_table_is_changed_in_place_as_printed_and_its_way_back_brings_the_start_code_too(tmp_path: Path) -> None:
    """The table utility takes the code before the records away: what is printed keeps it, and puts it back."""
    image = machines.nt_on_mbr(tmp_path)
    found = take_in([image], mode="legacy", ram_bytes=8 * GIB, seed="table")
    job = wanting(found, ("table", {}))
    number = next(at for at, step in enumerate(job.steps) if step.kind == "convert-table")
    words, planned = sheet(read(job)).rows[number].words, read(job).plan.machines[number + 1].disk("A")
    before, head = inspect(image, "A"), first_sector(image)
    assert any(head[:440])
    run_lines(words.commands, image, tmp_path)
    seen = inspect(image, "A")
    assert [(one.number, one.start, one.size, one.type_id, one.guid) for one in seen.volumes] == [
        (one.number, one.start, one.size, one.type_id, one.guid) for one in planned.volumes
    ]
    assert (seen.table.kind, seen.table.guid, seen.table.first_usable) == (
        "gpt",
        planned.table.guid,
        planned.table.first_usable,
    )
    assert [one.filesystem for one in seen.volumes] == [one.filesystem for one in before.volumes]
    run_lines(words.back_lines, image, tmp_path)
    assert first_sector(image) == head, "code, signature and records are as they were"
    assert inspect(image, "A").volumes == before.volumes


def test_a_new_table_can_be_taken_back_with_the_start_code(tmp_path: Path) -> None:
    image = machines.nt_on_mbr(tmp_path)
    job = change(take_in([image], mode="legacy", ram_bytes=8 * GIB, seed="new"), "create", "A", table="gpt")
    words, head = sheet(read(job)).rows[0].words, first_sector(image)
    before = inspect(image, "A")
    run_lines(words.commands, image, tmp_path)
    assert inspect(image, "A").volumes == ()
    run_lines(words.back_lines, image, tmp_path)
    assert first_sector(image) == head
    assert inspect(image, "A").volumes == before.volumes


def first_sector(image: Path) -> bytes:
    with image.open("rb") as source:
        return source.read(512)


def run_lines(lines: tuple[str, ...], image: Path, folder: Path) -> None:
    for line in lines:
        done = subprocess.run(
            ["bash", "-c", line.replace("/dev/THE-DISK-A", str(image))],
            cwd=folder,
            env={**os.environ, "PATH": f"{os.environ['PATH']}:/sbin:/usr/sbin"},
            capture_output=True,
            text=True,
            check=False,
        )
        assert done.returncode == 0, (line, done.stderr)


def test_two_disks_whose_names_nobody_knows_never_go_by_one_word(tmp_path: Path) -> None:
    """Both were /dev/THE-DISK: the line that gives one a new table fitted the other as well."""
    made = sheet(read(wanting(machines.two_disks(tmp_path), ("own-disk", {}))))
    retyped, table = (
        next(row.words for row in made.rows if row.words.title.startswith(title))
        for title in ("Set the type", "Make a new GPT")
    )
    assert "/dev/THE-DISK-A 1 " in retyped.commands[0]
    assert table.commands[0].endswith(" /dev/THE-DISK-B")
    told = [one for one in made.cautions if "THE-DISK" in one]
    assert [one.split(",")[0] for one in told] == [f"Where a line says /dev/THE-DISK-{disk}" for disk in "AB"]
    assert "256.1 GB" in told[1] or "256 GB" in told[1]


def test_a_disk_whose_name_was_captured_needs_no_word_in_its_place(tmp_path: Path) -> None:
    job = machines.two_disks(tmp_path)
    job = replace(job, found=replace(job.found, disks=tuple(replace(one, device="/dev/sdx") for one in job.found.disks)))
    made = sheet(read(wanting(job, ("own-disk", {}))))
    assert not [one for one in made.cautions if "THE-DISK" in one]


@pytest.mark.parametrize("locked", [True, False])
def test_a_locked_system_is_opened_before_a_menu_is_to_find_it(*, locked: bool) -> None:
    """Captured text of a running system of the Linux family, its root in a container or not."""
    root = {"uuid": "771c2c61-d4d4-4dba-b9a4-7d8c3cb72e03", "fstype": "ext4", "mountpoint": "/", "fsused": 9 * GIB}
    inside = {"name": "luks-1", "type": "crypt", "size": 399 * GIB, **root}
    own = {"fstype": "crypto_LUKS", "uuid": "771c2c61-d4d4-4dba-b9a4-7d8c3cb72e02", "children": [inside]} if locked else root
    parts = [
        {"partn": 1, "size": GIB, "start": 2048, "fstype": "vfat", "uuid": "1A2B-3C4D", "parttype": gpt_type("efi_system")},
        {"partn": 2, "size": 400 * GIB, "start": 2048 + 2 * GIB // 512, "parttype": gpt_type("linux_data"), **own},
    ]
    children = [{"name": f"sda{one['partn']}", "type": "part", **one} for one in parts]
    disk = {"name": "sda", "type": "disk", "size": 900 * GIB, "log-sec": 512, "pttype": "gpt", "children": children}
    told = gather([json.dumps({"blockdevices": [disk]})])
    job = and_aim(take_in([], [told.disks], mode="uefi", seed="s"), Beside(disk="A"))
    (menu,) = (row for row in sheet(read(job)).rows if ".regenerate." in row.step)
    typed = [value for _, value in menu.words.values]
    assert ("cryptsetup open /dev/sda2 opened-S1" in typed) == locked
    assert typed[-2:] == [exact("linux", "regenerate_menu"), exact("linux", "regenerate_menu_other")]
