"""Root and home in one Btrfs, or as logical volumes: what is planned fits, is really made, is read by others, and starts."""

from __future__ import annotations

import subprocess
from functools import cache
from pathlib import Path

import pytest
from dissect.btrfs import Btrfs
from dissect.volume.lvm import LVM2
from hypothesis import given
from hypothesis import strategies as st

from disks import answered, make_volume
from inkshelf.bench import stand_ins, tools
from inkshelf.bench.image import ImageFile
from inkshelf.bench.inker import ink
from inkshelf.bench.kinds import ext
from inkshelf.bench.recipes import wanting
from inkshelf.core.aims import kind_of_aim
from inkshelf.core.disk import btrfs, btrfs_files
from inkshelf.core.disk.probe import probe
from inkshelf.core.disk.source import Memory, Slice
from inkshelf.core.errors import FormatError, PlanError
from inkshelf.core.machine.state import Disk, Firmware, Machine, Table, Volume
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.candidates import figures
from inkshelf.core.sheet.telling.mounts import mount_lines
from inkshelf.core.sheet.telling.people import free_of
from inkshelf.core.size import GB, GIB, MIB
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.kinds import FillContainer, FillGroup, Format, Install, Mount
from inkshelf.exchange.render import markdown

EXTENT = 4 * MIB


def empty(gb: int, mode: str) -> Machine:
    table = Table("gpt", "5f3c1c5e-7a4e-4e0a-9a57-0c4d2f0e1a2b", first_usable=2048, last_usable=gb * GB // 512 - 2048)
    return Machine(Firmware(mode, "off"), disks=(Disk("A", gb * GB, table=table),), ram_bytes=8 * GIB)


@given(st.integers(80, 4000), st.sampled_from(["none", "sqrt", "hibernate"]), st.sampled_from(["uefi", "legacy"]))
def test_a_group_is_filled_to_its_last_whole_extent_and_no_part_is_below_its_floor(gb: int, swap: str, mode: str) -> None:
    found = empty(gb, mode)
    aim = kind_of_aim("own-disk").usual_on(found, {"disk": "A", "home": "lvm", "swap": swap})
    try:
        steps = aim.steps(found, "seed")
    except PlanError:
        assert gb < 100
        return
    step = next(one for one in steps if isinstance(one, FillGroup))
    sizes = {one.name: one.size_bytes for one in step.holds}
    assert list(sizes) == ["root", *(["swap"] if swap != "none" else []), "home"]
    assert sizes["root"] >= 20 * GIB
    assert all(size % EXTENT == 0 and size > 0 for size in sizes.values())
    physical = fold(found, steps).planned.find(step.call)[1]
    assert 0 <= physical.size - MIB - sum(sizes.values()) < EXTENT
    assert physical.filesystem.used_bytes == MIB + sum(sizes.values()), "how full they are does not change what is given out"
    mounted = {where: what for what, where in next(one for one in steps if isinstance(one, Install)).mounts}
    assert {mounted["/"], mounted["/home"]} == {f"UUID={one.uuid}" for one in step.holds if one.name != "swap"}


def cut_out(image: ImageFile, volume: Volume, path: Path) -> Path:
    """A volume's bytes in a file of its own, for readers and checkers that are not ours."""
    with path.open("wb") as out:
        out.truncate(volume.size)
        for low, high in image.data_ranges(volume.start, volume.end):
            for at in range(low, high, 1 << 22):
                out.seek(at - volume.start)
                out.write(image.read(at, min(1 << 22, high - at)))
    return path


def logical(physical: Path, name: str, path: Path) -> Path:
    """A logical volume's bytes, where another reader finds them; holes stay holes."""
    with physical.open("rb") as opened:
        group = LVM2([opened]).volume_group
        (segment,) = group.logical_volumes[name].segments
        start = group.pv[0].pe_start * 512 + segment.stripes[0][1] * EXTENT
    with ImageFile(physical) as image:
        return cut_out(image, Volume("", 1, start, segment.extent_count * EXTENT, ""), path)


def free_for_people(path: Path) -> int:
    """What an ext volume shows as free, by a base utility."""
    said = subprocess.run(["dumpe2fs", "-h", path], capture_output=True, text=True, check=True).stdout
    blocks = {line.split(":")[0]: line.split(":")[1].strip() for line in said.splitlines() if line.count(":") == 1}
    return (int(blocks["Free blocks"]) - int(blocks["Reserved block count"])) * int(blocks["Block size"])


@pytest.mark.parametrize(
    "said", [{"home": "lvm"}, {"home": "lvm", "encryption": "all"}, {"home": "apart", "encryption": "root"}]
)
def test_a_way_says_what_a_system_in_a_container_will_show(two: Job, said: dict[str, str]) -> None:
    job = wanting(two, ("own-disk", said))
    planned = read(job).plan.planned
    assert set(figures(read(job)).free) == {"S1", "K1"}
    plain = wanting(two, ("own-disk", {"home": "apart"}))
    other = figures(read(plain)).free["S2"]
    assert abs(figures(read(job)).free["K1"] - other) < 2 * GIB, "as much as without a container, but for its kernels' volume"
    assert free_of(planned.find("K1")[1]) > 0


@pytest.mark.parametrize("home", ["together", "apart", "subvolumes", "lvm"])
def test_no_way_shows_more_room_than_its_volumes_have(two: Job, home: str) -> None:
    reading = read(wanting(two, ("own-disk", {"home": home})))
    shown = {call: free for call, free in figures(reading).free.items() if call != "S1"}
    room = sum(one.size for one in reading.plan.planned.disk("B").volumes)
    assert len(shown) == 1
    assert room * 7 // 10 < next(iter(shown.values())) < room


def test_a_system_in_a_group_is_really_there_and_read_by_others(two: Job, tmp_path: Path) -> None:
    job = wanting(two, ("own-disk", {"home": "lvm", "share": "ntfs", "size": "70GiB"}))
    report = ink(answered(job), tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    planned = read(job).plan.planned.find("K1")[1]
    with ImageFile(Path(report.images[1])) as image:
        physical = cut_out(image, planned, tmp_path / "physical")
    root = logical(physical, "root", tmp_path / "root")
    assert subprocess.run(["e2fsck", "-f", "-n", root], capture_output=True, check=False).returncode == 0
    said = subprocess.run(["debugfs", "-R", "cat /etc/fstab", root], capture_output=True, text=True, check=True).stdout
    lines = mount_lines(next(one for one in job.steps if isinstance(one, Install)).mounts)
    assert all(line in said for line in lines)
    home = logical(physical, "home", tmp_path / "home")
    step = next(one for one in job.steps if isinstance(one, Install))
    shown = free_of(planned)
    assert abs(sum(map(free_for_people, (root, home))) - step.installed_bytes - shown) < shown // 50, (
        "what its own system will show"
    )
    assert "/srv/shared" in said, "the shared volume's line went into the root that lies in the group"
    assert read(job).after[0].starts
    assert "not read" not in " ".join(one.detail for one in report.checks if one.what.startswith("K1"))


def test_a_system_on_subvolumes_is_really_there_and_what_is_left_to_a_person_is_said(two: Job, tmp_path: Path) -> None:
    job = wanting(two, ("own-disk", {"home": "subvolumes", "share": "ntfs"}))
    report = ink(answered(job), tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    said = {one.what: one.detail for one in report.checks}
    root = next(one for one in job.steps if isinstance(one, Install)).call
    assert "not on the bench" in said[f"{root}: subvolumes"]
    assert "nothing is put into" in said[f"{root}: mount table"]
    volume = read(job).plan.planned.find(root)[1]
    with ImageFile(Path(report.images[1])) as image:
        cut_out(image, volume, tmp_path / "root")
    with (tmp_path / "root").open("rb") as opened:
        table = Btrfs(opened).default_subvolume.get("etc/fstab").open().read().decode()
    uuid = volume.filesystem.uuid
    assert f"UUID={uuid} / btrfs subvol=@ 0 0" in table
    assert f"UUID={uuid} /home btrfs subvol=@home 0 0" in table
    text = markdown(read(job))
    assert "rootflags=subvol=@" in text
    assert 'btrfs subvolume create "$MOUNTED"/@home' in text


def test_a_mount_table_that_was_written_wrong_on_a_btrfs_is_found(
    two: Job, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from inkshelf.bench import installers

    job = wanting(two, ("own-disk", {"home": "subvolumes", "share": "ntfs"}))
    monkeypatch.setattr(installers, "mount_lines", lambda mounts, _: mount_lines(mounts)[:-1])
    report = ink(answered(job), tmp_path / "bench")
    assert not report.verified
    assert any(one.what.endswith("as predicted") for one in report.checks if not one.ok)


@pytest.mark.parametrize(
    ("encryption", "home", "inside"),
    [("all", "lvm", {"root", "swap", "home"}), ("all", "subvolumes", {"root", "swap"}), ("root", "subvolumes", {"root"})],
)
def test_these_schools_go_into_a_container_too(two: Job, encryption: str, home: str, inside: set[str]) -> None:
    job = wanting(two, ("own-disk", {"home": home, "encryption": encryption}))
    assert not job.plan_fault
    step = next(one for one in job.steps if isinstance(one, FillContainer))
    assert {one.name for one in step.holds} == inside
    text = markdown(read(job))
    assert ("rootflags=subvol=@" in text) == (home == "subvolumes")
    assert ("lvcreate" in text) == (encryption == "all")


@pytest.mark.parametrize("aim", ["beside", "several"])
@pytest.mark.parametrize(
    ("said", "kinds"),
    [
        ({"home": "lvm"}, {"lvm"}),
        ({"home": "subvolumes", "encryption": "root"}, {"luks"}),
        ({"home": "apart", "encryption": "all"}, {"luks"}),
        ({"home": "subvolumes"}, {"btrfs"}),
    ],
)
def test_a_system_beside_another_has_every_school_too(two: Job, aim: str, said: dict[str, str], kinds: set[str]) -> None:
    more = {"esp": "own"} if aim == "beside" else {"systems": "linux-desktop,nt-desktop,linux-light"}
    job = wanting(two, (aim, {**said, **more}))
    assert not job.plan_fault
    formats = [one.filesystem for one in job.steps if isinstance(one, Format)]
    assert kinds == {one for one in formats if one in {"lvm", "luks", "btrfs"}}
    reading = read(job)
    held = [one for one in reading.plan.planned.volumes() if one[1].holds and one[1].planned]
    assert len(held) == (1 if aim == "beside" else 3)
    assert all(one.starts for one in reading.after if one.mishap == "none")
    assert len(figures(reading).free) == len(held) + 1, "what each will show is told"


def test_a_system_in_a_group_beside_another_is_inked_as_predicted(one: Job, tmp_path: Path) -> None:
    job = wanting(one, ("beside", {"home": "lvm", "esp": "shared", "size": "60GiB"}))
    report = ink(answered(job), tmp_path / "bench")
    assert [check for check in report.checks if not check.ok] == []
    assert [change.starts for change in read(job).after if change.mishap == "none"] == [True, True]


def test_a_group_in_a_container_of_the_root_alone_is_refused(two: Job) -> None:
    assert "volume group" in wanting(two, ("own-disk", {"home": "lvm", "encryption": "root"})).plan_fault


@pytest.mark.parametrize(
    ("system", "usual"), [("linux-rolling", "subvolumes"), ("linux-server", "lvm"), ("linux-desktop", "together")]
)
def test_what_a_system_sets_by_itself_is_usual(two: Job, system: str, usual: str) -> None:
    job = wanting(two, ("own-disk", {"system": system}))
    assert job.aims[-1].home == usual
    assert not job.plan_fault
    assert ("compress=zstd:1" in markdown(read(job))) == (system == "linux-rolling"), "what its own layout packs"


def tree(folder: Path, title: str) -> Path:
    """A system's files as installed ones have them: its name is a link."""
    for one in ("etc", "usr/lib", "boot/grub"):
        (folder / one).mkdir(parents=True)
    (folder / "etc/os-release").symlink_to("../usr/lib/os-release")
    (folder / "usr/lib/os-release").write_text(f'NAME=x\nPRETTY_NAME="{title}"\n')
    (folder / "etc/fstab").write_text("# what\nUUID=1234 / btrfs subvol=@ 0 0\n")
    (folder / "boot/vmlinuz-6").write_bytes(stand_ins.loader("kernel", signed=True, size=300_000))
    (folder / "boot/grub/grub.cfg").write_text("menuentry x {\n search --fs-uuid 771c2c61-d4d4-4dba-b9a4-7d8c3cb72e0e\n}\n")
    for number in range(400):
        (folder / "etc" / f"f{number}").write_bytes(bytes([number % 256]) * number * 9)
    return folder


@pytest.mark.parametrize("kind", ["btrfs", "ext4"])
def test_a_system_that_base_utilities_put_on_a_volume_is_known_by_the_name_behind_its_link(tmp_path: Path, kind: str) -> None:
    files = tree(tmp_path / "tree", "Quill 7")
    options = ("-q", "-f", "-r") if kind == "btrfs" else ("-q", "-F", "-d")
    path = make_volume(tmp_path / "volume", 256 * MIB, f"mkfs.{kind}", *options, str(files))
    with ImageFile(path) as source:
        found = probe(Slice(source, 0, source.size))
    assert found.holds is not None
    assert (found.holds.title, found.holds.kernels, found.holds.kernel_signed) == ("Quill 7", 1, True)
    assert found.holds.mounts == (("UUID=1234", "/"),)
    assert [one.targets for one in found.boot_files] == [("771c2c61-d4d4-4dba-b9a4-7d8c3cb72e0e",)]


def test_files_of_a_btrfs_are_found_by_their_paths_whatever_their_length(tmp_path: Path) -> None:
    files = tree(tmp_path / "tree", "Quill 7")
    volume = tmp_path / "volume"
    volume.write_bytes(bytes(256 * MIB))
    tools.run("mkfs.btrfs", "-q", "-f", "-n", "4096", "-r", files, volume)
    with ImageFile(volume) as source:
        top = next(btrfs_files.subvolumes(source))
        for path in [one for one in files.rglob("*") if one.is_file() and not one.is_symlink()]:
            assert top.read(f"/{path.relative_to(files)}", 1 << 20) == path.read_bytes(), path
        assert top.read("/etc/nobody", 100) is None
        assert top.read("/nobody/etc", 100) is None
        assert set(top.names("/etc")) == {one.name for one in (files / "etc").iterdir()}
        assert top.read("/boot/vmlinuz-6", 4096) == (files / "boot/vmlinuz-6").read_bytes()[:4096]


@given(st.data())
def test_a_damaged_btrfs_is_still_one_and_says_what_could_not_be_read(small_root: bytes, data: st.DataObject) -> None:
    raw = bytearray(small_root)
    nodes = _written(small_root)
    for _ in range(data.draw(st.integers(1, 6))):
        place = data.draw(st.sampled_from(nodes)) + data.draw(st.integers(48, 4000))
        raw[place : place + 4] = data.draw(st.binary(min_size=1, max_size=4))
    found = probe(Memory(bytes(raw)))
    assert found.filesystem is None or found.filesystem.kind in {"btrfs", "damaged"}
    try:
        for top in btrfs_files.subvolumes(Memory(bytes(raw))):
            top.read("/etc/fstab", 1 << 16)
    except FormatError as error:
        assert error.what


@cache
def _written(raw: bytes) -> list[int]:
    """Where something stands: looked for once, not for every example."""
    empty = bytes(4096)
    return [at for at in range(0, len(raw), 4096) if raw[at : at + 4096] != empty]


@pytest.fixture(scope="module")
def small_root(tmp_path_factory: pytest.TempPathFactory) -> bytes:
    folder = tmp_path_factory.mktemp("small")
    (folder / "tree" / "etc").mkdir(parents=True)
    (folder / "tree/etc/os-release").write_text("PRETTY_NAME=Quill\n")
    (folder / "tree/etc/fstab").write_text("UUID=1 / btrfs defaults 0 0\n" * 90)
    volume = folder / "volume"
    volume.write_bytes(bytes(16 * MIB))
    tools.run("mkfs.btrfs", "-q", "-f", "-M", "-n", "4096", "-r", folder / "tree", volume)
    return volume.read_bytes()


def test_which_logical_volume_is_the_root_its_own_mount_table_says(tmp_path: Path) -> None:
    """Groups that others made call their volumes as they like."""
    from inkshelf.bench.grouping import fill
    from inkshelf.bench.kinds.lvm import write_pv
    from inkshelf.core.disk import lvm_write
    from inkshelf.core.disk.lvm_extents import identifier
    from inkshelf.core.machine.roles import root_uuid
    from inkshelf.core.machine.state import Inside
    from inkshelf.core.value import replace

    path, (data, system) = tmp_path / "pv", ("11111111-2222-4333-8444-555555555555", "771c2c61-d4d4-4dba-b9a4-7d8c3cb72e0e")
    with path.open("wb") as out:
        out.truncate(200 * MIB)
    write_pv(path, lvm_write.fresh_pv(200 * MIB, identifier("pv"), "quill"))
    volume = Volume("K1", 1, MIB, 200 * MIB, "", "container")
    fill(
        path,
        Disk("A", GIB),
        volume,
        (Inside("stuff", 40 * MIB, "ext4", "stuff", data), Inside("slash", 80 * MIB, "ext4", "slash", system)),
    )
    with ImageFile(path) as source:
        seen = probe(Slice(source, 0, source.size))
    assert [one.uuid for one in seen.filesystem.inside] == [data, system]
    assert seen.holds is None

    def put(inner: Path) -> None:
        ext.put(
            inner,
            {"/etc/os-release": stand_ins.release_file("Quill"), "/etc/fstab": f"UUID={system} / ext4 defaults 0 1\n".encode()},
        )

    from inkshelf.bench import grouping

    grouping._within(path, "slash", put)
    with ImageFile(path) as source:
        seen = probe(Slice(source, 0, source.size))
    assert seen.holds is not None
    assert root_uuid(replace(volume, filesystem=seen.filesystem, holds=seen.holds)) == system


def test_steps_of_these_schools_come_in_an_order_that_can_be_done(two: Job) -> None:
    job = wanting(two, ("own-disk", {"home": "lvm", "share": "ntfs"}))
    kinds = [type(one) for one in job.steps]
    assert kinds.index(FillGroup) < kinds.index(Install) < kinds.index(Mount)
    made = next(number for number, one in enumerate(job.steps) if isinstance(one, Format) and one.filesystem == "lvm")
    assert made < kinds.index(FillGroup)


@given(st.integers(0, 60), st.integers(1, 40), st.integers(0, 50), st.integers(1, 60))
def test_contents_lie_where_the_chunks_say_from_the_place_in_their_extent(
    start: int, count: int, chunk: int, most: int
) -> None:
    import struct

    raw, logical_at = bytes(range(200)), 1 << 30
    volume = btrfs.Btrfs(Memory(raw), 4096, 0, 0, ((logical_at, 150, chunk),))
    head = struct.pack("<QQBBHB", 1, count, 0, 0, 0, btrfs.IN_EXTENT)
    item = btrfs.Item(257, btrfs.DATA, 0, b"", head + struct.pack("<QQQQ", logical_at, 120, start, count))
    seen = btrfs_files.Tree(volume, 0, 0)._contents(item, most)
    assert seen == raw[chunk + start : chunk + start + min(count, most)]
    packed = btrfs.Item(257, btrfs.DATA, 0, b"", head[:16] + b"\1" + head[17:] + item.data[21:])
    assert btrfs_files.Tree(volume, 0, 0)._contents(packed, most) is None, "packed contents are not read, and not guessed"


@pytest.mark.parametrize("said", [{"home": "lvm"}, {"encryption": "all"}])
def test_a_group_never_bears_the_name_of_one_that_the_machine_has(two: Job, said: dict[str, str]) -> None:
    """Lines name groups, not disks: with two of one name they reach the wrong one."""
    first = wanting(two, ("own-disk", {"home": "lvm", "size": "60GiB"}))
    again = wanting(first, ("clean", {"disk": "A", **said}))
    groups = [one.label for one in again.steps if isinstance(one, Format) and one.filesystem == "lvm"]
    groups += [one.group for one in again.steps if isinstance(one, FillContainer)]
    assert not again.plan_fault
    assert len(groups) == 2
    assert len(set(groups)) == 2
    assert f"vgcreate {groups[1]} " in markdown(read(again))
