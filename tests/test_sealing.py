"""A system behind a passphrase: what lies in the container, what starts it, what is said of it, and what nobody can read back."""

from __future__ import annotations

import itertools
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from disks import answered, make_volume
from inkshelf.bench import stand_ins
from inkshelf.bench.image import ImageFile
from inkshelf.bench.inker import ink
from inkshelf.bench.kinds import ext
from inkshelf.bench.recipes import wanting
from inkshelf.core.aims.belongings import belongings
from inkshelf.core.boot.rehearse import rehearse
from inkshelf.core.disk.fat import layout as fat_layout
from inkshelf.core.disk.fat import listing, read_file
from inkshelf.core.disk.linux_system import on_ext
from inkshelf.core.disk.source import Slice
from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import Disk, Inside, Machine, Table, Volume
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GB, GIB, MIB
from inkshelf.core.steps.containers import FillContainer, room_inside
from inkshelf.core.steps.kinds import Format, Install
from inkshelf.core.value import replace
from inkshelf.exchange.render import markdown
from inkshelf.ui.shelf.layout import lay_out

HEADER, EXTENT = 16 * MIB, 4 * MIB
ROOTS = st.sampled_from(["root", "all"])


def filled(job: Job) -> FillContainer:
    return next(step for step in job.steps if isinstance(step, FillContainer))


@given(
    ROOTS,
    st.sampled_from(["together", "apart"]),
    st.sampled_from(["none", "sqrt", "hibernate"]),
    st.integers(60, 600),
    st.data(),
)
def test_what_lies_inside_fits_and_keeps_its_floors(
    encryption: str, home: str, swap: str, gb: int, data: st.DataObject
) -> None:
    """The header takes 16 MiB, a group 1 MiB and whole extents; nothing inside is smaller than its floor, and nothing is left over."""
    ram = data.draw(st.integers(1, 32)) * GIB
    disk = Disk("A", gb * GB + data.draw(st.integers(0, 99)) * MIB)
    job = wanting(
        Job(found=Machine(disks=(disk,), ram_bytes=ram), seed="sealed"),
        ("clean", {"disk": "A", "encryption": encryption, "home": home, "swap": swap}),
    )
    if encryption == "root" and swap == "hibernate":
        assert "Hibernation" in job.plan_fault
        return
    if job.plan_fault:
        assert "come to" in job.plan_fault, "only the room may be missing"
        return
    step, planned = filled(job), read(job).plan.planned
    container = planned.find(step.call)[1]
    inside = sum(one.size_bytes for one in step.holds)
    names = [one.name for one in step.holds]
    if encryption == "root":
        assert (names, inside) == (["root"], container.size - HEADER)
    else:
        assert 0 <= container.size - HEADER - MIB - inside < EXTENT
        assert all(one.size_bytes % EXTENT == 0 for one in step.holds)
        assert names == ["root"] + ["swap"] * (swap != "none") + ["home"] * (home == "apart")
    sizes = {one.name: one.size_bytes for one in step.holds}
    assert sizes["root"] >= (20 if home == "apart" else 24) * GIB
    if swap == "hibernate":
        assert sizes["swap"] > ram
    assert all(volume.role != "swap" for volume in planned.disk("A").volumes), (
        "no swap lies outside, where memory could be read"
    )


@pytest.mark.parametrize("encryption", ["root", "all"])
def test_a_sealed_system_inks_and_starts_and_nobody_says_that_it_was_read(two: Job, encryption: str, tmp_path: Path) -> None:
    job = wanting(two, ("own-disk", {"encryption": encryption, "home": "apart", "share": "ntfs", "size": "110GiB"}))
    report = ink(answered(job), tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    said = {one.what: one.detail for one in report.checks}
    assert "not read" in said["K1: what is inside"]
    assert all(one.starts for one in read(job).after if one.mishap == "none")
    outside = {one.call for disk in read(job).plan.planned.disks for one in disk.volumes if one.role == "data"}
    assert outside == ({"D1"} if encryption == "all" else {"D1", "D2"}), (
        "home lies inside with everything, outside with root alone"
    )


def test_the_menu_searches_the_boot_volume_and_names_the_root_inside(two: Job, tmp_path: Path) -> None:
    job = wanting(two, ("own-disk", {"encryption": "all"}))
    report = ink(answered(job), tmp_path / "bench")
    planned = read(job).plan.planned
    startup, boot = planned.find("B2")[1], planned.find("B3")[1]
    root = filled(job).holds[0]
    with ImageFile(Path(report.images[1])) as image:
        volume = Slice(image, startup.start, startup.size)
        table = fat_layout(volume)
        config = next(one for one in listing(volume, table) if one.path.lower().endswith("linux\\grub.cfg"))
        text = read_file(volume, table, config).decode()
    assert f"--set=root {boot.filesystem.uuid}" in text
    assert f"root=UUID={root.uuid}" in text
    assert f"root=UUID={boot.filesystem.uuid}" not in text
    assert planned.find("K1")[1].filesystem.uuid not in text, "the container's own UUID starts nothing"


def test_without_its_boot_volume_a_sealed_system_does_not_start(two: Job) -> None:
    planned = read(wanting(two, ("own-disk", {"encryption": "all"}))).plan.planned
    disk = planned.disk("B")
    lost = planned.with_disk(replace(disk, volumes=tuple(one for one in disk.volumes if one.call != "B3")))
    assert [one.starts for one in rehearse(lost) if (one.system, one.mishap) == ("K1", "none")] == [False]


def test_a_menu_that_lies_on_the_boot_volume_is_read_there(tmp_path: Path) -> None:
    path = make_volume(tmp_path / "boot", 64 * MIB, "mkfs.ext4", "-q", "-F")
    root, boot = "0f0e0d0c-0b0a-4908-8706-050403020100", "11111111-2222-4333-8444-555555555555"
    ext.put(path, {"/grub/grub.cfg": stand_ins.menu_config(((boot, root),), "Quill", ())})
    with ImageFile(path) as source:
        found = on_ext(Slice(source, 0, source.size))
    assert [(one.kind, one.targets) for one in found.boot_files] == [("menu-config", (boot, root))]
    assert found.holds is None, "a boot volume is no system"


def test_a_loader_that_hands_over_to_a_boot_volume_belongs_to_the_system_that_mounts_it(two: Job) -> None:
    planned = read(wanting(two, ("own-disk", {"encryption": "all"}))).plan.planned
    boot = planned.find("B3")[1].filesystem.uuid
    startup = planned.find("B2")[1]
    stubs = tuple(
        replace(one, targets=(), hands_over=(boot,)) if one.kind == "menu-config" else one for one in startup.boot_files
    )
    handed = planned.with_volume("B2", lambda one: replace(one, boot_files=stubs))
    for machine in (planned, handed):
        gone = belongings(machine, machine.find("K1")[1], with_files=False)
        assert {"B3", "B2"} <= {*gone.volumes, *(call for call, _ in gone.files)}, "its kernels and its loaders go with it"


def test_mount_table_and_unlock_table_name_what_is_inside_and_what_is_opened(two: Job) -> None:
    job = wanting(two, ("own-disk", {"encryption": "all", "home": "apart", "swap": "hibernate"}))
    step, planned = filled(job), read(job).plan.planned
    installed = next(one for one in job.steps if isinstance(one, Install))
    mounted = {where: what for what, where in installed.mounts}
    inside = {one.name: f"UUID={one.uuid}" for one in step.holds}
    assert (mounted["/"], mounted["/home"], mounted["none"]) == (inside["root"], inside["home"], inside["swap"])
    assert mounted["/boot"] == f"UUID={planned.find(installed.boot)[1].filesystem.uuid}"
    container = planned.find("K1")[1].filesystem
    assert installed.unlocks == (("linux-locked", container.uuid),)
    text = markdown(read(job))
    assert f"linux-locked UUID={container.uuid} none luks" in text
    assert f"resume={inside['swap']}" in text
    assert "luksHeaderBackup" in text
    key = next(row for row in sheet(read(job)).rows if "Passphrase known" in row.words.title)
    assert key.number < next(row.number for row in sheet(read(job)).rows if row.words.title.startswith("Install "))


def test_what_cannot_be_sealed_is_refused(two: Job) -> None:
    assert "encrypts itself" in wanting(two, ("own-disk", {"system": "nt-desktop", "encryption": "all"})).plan_fault
    mixed = wanting(two, ("clean", {"disk": "B", "systems": "nt-desktop,linux-desktop", "encryption": "all"}))
    assert not mixed.plan_fault
    assert [one.filesystem for one in mixed.steps if isinstance(one, Format)].count("luks") == 1, "the Linux family only"


def container(size: int, *made: Inside, group: str = "") -> Machine:
    luks = Format("K1", "luks", "locked", "0f0e0d0c-0b0a-4908-8706-050403020100")
    disk = Disk("A", 100 * GIB, table=Table("gpt"), volumes=(Volume("K1", 1, MIB, size, "", "container"),))
    return FillContainer("K1", made, group).apply(luks.apply(Machine(disks=(disk,))))


@given(st.integers(20 * MIB, 90 * GIB), st.integers(1, 64 * MIB))
def test_a_container_never_holds_more_than_it_has_room_for(size: int, more: int) -> None:
    whole = room_inside(size, grouped=False)
    assert whole == size - HEADER
    assert container(size, Inside("root", whole, "ext4")).find("K1")[1].filesystem.inside[0].size_bytes == whole
    with pytest.raises(StepError, match="do not fit"):
        container(size, Inside("root", whole + more, "ext4"))
    grouped = room_inside(size, grouped=True)
    with pytest.raises(StepError, match=r"do not fit|whole extents"):
        container(size, Inside("root", grouped + min(more, EXTENT), "ext4"), group="g")


def test_what_a_container_holds_is_said_plainly_or_refused() -> None:
    with pytest.raises(StepError, match="one file system, or a volume group"):
        container(GIB, Inside("root", 8 * MIB), Inside("swap", 8 * MIB))
    with pytest.raises(StepError, match="whole extents"):
        container(GIB, Inside("root", 5 * MIB), group="g")
    disk = Disk("A", GIB * 4, table=Table("gpt"), volumes=(Volume("D1", 1, MIB, GIB, "", "data"),))
    plain = Format("D1", "ext4", "", "0f0e0d0c-0b0a-4908-8706-050403020100").apply(Machine(disks=(disk,)))
    with pytest.raises(StepError, match="no encrypted container"):
        FillContainer("D1", (Inside("root", 8 * MIB),)).apply(plain)


@pytest.mark.parametrize("width", [320.0, 700.0, 1400.0])
def test_small_spines_stand_between_the_walls_of_their_container(two: Job, width: float) -> None:
    shelf = lay_out(read(wanting(two, ("own-disk", {"encryption": "all", "home": "apart"}))), "B", 0, width)
    box = next(one for one in shelf.planned if one.call == "K1")
    assert [one.words for one in box.inner] == ["root", "swap", "home"]
    assert [one.role for one in box.inner] == ["system", "swap", "data"]
    ends = [(one.x, one.x + one.width) for one in box.inner]
    assert box.x < ends[0][0]
    assert ends[-1][1] < box.x + box.width + 0.01
    assert all(left[1] <= right[0] + 0.01 for left, right in itertools.pairwise(ends))
