"""Listings that base utilities print: they tell the same as the image, or the documented error."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.bench import demo
from inkshelf.bench.intake import take_in
from inkshelf.core.errors import CaptureError, InkshelfError
from inkshelf.core.machine.captured import merge_identity
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB, MIB
from inkshelf.exchange import captures, mounted

# -- the job file ------------------------------------------------------------------------------------------------------


def table_of(disk: object) -> dict[str, object]:
    """What sfdisk --json prints for a disk of ours."""
    rows = [
        {
            "node": f"/dev/nvme0n1p{one.number}",
            "start": one.start // 512,
            "size": one.size // 512,
            "type": one.type_id,
            "uuid": one.guid,
            "name": one.name,
            **({"attrs": "RequiredPartition GUID:63"} if one.attributes else {}),
        }
        for one in disk.volumes
    ]
    return {
        "partitiontable": {
            "label": "gpt",
            "id": disk.table.guid,
            "device": "/dev/nvme0n1",
            "unit": "sectors",
            "firstlba": 34,
            "lastlba": disk.table.last_usable,
            "sectorsize": 512,
            "partitions": rows,
        }
    }


def test_captured_text_tells_the_same_as_the_image(found_job: Job) -> None:
    listed = captures.read_lsblk(json.dumps(demo.listing()))
    table = captures.read_sfdisk(json.dumps(table_of(found_job.found.disks[0])))
    disk = captures.combine(listed, (table,))[0]
    real = found_job.found.disks[0]
    assert (disk.size, disk.model, disk.serial, disk.table.guid, disk.table.last_usable) == (
        real.size,
        real.model,
        real.serial,
        real.table.guid,
        real.table.last_usable,
    )
    assert [(one.number, one.start, one.size, one.type_id, one.guid, one.attributes, one.name) for one in disk.volumes] == [
        (one.number, one.start, one.size, one.type_id, one.guid, one.attributes, one.name) for one in real.volumes
    ]
    job = take_in([], [(disk,)], mode="uefi", secure_boot="on")
    assert [volume.call for _, volume in job.found.volumes()] == ["B1", "N1", "S1", "R1"]
    assert {one.system: one.starts for one in read(job).before if one.mishap == "none"} == {"S1": True}, (
        "what a family always puts there is assumed"
    )


def test_old_listings_with_sizes_as_text_are_read() -> None:
    old = demo.listing()

    def age(node: dict) -> None:
        for key in ("size", "start", "log-sec", "phy-sec"):
            if key in node:
                node[key] = str(node[key])
        node["mountpoint"] = node.pop("mountpoints", [None])[0] if node.get("mountpoints") else None
        node.pop("partn", None)
        node["rm"] = "0"
        for child in node.get("children", []):
            age(child)

    for node in old["blockdevices"]:
        age(node)
    assert captures.read_lsblk(json.dumps(old)) == captures.read_lsblk(json.dumps(demo.listing()))


@pytest.mark.parametrize(
    ("said", "turns"), [(True, True), ("1", True), (False, False), ("0", False), (None, None), ("x", None)]
)
def test_whether_platters_turn_is_read_and_kept_when_an_image_is_taken_in(
    said: object, turns: bool | None, demo_files: tuple[Path, Path]
) -> None:
    document = demo.listing()
    if said is not None:
        document["blockdevices"][0]["rota"] = said
    listed = captures.read_lsblk(json.dumps(document))
    assert [one.rotational for one in listed] == [turns]
    job = take_in([demo_files[0]], [listed], [], mode="uefi", seed="x")
    assert [one.rotational for one in job.found.disks] == [turns]
    again = captures.read_lsblk(json.dumps(demo.listing()))
    assert merge_identity(job.found.disks[0], again[0]).rotational == turns, "one that says nothing takes nothing away"


def test_loop_devices_and_used_space_are_told_apart() -> None:
    document = demo.listing()
    document["blockdevices"].insert(0, {"name": "loop0", "type": "loop", "size": 4096})
    document["blockdevices"][1]["children"][2]["fsused"] = "201863462912"
    disks = captures.read_lsblk(json.dumps(document))
    assert len(disks) == 1
    assert disks[0].volumes[2].used == 201863462912


def test_captures_that_contradict_each_other_are_shown(found_job: Job) -> None:
    table = table_of(found_job.found.disks[0])
    table["partitiontable"]["partitions"][2]["size"] -= 2048
    with pytest.raises(CaptureError, match=r"contradict.*partition 3"):
        captures.combine(captures.read_lsblk(json.dumps(demo.listing())), (captures.read_sfdisk(json.dumps(table)),))


@pytest.mark.parametrize(
    "text",
    [
        "",
        "nonsense",
        "[]",
        "{}",
        '{"blockdevices": 3}',
        '{"blockdevices": []}',
        '{"blockdevices": [{"type": "disk", "size": "x"}]}',
        '{"blockdevices": [{"type": "disk", "size": -1}]}',
    ],
)
def test_what_is_no_listing_says_what_to_capture(text: str) -> None:
    with pytest.raises(CaptureError) as caught:
        captures.read_lsblk(text)
    assert "apture" in caught.value.remedy


JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text(max_size=8),
    lambda inner: (
        st.lists(inner, max_size=3)
        | st.dictionaries(
            st.sampled_from(
                [
                    "type",
                    "size",
                    "children",
                    "name",
                    "start",
                    "log-sec",
                    "parttype",
                    "partitions",
                    "label",
                    "node",
                    "attrs",
                    "uuid",
                    "fstype",
                    "fsused",
                ]
            ),
            inner,
            max_size=5,
        )
    ),
    max_leaves=20,
)


@given(JSON)
def test_any_document_gives_disks_or_the_documented_error(node: object) -> None:
    for text, reader in (
        (json.dumps({"blockdevices": [node, {"type": "disk", "children": [node], "size": 1 << 30}]}), captures.read_lsblk),
        (json.dumps({"partitiontable": node}), captures.read_sfdisk),
        (json.dumps({"partitiontable": {"partitions": [node]}}), captures.read_sfdisk),
    ):
        try:
            reader(text)
        except CaptureError as error:
            assert error.what


def test_no_disk_or_one_disk_twice_is_refused(demo_files: tuple[Path, Path]) -> None:
    with pytest.raises(InkshelfError, match="No disk"):
        take_in([])
    with pytest.raises(InkshelfError, match="twice"):
        take_in([demo_files[0], demo_files[0]])


def node(**more: object) -> dict[str, object]:
    """A disk of a listing without a table."""
    return {"name": "vda", "type": "disk", "size": 256 * GIB, "log-sec": 512, "fstype": None, **more}


@pytest.mark.parametrize(
    ("more", "kind", "used"),
    [
        ({"fstype": "ext4", "fsused": 9 * GIB}, "ext4", 9 * GIB),
        ({"fstype": "crypto_LUKS", "children": [{"name": "x", "type": "crypt", "size": 1}]}, "luks", None),
        ({"mountpoint": "/", "fsused": str(34 * GIB)}, "unknown", 34 * GIB),
        ({"mountpoints": [None, "/srv"]}, "unknown", None),
        ({"fstype": "zfs_member"}, "unknown", None),
        ({"children": [{"name": "md0", "type": "raid1", "size": 1}]}, "unknown", None),
    ],
)
def test_a_disk_without_a_table_that_is_in_use_is_not_an_empty_one(
    more: dict[str, object], kind: str, used: int | None
) -> None:
    (disk,) = captures.read_lsblk(json.dumps({"blockdevices": [node(**more)]}))
    (volume,) = disk.volumes
    assert (volume.start, volume.size, volume.filesystem.kind, volume.used) == (0, disk.size, kind, used)
    assert disk.gaps() == ()
    job = change(take_in([], [(disk,)], seed="x"), "create", "A", table="gpt")
    assert read(job).ledger.lost != ()


def test_the_medium_that_the_machine_was_started_from_is_left_out_and_another_stick_is_not() -> None:
    live = {"name": "sdb1", "type": "part", "size": GIB, "start": 64, "fstype": "iso9660", "mountpoints": ["/run/medium"]}
    other = {**live, "name": "sdc1", "mountpoints": [None]}
    listing = [
        node(),
        *(node(name=name, size=16 * GIB, rm=True, children=[part]) for name, part in (("sdb", live), ("sdc", other))),
    ]
    disks = captures.read_lsblk(json.dumps({"blockdevices": listing}))
    assert [one.device for one in disks] == ["/dev/vda", "/dev/sdc"]
    whole = node(name="sdd", size=16 * GIB, fstype="iso9660", mountpoint="/run/medium")
    assert len(captures.read_lsblk(json.dumps({"blockdevices": [node(), whole]}))) == 1


def test_memory_and_empty_readers_are_no_disks_and_what_is_mounted_is_something() -> None:
    part = {"name": "sdb1", "type": "part", "size": GIB, "start": 2048, "partn": 1, "mountpoint": "/srv", "fsused": 7}
    listing = [
        node(name="zram0", size=8 * GIB),
        node(name="mmcblk0boot1", size=4 << 20, ro=True),
        node(name="sdc", size=0),
        node(name="sdd", size="0"),
        node(name="sdb", size=2 * GIB, pttype="dos", children=[part]),
        node(),
    ]
    busy, empty = captures.read_lsblk(json.dumps({"blockdevices": listing}))
    assert (busy.volumes[0].filesystem.kind, busy.volumes[0].used) == ("unknown", 7)
    assert empty.volumes == ()


@pytest.mark.parametrize("locked", [False, True])
def test_what_a_group_holds_is_in_the_listing_however_many_layers_lie_between(*, locked: bool) -> None:
    def logical(name: str, size: int, kind: str | None, used: int | None = None) -> dict[str, object]:
        return {"name": name, "type": "lvm", "size": size, "fstype": kind, "uuid": f"uuid of {name}", "fsused": used}

    held = [
        logical("my--group-root", 50 * GIB, "ext4", 9 * GIB),
        logical("my--group-home--files", 100 * GIB, "xfs"),
        logical("my--group-raw", 4 * GIB, None),
    ]
    crypt = [{"name": "locked", "type": "crypt", "size": 199 * GIB, "fstype": "LVM2_member", "children": held}]
    part = {"name": "sda1", "type": "part", "size": 200 * GIB, "start": 2048, "partn": 1, "uuid": "own"}
    part |= {"fstype": "crypto_LUKS", "children": crypt} if locked else {"fstype": "LVM2_member", "children": held}
    disk = {"name": "sda", "type": "disk", "size": 256 * GIB, "pttype": "gpt", "children": [part]}
    (found,) = captures.read_lsblk(json.dumps({"blockdevices": [disk]}))
    system = found.volumes[0].filesystem
    assert system.kind == ("luks" if locked else "lvm")
    assert [(one.name, one.size_bytes, one.kind, one.used_bytes) for one in system.inside] == [
        ("root", 50 * GIB, "ext4", 9 * GIB),
        ("home-files", 100 * GIB, "xfs", None),
        ("raw", 4 * GIB, "", None),
    ]
    if not locked:
        assert system.label == "my-group"
        assert system.used_bytes == MIB + 154 * GIB


def test_a_container_that_is_unlocked_shows_the_one_file_system_in_it() -> None:
    opened = {
        "name": "sealed",
        "type": "crypt",
        "size": 99 * GIB,
        "fstype": "ext4",
        "label": "home",
        "uuid": "inner",
        "fsused": 7 * GIB,
    }
    part = {
        "name": "sda1",
        "type": "part",
        "size": 100 * GIB,
        "start": 2048,
        "fstype": "crypto_LUKS",
        "uuid": "own",
        "children": [opened],
    }
    disk = {"name": "sda", "type": "disk", "size": 256 * GIB, "pttype": "gpt", "children": [part]}
    (found,) = captures.read_lsblk(json.dumps({"blockdevices": [disk]}))
    (held,) = found.volumes[0].filesystem.inside
    assert (held.kind, held.label, held.uuid, held.used_bytes) == ("ext4", "home", "inner", 7 * GIB)


def test_layers_without_an_end_are_refused() -> None:
    node: dict[str, object] = {"name": "end", "type": "lvm", "size": GIB}
    for number in range(40):
        node = {"name": f"layer{number}", "type": "raid1", "size": GIB, "children": [node]}
    part = {"name": "sda1", "type": "part", "size": GIB, "start": 2048, "fstype": "LVM2_member", "children": [node]}
    disk = {"name": "sda", "type": "disk", "size": 2 * GIB, "pttype": "gpt", "children": [part]}
    with pytest.raises(CaptureError, match="deeper"):
        captures.read_lsblk(json.dumps({"blockdevices": [disk]}))


def running(*, live: bool) -> str:
    """A machine that was listed from its own system, or from a live medium; its root lies in a group, its swap apart."""

    def part(at: int, kind: str, where: str | None, **more: object) -> dict[str, object]:
        place = {"name": f"sda{at}", "type": "part", "partn": at, "size": 20 * GIB, "start": at * 20 * GIB // 512}
        return {**place, "fstype": kind, "uuid": f"uuid-{at}", "mountpoints": [None if live else where], **more}

    inner = {"name": "box-root", "type": "lvm", "size": 19 * GIB, "fstype": "ext4", "uuid": "uuid-root"}
    group = part(2, "LVM2_member", None, children=[{**inner, "mountpoints": [None if live else "/"]}])
    parts = [part(1, "vfat", "/boot/efi"), group, part(3, "swap", "[SWAP]"), part(4, "ext4", "/home")]
    loop = {"name": "loop0", "type": "loop", "size": GIB, "fstype": "squashfs", "mountpoints": ["/"]}
    return json.dumps({"blockdevices": [loop, {**node(name="sda"), "pttype": "gpt", "children": parts}]})


def test_the_root_that_is_mounted_is_a_system_with_its_mounts() -> None:
    (disk,) = captures.read_lsblk(running(live=False))
    held = {one.number: one.holds for one in disk.volumes}
    assert [number for number, one in held.items() if one] == [2]
    assert held[2].assumed
    assert held[2].mounts == (
        ("UUID=uuid-1", "/boot/efi"),
        ("UUID=uuid-root", "/"),
        ("UUID=uuid-3", "none"),
        ("UUID=uuid-4", "/home"),
    )
    job = take_in([], [(disk,)], seed="x", mode="uefi")
    assert [one.call for _, one in job.found.volumes() if one.holds] == ["K1"]


def test_what_a_live_medium_has_mounted_is_no_system() -> None:
    (disk,) = captures.read_lsblk(running(live=True))
    assert not any(one.holds for one in disk.volumes)


@pytest.mark.parametrize(
    ("root", "mounts"), [("UUID=UUID-root", (("UUID=UUID-root", "/"), ("/dev/x", "/srv"))), ("UUID=other", None)]
)
def test_the_mount_table_counts_where_it_is_that_of_the_root(root: str, mounts: object) -> None:
    disks = captures.read_lsblk(running(live=False))
    lines = f"# made by hand\n{root} / ext4 defaults 0 1\n/dev/x /srv xfs\n\n"
    (disk,) = mounted.with_papers(disks, lines, 'ID=x\nPRETTY_NAME="Meadow 4"\n')
    held = disk.volumes[1].holds
    assert held.title == "Meadow 4"
    assert held.mounts == (mounts or disks[0].volumes[1].holds.mounts)
    assert disk.volumes[0].holds is None
