"""Captured text of an MBR says the same as an image of it: extended and logical volumes, the active one, identities that are made up."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QFileDialog

from inkshelf.bench.image import ImageFile
from inkshelf.bench.intake import take_in, with_listings
from inkshelf.core.aims.beside import Beside
from inkshelf.core.aims.owning import OwnDisk
from inkshelf.core.aims.removing import Remove
from inkshelf.core.checks import findings
from inkshelf.core.errors import CaptureError
from inkshelf.core.machine.read import read_disk
from inkshelf.core.machine.state import Disk
from inkshelf.core.plan.job import and_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.kinds import Install, Prepare, Regenerate
from inkshelf.exchange.anytext import gather
from inkshelf.ui.frame.window import Window
from strategies import drawn

SIGNATURE = "9a0b1c2d"


def shape(disk: Disk) -> list[tuple[object, ...]]:
    extended = disk.table.extended
    around = [(extended.number, extended.start, extended.size, extended.type_id)] if extended else []
    own = [(one.number, one.start, one.size, one.type_id, one.logical, one.active, one.attributes) for one in disk.volumes]
    return [disk.table.kind, disk.table.signature, *around, *own]  # type: ignore[list-item]


def listing(table: dict[str, Any], size: int) -> dict[str, Any]:
    """What ``lsblk`` prints of the disk: of an extended partition a kernel shows two sectors."""
    children = []
    for one in table["partitions"]:
        number = int(one["node"].removeprefix(table["device"]))
        children.append(
            {
                "name": f"sdb{number}",
                "path": f"/dev/sdb{number}",
                "type": "part",
                "partn": number,
                "start": one["start"],
                "size": 1024 if one["type"] in {"5", "f", "85"} else one["size"] * 512,
                "parttype": f"0x{one['type']}",
                "partuuid": f"{SIGNATURE}-{number:02x}",
                "partflags": "0x80" if one.get("bootable") else None,
                "pttype": "dos",
                "ptuuid": SIGNATURE,
            }
        )
    disk = {"name": "sdb", "path": "/dev/sdb", "type": "disk", "size": size, "log-sec": 512, "phy-sec": 4096}
    return {"blockdevices": [disk | {"serial": "P-1", "pttype": "dos", "ptuuid": SIGNATURE, "children": children}]}


@st.composite
def tables(draw: st.DrawFn) -> str:
    """A script for the base utility: up to three primary volumes, and perhaps an extended partition with up to eight in it."""
    lines = ["label: dos", f"label-id: 0x{SIGNATURE}"]
    at, active = 1, draw(st.integers(0, 3))
    for number in range(1, draw(st.integers(0, 3)) + 1):
        at += draw(st.integers(0, 9))
        size = draw(st.integers(1, 40))
        kind = draw(st.sampled_from(["7", "83", "ef", "c"]))
        lines.append(f"start={at * 2048}, size={size * 2048}, type={kind}" + (", bootable" if number == active else ""))
        at += size
    inside = draw(st.integers(0, 8))
    if inside or draw(st.booleans()):
        at += draw(st.integers(0, 9))
        sizes = [draw(st.integers(1, 20)) for _ in range(inside)]
        room = sum(sizes) + inside + draw(st.integers(1, 30))
        lines.append(f"start={at * 2048}, size={room * 2048}, type={draw(st.sampled_from(['5', 'f', '85']))}")
        for size in sizes:
            lines.append(f"start={(at + 1) * 2048}, size={size * 2048}, type=83")
            at += size + 1
    return "\n".join(lines) + "\n"


def made(folder: Path, script: str) -> tuple[Path, dict[str, Any]]:
    path = folder / "old.img"
    path.unlink(missing_ok=True)
    with path.open("wb") as out:
        out.truncate(600 * MIB)
    subprocess.run(["sfdisk", "--quiet", path], input=script, text=True, check=True, capture_output=True)
    said = subprocess.run(["sfdisk", "--json", path], check=True, capture_output=True, text=True).stdout
    table = json.loads(said)["partitiontable"]
    table.setdefault("partitions", [])
    return path, table


@given(script=tables())
@drawn(25)
def test_text_says_what_an_image_says(tmp_path_factory: pytest.TempPathFactory, script: str) -> None:
    path, table = made(tmp_path_factory.mktemp("mbr"), script)
    with ImageFile(path) as source:
        truth = shape(read_disk(source))
    lsblk, sfdisk = json.dumps(listing(table, 600 * MIB)), json.dumps({"partitiontable": table | {"device": "/dev/sdb"}})
    (both,) = gather([lsblk, sfdisk]).disks
    assert shape(both) == truth
    assert (both.size, both.serial, {one.guid for one in both.volumes} - {""}) == (600 * MIB, "P-1", set())
    boundless = truth_has_extended(truth)
    if not boundless:
        assert shape(gather([lsblk]).disks[0]) == truth
        return
    with pytest.raises(CaptureError, match="How far the extended partition of /dev/sdb reaches") as raised:
        take_in([], [gather([lsblk]).disks], seed="s")
    assert "sfdisk --json /dev/sdb" in raised.value.remedy
    for first in (take_in([path], seed="s"), take_in([], [(both,)], seed="s")):
        again = with_listings(first, gather([lsblk]).disks, ()).found.disks[0]
        assert shape(again) == truth, "what was known of it stays"


def truth_has_extended(truth: list[tuple[object, ...]]) -> bool:
    return any(isinstance(one, tuple) and len(one) == 4 for one in truth)


@given(script=tables(), lacks=st.sets(st.sampled_from(["start", "pttype", "ptuuid", "partn"])))
@drawn(25)
def test_what_an_old_version_leaves_out_is_taken_from_the_table_or_asked_for(
    tmp_path_factory: pytest.TempPathFactory, script: str, lacks: set[str]
) -> None:
    path, table = made(tmp_path_factory.mktemp("mbr"), script)
    with ImageFile(path) as source:
        truth = shape(read_disk(source))
    document = listing(table, 600 * MIB)
    (disk,) = document["blockdevices"]
    for node in (disk, *disk["children"]):
        for one in lacks:
            node.pop(one, None)
    lsblk, sfdisk = json.dumps(document), json.dumps({"partitiontable": table | {"device": "/dev/sdb"}})
    (both,) = take_in([], [gather([lsblk, sfdisk]).disks], seed="s").found.disks
    assert shape(both) == truth
    if lacks & {"start"} and disk["children"]:
        with pytest.raises(CaptureError, match=r"sdb .*is not in this listing"):
            take_in([], [gather([lsblk]).disks], seed="s")
    first = take_in([], [(both,)], seed="s")
    if disk["children"] or not lacks & {"pttype", "ptuuid"}:
        again = with_listings(first, gather([lsblk]).disks, ()).found.disks
        assert [shape(one) for one in again] == [truth]


def test_what_blkid_saw_in_a_logical_volume_is_found_by_the_name_that_is_made_up(tmp_path: Path) -> None:
    script = f"label: dos\nlabel-id: 0x{SIGNATURE}\nstart=2048, size=40960, type=f\n"
    script += "".join(f"start={2048 + 2048 * (2 * one + 1)}, size=2048, type=83\n" for one in range(7))
    _, table = made(tmp_path, script)
    plain = json.dumps({"partitiontable": table | {"device": "/dev/sdb"}})
    blkid = f"DEVNAME=/dev/sdb10\nUUID=771c2c61-d4d4-4dba-b9a4-7d8c3cb72e0e\nTYPE=ext4\nPARTUUID={SIGNATURE}-0a\n"
    (disk,) = gather([plain, blkid]).disks
    held = {one.number: one.filesystem.kind for one in disk.volumes if one.filesystem}
    assert held.pop(10) == "ext4"
    assert set(held.values()) <= {"unknown"}


def test_numbers_that_count_logical_volumes_on_from_the_primary_ones_are_put_right() -> None:
    def part(number: int, start: int, size: int, kind: int, **more: object) -> dict[str, object]:
        return {"disk": 0, "number": number, "start": start * MIB, "bytes": size * MIB, "mbr_type": kind, **more}

    parts = [
        part(1, 1, 99, 7, active=True, file_system="NTFS"),
        part(0, 100, 400, 15),
        part(2, 101, 99, 7),
        part(3, 201, 99, 7),
    ]
    disk = {"number": 0, "bytes": 600 * MIB, "sector": 512, "style": "MBR", "signature": 0x9A0B1C2D}
    capture = {"inkshelf-capture": 1, "family": "nt", "firmware": "legacy", "disks": [disk], "partitions": parts}
    (found,) = gather([json.dumps(capture)]).disks
    assert [(one.number, one.logical, one.active) for one in found.volumes] == [
        (1, False, True),
        (5, True, False),
        (6, True, False),
    ]
    assert found.table.extended is not None
    assert (found.table.extended.number, found.table.extended.size) == (2, 400 * MIB)


def old_machine(*sizes: int, active: int = 1, removable: bool = False) -> str:
    """NTFS volumes of so many GiB on an MBR, one of them active."""
    children, at = [], 2048
    for number, size in enumerate(sizes, 1):
        child = {"name": f"sdb{number}", "type": "part", "partn": number, "start": at, "size": size * GIB, "parttype": "0x7"}
        child |= {"fstype": "ntfs", "partuuid": f"{SIGNATURE}-{number:02x}", "partflags": "0x80" if number == active else None}
        children.append(child)
        at += size * GIB // 512
    disk = {"name": "sdb", "type": "disk", "size": 900 * GIB, "log-sec": 512, "pttype": "dos", "ptuuid": SIGNATURE}
    return json.dumps({"blockdevices": [disk | {"rm": removable, "children": children}]})


@pytest.mark.parametrize(
    ("sizes", "active", "removable", "holds"),
    [
        ((1, 200, 300), 1, False, [2]),  # its files to start from lie on a volume of their own
        ((100, 200), 2, False, [2]),
        ((1, 31), 1, False, []),  # too small for one
        ((1, 200), 0, False, []),  # nothing starts from it
        ((200,), 1, True, []),  # a stick
    ],
)
def test_a_system_that_starts_the_legacy_way_is_assumed_and_asked_about(
    sizes: tuple[int, ...], active: int, removable: bool, holds: list[int]
) -> None:
    (disk,) = gather([old_machine(*sizes, active=active, removable=removable)]).disks
    assert [one.number for one in disk.volumes if one.holds and one.holds.assumed] == holds
    document = json.loads(old_machine(*sizes, active=active, removable=removable))
    root = {
        "name": "sdb4",
        "type": "part",
        "partn": 4,
        "start": 1_700_000_000,
        "size": GIB,
        "fstype": "ext4",
        "mountpoint": "/",
    }
    document["blockdevices"][0]["children"].append(root)
    (beside,) = gather([json.dumps(document)]).disks
    assert [one.number for one in beside.volumes if one.holds] == [*holds, 4], "what runs beside it changes nothing"
    job = take_in([], [(disk,)], mode="legacy", seed="old")
    assert ("people.backup" in [one.key for one in findings(read(job))]) == bool(holds)


def old_texts(folder: Path) -> list[Path]:
    script = f"label: dos\nlabel-id: 0x{SIGNATURE}\nstart=2048, size=40960, type=f\nstart=4096, size=2048, type=83\n"
    _, table = made(folder, script)
    texts = {
        "lsblk.json": json.dumps(listing(table, 600 * MIB)),
        "table.json": json.dumps({"partitiontable": table | {"device": "/dev/sdb"}}),
        "entries.txt": "BootOrder: 0001\nBoot0001* old\tHD(1,MBR,0x9a0b1c2d,0x800,0x800)/File(\\EFI\\old.efi)\n",
    }
    for name, text in texts.items():
        (folder / name).write_text(text)
    return [folder / name for name in texts]


def test_texts_of_one_machine_are_taken_in_together(window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    texts = old_texts(tmp_path)
    window.run("job.new")
    before = window.desk.job
    window.files.take_dropped(texts[0])
    assert window.desk.job == before
    assert window.desk.notice is not None
    assert "sfdisk --json /dev/sdb" in window.desk.notice.remedy
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: ([str(one) for one in texts], ""))
    window.run("take.capture")
    chosen = window.desk.job.found
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(one)) for one in texts])
    window.run("job.new")
    window.dropEvent(
        QDropEvent(QPointF(9, 9), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    )
    assert window.desk.job.found == chosen
    (disk,) = chosen.disks
    assert disk.table.extended is not None
    assert [(one.title, one.disk) for one in chosen.firmware.entries] == [("old", "")], "no partition 1 is there"
    assert [one.kind for one in window.desk.job.sources] == ["lsblk", "sfdisk", "efibootmgr"]


def test_of_a_gpt_too_a_listing_without_places_asks_for_them(demo_files: tuple[Path, Path]) -> None:
    document = json.loads(demo_files[1].read_text())
    for node in document["blockdevices"][0]["children"]:
        node.pop("start")
    with pytest.raises(CaptureError, match=r"Where the partitions of .* begin is not in this listing") as raised:
        take_in([], [gather([json.dumps(document)]).disks], seed="s")
    assert "sfdisk --json /dev/" in raised.value.remedy


def test_no_menu_is_named_where_none_is_left() -> None:
    document = json.loads(old_machine(1, 300))
    root = {
        "name": "sdb3",
        "type": "part",
        "partn": 3,
        "start": 1_000_000_000,
        "size": 50 * GIB,
        "fstype": "ext4",
        "mountpoint": "/",
    }
    document["blockdevices"][0]["children"].append(root)
    job = take_in([], [gather([json.dumps(document)]).disks], mode="legacy", seed="old")
    titles = [row.words.title for row in sheet(read(and_aim(job, Remove(system="S2", room="keep")))).rows]
    assert [one for one in titles if one.startswith("Start NT family (S1)")] == [
        "Start NT family (S1) before anything is taken away",
        "Start NT family (S1)",
    ]


@pytest.mark.parametrize("nt", [True, False])
def test_the_legacy_way_a_new_menu_is_made_to_list_the_nt_family(*, nt: bool) -> None:
    """A generator of menus does not look for others by itself, and the code that started the NT family is covered."""
    (disk,) = gather([old_machine(1, 300, active=1 if nt else 0)]).disks
    aim = Beside(disk="A", size_bytes=40 * GIB) if nt else OwnDisk(disk="A")
    job = and_aim(take_in([], [(disk,)], mode="legacy", seed="old"), aim)
    install = next(one for one in job.steps if isinstance(one, Install))
    behind = job.steps[job.steps.index(install) + 1 :]
    finder = [one for one in behind if isinstance(one, Prepare | Regenerate) and one.call == install.call]
    assert [one.kind for one in finder] == (["prepare", "regenerate"] if nt else [])
