"""The capture kit: its scripts only read, and the one file that each leaves is taken in whole, cut short or hostile."""

from __future__ import annotations

import json
import os
import re
import subprocess
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.bench.intake import take_in, with_facts
from inkshelf.cli import run
from inkshelf.core.checks import findings
from inkshelf.core.errors import CaptureError, InkshelfError
from inkshelf.core.fit.room import givers
from inkshelf.core.plan.job import Job, Source
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB, MIB
from inkshelf.core.value import replace
from inkshelf.exchange import kit
from inkshelf.exchange.anytext import gather
from inkshelf.store import jobfile
from inkshelf.ui.frame.window import Window

VARIABLES = "BootCurrent: 0000\nBootOrder: 0000\nBoot0000* NT loader\tHD(1,GPT,{guid},0x800,0x96000)/File(\\EFI\\x.efi)\n"


@pytest.fixture
def machine(tmp_path: Path, demo_files: tuple[Path, Path]) -> dict[str, str]:
    """An environment in which the listing commands print what the demo machine would."""
    folder = tmp_path / "commands"
    folder.mkdir()
    listing = json.loads(demo_files[1].read_text())
    table = subprocess.run(["sfdisk", "--json", demo_files[0]], capture_output=True, text=True, check=True).stdout
    device = listing["blockdevices"][0].get("path") or "/dev/nvme0n1"
    guid = json.loads(table)["partitiontable"]["partitions"][0]["uuid"]
    said = {
        "lsblk": f'case "$*" in *--nodeps*) echo "{device} disk"; echo "/dev/zram0 disk";; *) cat {demo_files[1]};; esac',
        "sfdisk": f"cat {tmp_path / 'table'}",
        "blkid": "exit 2",
        "efibootmgr": f"cat {tmp_path / 'variables'}",
        "findmnt": "echo '{}'",
    }
    nodes = re.sub(rf"{re.escape(str(demo_files[0]))}(?=\d)", f"{device}p", table).replace(str(demo_files[0]), device)
    (tmp_path / "table").write_text(nodes)
    (tmp_path / "variables").write_text(VARIABLES.replace("{guid}", guid.lower()))
    for name, body in said.items():
        (folder / name).write_text(f"#!/bin/sh\n{body}\n")
        (folder / name).chmod(0o755)
    efi = tmp_path / "efi" / "efivars"
    efi.mkdir(parents=True)
    (efi / "SecureBoot-8be4df61-93ca-11d2-aa0d-00e098032b8c").write_bytes(b"\x06\0\0\0\x01")
    power = tmp_path / "power" / "mains0"
    power.mkdir(parents=True)
    (power / "online").write_text("1\n")
    return {**os.environ, "PATH": f"{folder}:{os.environ['PATH']}", "EFI": str(efi.parent), "POWER": str(power.parent)}


def capture(machine: dict[str, str], folder: Path, *options: str) -> Path:
    kit.save_scripts(folder)
    out = folder / "capture.txt"
    ran = subprocess.run(
        ["sh", folder / "capture-linux.sh", *options, out], env=machine, capture_output=True, text=True, check=False
    )
    assert ran.returncode == 0, ran.stderr
    return out


def test_what_the_script_leaves_is_taken_in_whole(machine: dict[str, str], tmp_path: Path, found_job: Job) -> None:
    told = gather([capture(machine, tmp_path / "kit").read_text()])
    assert told.kinds == ("capture",)
    assert (told.facts.mode, told.facts.secure_boot, told.facts.mains) == ("uefi", "on", True)
    assert told.facts.ram_bytes % GIB == 0
    assert [one.split(":")[0] for one in told.missing] == ["blkid"]
    assert told.firmware.order == (0,)
    (disk,) = told.disks
    true = found_job.found.disks[0]
    assert [(one.start, one.size, one.type_id) for one in disk.volumes] == [
        (one.start, one.size, one.type_id) for one in true.volumes
    ]
    assert disk.serial == true.serial != ""


def test_serials_can_be_left_out(machine: dict[str, str], tmp_path: Path, found_job: Job) -> None:
    text = capture(machine, tmp_path / "kit", "--without-serials").read_text()
    assert found_job.found.disks[0].serial not in text
    assert gather([text]).disks[0].serial == ""


def test_the_script_writes_one_new_file_and_never_a_device(machine: dict[str, str], tmp_path: Path) -> None:
    out = capture(machine, tmp_path / "kit")
    before = out.read_bytes()
    for name in (out, "/dev/null", "/dev/sdz"):
        ran = subprocess.run(
            ["sh", out.parent / "capture-linux.sh", name],
            env=machine,
            capture_output=True,
            text=True,
            cwd=tmp_path,
            check=False,
        )
        assert ran.returncode == 2, name
    assert out.read_bytes() == before
    body = re.sub(r"^#.*$", "", kit.scripts()["capture-linux.sh"], flags=re.MULTILINE)
    called = set(re.findall(r"section \S+ (\w+)|section \"\S+ \S+\" (\w+)", body))
    assert {one for pair in called for one in pair if one} == {"lsblk", "sfdisk", "blkid", "efibootmgr", "findmnt", "cat"}
    assert "sfdisk --json" in body
    assert not re.search(r"\b(mount|umount|dd|mkfs|rm|mv|tee|curl|wget)\b ", body)


def test_the_commands_make_and_take_in(machine: dict[str, str], tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert run(["kit", "-o", str(tmp_path / "kit")]) == 0
    assert "Read them first" in capsys.readouterr().out
    out = capture(machine, tmp_path / "kit")
    assert run(["new", "-o", str(tmp_path / "job.json"), "--capture", str(out)]) == 0
    assert "not captured: blkid" in capsys.readouterr().out
    job = jobfile.load(tmp_path / "job.json")
    assert (job.found.firmware.mode, job.found.firmware.secure_boot, job.found.conditions.mains) == ("uefi", "on", True)
    assert job.sources[0].kind == "capture"
    assert run(["new", "-o", str(tmp_path / "x.json"), "--capture", str(out), "--secure-boot", "off"]) == 0
    assert "CONTRADICTION: secure boot is known as off, and captured as on" in capsys.readouterr().out
    (tmp_path / "variables").unlink()
    assert run(["new", "-o", str(tmp_path / "y.json"), "--lsblk", str(out)]) == 0, "whatever option it is named by"


# -- the NT family's own shell -------------------------------------------------------------------------------------------
def nt_capture(job: Job, **more: object) -> dict[str, object]:
    """What the script would leave on the demo machine; not run on a real shell."""
    disk = job.found.disks[0]
    parts = [
        {
            "disk": 0,
            "number": one.number,
            "start": one.start,
            "bytes": one.size,
            "type": f"{{{one.type_id.lower()}}}",
            "mbr_type": None,
            "guid": f"{{{one.guid.lower()}}}",
            "letter": "C" if one.call == "S1" else "",
            "active": False,
            "hidden": bool(one.attributes >> 62 & 1),
            "read_only": False,
            "no_letter": bool(one.attributes >> 63 & 1),
            "smallest": 243 * GIB if one.call == "S1" else None,
            "largest": one.size,
            "file_system": {"ntfs": "NTFS", "fat32": "FAT32"}.get(one.filesystem.kind if one.filesystem else "", ""),
            "label": one.filesystem.label if one.filesystem else "",
            "volume_bytes": one.size if one.filesystem else None,
            "free": one.size - one.used if one.used is not None else None,
            "system": one.call == "S1",
        }
        for one in disk.volumes
    ]
    return {
        "inkshelf-capture": 1,
        "family": "nt",
        "disks": [
            {
                "number": 0,
                "bytes": disk.size,
                "sector": 512,
                "physical_sector": 4096,
                "model": disk.model,
                "bus": "NVMe",
                "style": "GPT",
                "serial": f"{disk.serial}.",
                "guid": f"{{{disk.table.guid.lower()}}}",
                "signature": None,
            }
        ],
        "partitions": parts,
        "encryption": [{"mount": "C:", "status": "FullyEncrypted", "protection": "On", "lock": "Unlocked"}],
        "firmware": "UEFI",
        "secure_boot": True,
        "fast_startup": 1,
        "memory_bytes": 16 * GIB - 300 * MIB,
        "maker": "Wren Works Sparrow 15",
        "missing": {"battery": "no such class"},
        **more,
    }


def test_a_capture_of_the_nt_family_tells_what_its_own_box_offers(found_job: Job) -> None:
    told = gather(["\ufeff" + json.dumps(nt_capture(found_job))])
    assert (told.facts.mode, told.facts.secure_boot, told.facts.ram_bytes, told.facts.encrypted) == (
        "uefi",
        "on",
        16 * GIB,
        True,
    )
    job = take_in([], [told.disks], [Source("capture", "x")], mode="uefi", seed="nt")
    job, differ = with_facts(job, told.facts)
    assert differ == []
    true, seen = found_job.found.disks[0], job.found.disks[0]
    assert [(one.call, one.start, one.size, one.type_id, one.guid, one.attributes) for one in seen.volumes] == [
        (one.call, one.start, one.size, one.type_id, one.guid, one.attributes) for one in true.volumes
    ]
    assert (seen.serial, seen.model, seen.table.guid) == (true.serial, true.model, true.table.guid)
    system = job.found.find("S1")[1].filesystem
    assert (system.smallest_bytes, system.smallest_why, system.hibernated) == (243 * GIB, "as its own system offers", True)
    assert abs(system.used_bytes - true.volumes[2].used) <= 4096
    (giver,) = givers(seen)
    assert giver.most - giver.behind <= true.volumes[2].size - 243 * GIB
    assert any(one.key.startswith("fs.asleep") or "asleep" in one.why for one in findings(read(job)))


def test_a_list_of_one_that_the_shell_unrolled_is_read_all_the_same(found_job: Job) -> None:
    document = nt_capture(found_job)
    rolled = gather([json.dumps(document)])
    flat = {**document, "disks": document["disks"][0], "encryption": document["encryption"][0]}
    flat["missing"] = {"supported size of disk 0 partition 1": "not supported", "battery": "none"}
    told = gather([json.dumps(flat)])
    assert (told.disks, told.facts) == (rolled.disks, rolled.facts)
    assert told.missing == ("battery: none",)


def test_a_locked_volume_and_an_mbr_are_read(found_job: Job) -> None:
    document = nt_capture(found_job)
    document["disks"][0] |= {"style": "MBR", "signature": 0x00C0FFEE, "guid": ""}
    for part in document["partitions"]:
        part |= {"type": "", "mbr_type": 7, "guid": "", "active": part["letter"] == "C"}
    document["encryption"][0]["lock"] = "Locked"
    (disk,) = gather([json.dumps(document)]).disks
    assert (disk.table.kind, disk.table.signature) == ("mbr", "00c0ffee")
    locked = next(one for one in disk.volumes if one.active)
    assert (locked.filesystem.kind, locked.type_id) == ("nt-encrypted", "0x07")


def test_the_script_of_the_nt_family_keeps_no_key_and_is_rendered_whole() -> None:
    body = kit.scripts()["capture-nt.ps1"]
    assert "{{" not in body
    assert "KeyProtector" not in body
    assert not re.search(r"^\s*(Set|New|Remove|Resize|Format|Clear|Repair)-", body, flags=re.MULTILINE)


# -- what comes from others --------------------------------------------------------------------------------------------
WHOLE = "inkshelf-capture 1\n== facts\nfirmware=uefi\n== lsblk\n{}\n== end\n"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("inkshelf-capture 2\n== end\n", "of version 2"),
        ("inkshelf-capture\n== end\n", "of version"),
        (WHOLE.replace("== end\n", ""), "its end is missing"),
        (WHOLE.replace("== lsblk", "== facts"), "stands twice"),
        ('{"inkshelf-capture": 9}', "of version 9"),
        ('{"inkshelf-capture": 1, "disks": []}', "No disk is in this capture"),
        ('{"inkshelf-capture": 1, "disks": [{"number": 0, "bytes": "many"}]}', "not a number"),
        ('{"inkshelf-capture": 1, "disks": [', "ends too early"),
    ],
)
def test_what_is_cut_short_or_of_another_version_is_said(text: str, says: str) -> None:
    with pytest.raises(CaptureError, match=says):
        gather([text])


ODD = st.recursive(
    st.none() | st.booleans() | st.integers(-5, 1 << 70) | st.text(max_size=6),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3),
    max_leaves=6,
)


@given(st.data())
def test_any_change_to_a_capture_gives_a_machine_or_one_clear_line(found_job: Job, data: st.DataObject) -> None:
    document = nt_capture(found_job)
    for _ in range(data.draw(st.integers(1, 3))):
        place: object = document
        while isinstance(place, dict | list) and place:
            key = data.draw(st.sampled_from(sorted(place) if isinstance(place, dict) else range(len(place))))
            if not isinstance(place[key], dict | list) or data.draw(st.booleans()):
                place[key] = data.draw(ODD)
                break
            place = place[key]
    try:
        told = gather([json.dumps(document)])
        job = take_in([], [told.disks], [Source("capture", "x")], mode="uefi", seed="nt")
        assert read(with_facts(job, told.facts)[0]) is not None
    except InkshelfError as error:
        assert error.what


@given(st.text(max_size=200))
def test_any_text_behind_the_head_gives_a_kit_or_one_clear_line(text: str) -> None:
    try:
        gather([f"inkshelf-capture 1\n== facts\n{text}\n== end\n"])
    except InkshelfError as error:
        assert error.what


def test_the_window_takes_a_capture_in(window: Window, machine: dict[str, str], tmp_path: Path) -> None:
    out = capture(machine, tmp_path / "kit")
    unknown = replace(window.desk.job, found=replace(window.desk.job.found, ram_bytes=None))
    window.desk.change(unknown, "x")
    window.files.take_dropped(out)
    assert window.desk.job.found.ram_bytes is not None
    assert "not captured: blkid" in window.desk.notice.what
    window.files.save_kit(tmp_path / "other")
    assert sorted(one.name for one in (tmp_path / "other").iterdir()) == ["capture-linux.sh", "capture-nt.ps1"]


@pytest.mark.parametrize(
    ("media", "turns"),
    [("HDD", True), ("3", True), ("SSD", False), ("4", False), ("Unspecified", None), ("", None), (None, None)],
)
def test_whether_platters_turn_is_told_by_the_kit_of_the_nt_family(
    found_job: Job, media: str | None, turns: bool | None
) -> None:
    document = nt_capture(found_job, missing={"platters of disk 0": "no such command"})
    document["disks"][0] |= {"media": media} if media is not None else {}  # type: ignore[index]
    told = gather([json.dumps(document)])
    assert told.disks[0].rotational is turns
    assert told.missing == ()
    assert any(".MediaType" in text and 'Look "platters of disk $number"' in text for text in kit.scripts().values())
