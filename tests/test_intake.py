"""Taking a machine in: several readings of one disk become one disk, and nothing is guessed over."""

from __future__ import annotations

import json
import random
import subprocess
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from disks import assemble, make_gpt_disk
from inkshelf.bench import demo
from inkshelf.bench.inker import ink
from inkshelf.bench.intake import take_in, with_listings
from inkshelf.core.aims.beside import Beside
from inkshelf.core.checks import findings
from inkshelf.core.errors import BenchError, InkshelfError
from inkshelf.core.machine.assemble import infer_entries
from inkshelf.core.machine.captured import merge_identity, same_disk
from inkshelf.core.machine.state import Conditions, Disk, Table
from inkshelf.core.plan.job import Job, Source, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB, MIB, TIB
from inkshelf.core.value import replace
from inkshelf.exchange import captures


@pytest.fixture
def listed(demo_files: tuple[Path, Path]) -> Disk:
    return captures.read_lsblk(demo_files[1].read_text())[0]


def test_an_image_takes_its_identity_from_the_capture_of_the_same_disk(demo_files: tuple[Path, Path], listed: Disk) -> None:
    other = Disk("", 2 * TIB, model="Other", serial="X", table=Table("gpt", "1" * 8 + "-0000-4000-8000-" + "1" * 12))
    job = take_in([demo_files[0]], [(other, listed)], seed="x")
    assert [(disk.id, disk.serial) for disk in job.found.disks] == [("A", demo.SERIAL), ("B", "X")]
    assert job.found.disks[0].device == "/dev/nvme0n1"
    assert job.found.find("S1")[1].filesystem.hibernated, "contents come from the image"
    assert [source.disk for source in job.sources if source.kind == "image"] == ["A"]


def test_a_table_made_at_another_sector_size_is_said(demo_files: tuple[Path, Path], listed: Disk) -> None:
    job = take_in([demo_files[0]], [(replace(listed, sector=4096),)], mode="uefi", seed="s")
    disk = job.found.disks[0]
    assert (disk.sector, disk.shown_sector) == (512, 4096)
    said = {one.key: one for one in findings(read(job))}
    assert said["disk.sector.A"].severity == "stop"
    assert "4096-byte ones now" in said["disk.sector.A"].why
    assert "disk.sector.A" not in {one.key for one in findings(read(take_in([demo_files[0]], [(listed,)], seed="s")))}


def test_a_capture_added_later_changes_nothing_but_identity(demo_files: tuple[Path, Path], listed: Disk) -> None:
    bare = with_aim(
        take_in([demo_files[0]], mode="uefi", ram_bytes=8 * GIB, conditions=Conditions(True), seed="x"),
        Beside(size_bytes=60 * GIB),
    )
    job = with_listings(bare, (listed,), [Source("lsblk", "x")])
    assert job.found.disks[0].serial == demo.SERIAL
    assert job.found.disks[0].volumes == bare.found.disks[0].volumes
    assert (job.found.ram_bytes, job.found.conditions, job.steps) == (8 * GIB, Conditions(True), bare.steps)


def test_disks_are_told_apart_by_their_table_before_anything_else(listed: Disk) -> None:
    assert same_disk(listed, replace(listed, size=1, model="other"))
    assert not same_disk(listed, replace(listed, table=replace(listed.table, guid="2" + listed.table.guid[1:])))
    blind = replace(listed, table=replace(listed.table, guid=""))
    assert same_disk(blind, blind)
    assert not same_disk(blind, replace(blind, size=listed.size + 512))
    zero = replace(listed, table=replace(listed.table, guid="", signature="00000000"))
    assert not same_disk(zero, replace(zero, volumes=()))


def test_identity_is_added_and_never_taken_away(listed: Disk) -> None:
    assert merge_identity(listed, Disk("", 1)) == replace(listed, removable=False)
    assert assemble((listed,)).disks[0].serial == listed.serial
    unlike = replace(listed, size=listed.size + (5 << 20), table=replace(listed.table, guid="3" + listed.table.guid[1:]))
    assert len(assemble((unlike, listed)).disks) == 2


def test_entries_are_inferred_for_uefi_only_and_only_where_none_were_captured(found_job: Job) -> None:
    disks = found_job.found.disks
    machine = assemble(disks, "uefi", "on")
    assert [(entry.title, entry.partition_number) for entry in machine.firmware.entries] == [("NT loader", 1)]
    assert assemble(disks, "legacy").firmware.entries == ()
    assert assemble(disks, None).firmware.entries == ()
    known = replace(machine, firmware=replace(machine.firmware, entries=(), order=(), entries_known=True))
    assert infer_entries(known) == known


@given(st.permutations(range(4)))
def test_call_numbers_follow_the_places_not_the_order_of_the_listing(found_job: Job, order: list[int]) -> None:
    disk = found_job.found.disks[0]
    shuffled = replace(disk, volumes=tuple(replace(disk.volumes[place], call="", role="unknown") for place in order))
    machine = assemble((shuffled,), "uefi")
    assert [volume.call for volume in machine.disks[0].volumes] == ["B1", "N1", "S1", "R1"]


def test_more_disks_than_letters_are_refused(demo_files: tuple[Path, Path]) -> None:
    many = tuple(
        Disk("", GIB + place, table=Table("gpt", f"{place:08X}-0000-4000-8000-000000000001")) for place in range(1, 30)
    )
    with pytest.raises(InkshelfError, match="more than one machine holds"):
        take_in([], [many])


def test_a_seed_is_drawn_once_and_kept(demo_files: tuple[Path, Path]) -> None:
    one, other = take_in([demo_files[0]]), take_in([demo_files[0]])
    assert one.seed != other.seed
    assert len(one.seed) == 16


def test_an_image_that_changes_while_it_is_copied_is_refused(job: Job, tmp_path: Path) -> None:
    image = tmp_path / "busy.img"
    demo.make_disk(image)
    busy = replace(job, sources=(Source("image", str(image), "A"),))
    touched: list[int] = []

    def touch(now: object) -> None:
        if not touched and getattr(now, "done", 0):
            touched.append(1)
            with image.open("r+b") as out:
                out.seek(job.found.find("S1")[1].start + (200 << 30))
                out.write(b"somebody else")

    with pytest.raises(BenchError, match="changed while it was copied"):
        ink(busy, tmp_path / "bench", touch)


def test_the_demo_listing_is_what_the_command_prints(tmp_path: Path) -> None:
    document = json.loads(json.dumps(demo.listing()))
    device = document["blockdevices"][0]
    assert {"name", "size", "model", "serial", "tran", "log-sec", "phy-sec", "ptuuid", "children"} <= device.keys()
    assert sum(child["size"] for child in device["children"]) < device["size"]


def test_a_wiped_disk_is_an_empty_one_and_a_picture_is_none(tmp_path: Path) -> None:
    path = tmp_path / "wiped.img"
    make_gpt_disk(path, 200 * MIB, 512, [])
    subprocess.run(["wipefs", "-qaf", path], check=True)
    (disk,) = take_in([path], seed="wiped").found.disks
    assert (disk.table.kind, disk.volumes) == ("none", ())
    (tmp_path / "picture").write_bytes(random.Random(1).randbytes(3 * MIB))
    with pytest.raises(BenchError, match="not a disk image"):
        take_in([tmp_path / "picture"])
