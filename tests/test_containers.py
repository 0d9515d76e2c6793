"""Every kind the bench makes, labels, renews, grows and shrinks; LVM written by us and read by an independent parser."""

from __future__ import annotations

import itertools
import os
from pathlib import Path

import pytest
from dissect.volume.lvm import LVM2
from hypothesis import given
from hypothesis import strategies as st

from disks import make_gpt_disk
from inkshelf.bench import cut
from inkshelf.bench.inker import ink, resume
from inkshelf.bench.intake import take_in
from inkshelf.core.disk import lvm, lvm_extents, lvm_write
from inkshelf.core.disk.filesystems import fresh
from inkshelf.core.disk.kinds import KINDS, makeable
from inkshelf.core.disk.lvm_text import parse, render
from inkshelf.core.disk.probe import probe
from inkshelf.core.disk.source import Memory
from inkshelf.core.errors import FormatError, StepError
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GIB, MIB
from inkshelf.store import jobfile
from test_cuts import ink_and_die


def blank_job(folder: Path, size: int, sector: int = 512) -> Job:
    path = folder / "disk.img"
    make_gpt_disk(path, size, sector, [])
    return take_in([path], seed="containers")


@pytest.mark.parametrize("kind", sorted(makeable()))
@pytest.mark.parametrize("mib", [390, 3001])
def test_what_is_made_is_as_predicted_and_bears_its_identity(tmp_path: Path, kind: str, mib: int) -> None:
    job = change(change(blank_job(tmp_path, 8 * GIB), "create", "A", size=f"{mib}MiB"), "format", "D1", fs=kind, label="MARK")
    report = ink(job, tmp_path / "a bench with blanks")
    assert [one for one in report.checks if not one.ok] == []
    made = report.machine.find("D1")[1].filesystem
    assert (made.kind, made.label, made.uuid) == (kind, "MARK", job.steps[-1].uuid)


@pytest.mark.parametrize("kind", [one for one in sorted(makeable()) if one != "lvm"])
def test_a_volume_gets_another_label_and_identity(tmp_path: Path, kind: str) -> None:
    job = blank_job(tmp_path, 2 * GIB)
    for verb, call, words in (
        ("create", "A", {"size": "600MiB"}),
        ("format", "D1", {"fs": kind}),
        ("label", "D1", {"label": "OTHER"}),
        ("renew", "D1", {}),
        ("move", "D1", {"at": "900MiB"}),
    ):
        if verb == "renew" and not KINDS[kind].renewable:
            with pytest.raises(StepError, match="identity"):
                change(job, verb, call, **words)
            job = change(job, "flag", call, flag="hidden")
        else:
            job = change(job, verb, call, **words)
    report = ink(job, tmp_path / "a bench with blanks")
    assert [one for one in report.checks if not one.ok] == []
    volume = report.machine.find("D1")[1]
    assert volume.filesystem.label == "OTHER"
    if KINDS[kind].renewable:
        assert volume.filesystem.uuid == job.steps[3].uuid
        assert volume.guid == job.steps[3].guid != job.steps[0].guid


@pytest.mark.parametrize("kind", ["btrfs", "xfs", "luks", "lvm"])
def test_a_container_grows_on_the_outside(tmp_path: Path, kind: str) -> None:
    job = change(change(blank_job(tmp_path, 2 * GIB), "create", "A", size="600MiB"), "format", "D1", fs=kind)
    report = ink(change(job, "resize", "D1", size="900MiB"), tmp_path / "a bench with blanks")
    assert [one for one in report.checks if not one.ok] == []
    with pytest.raises(StepError, match=r"cannot be|holds more"):
        change(job, "resize", "D1", size="2MiB")


def held(data: bytes) -> lvm.Pv:
    pv = lvm.open_pv(Memory(data))
    assert pv is not None
    return pv


@given(
    st.lists(st.tuples(st.sampled_from(["root", "swap", "home", "a-b.c"]), st.integers(1, 60 * MIB)), max_size=6), st.booleans()
)
def test_what_we_write_of_a_group_an_independent_parser_reads(tmp_path_factory, wanted, grows) -> None:
    size = 160 * MIB
    disk, names = bytearray(MIB), {}  # what comes behind the metadata is holes
    put(disk, lvm_write.fresh_pv(size, lvm_extents.identifier("pv"), "quill"))
    for name, count in wanted:
        pv = held(bytes(disk))
        try:
            put(disk, lvm_write.with_logical(pv, name, count) if name not in names else pv)
            names.setdefault(name, -(-count // pv.extent) * pv.extent)
        except FormatError:
            assert lvm_write.free_extent(pv, -(-count // pv.extent)) is None
    if grows:
        size += 40 * MIB
        put(disk, lvm_write.with_size(held(bytes(disk)), size))
    assert held(bytes(disk)).extents == (size - MIB) // lvm_extents.EXTENT
    if not names:
        return  # the other parser takes no empty group
    path = tmp_path_factory.mktemp("lvm") / "pv"
    path.write_bytes(disk)
    os.truncate(path, size)
    with path.open("rb") as opened:
        group = LVM2([opened]).volume_group
    assert (group.name, {one.name: sizes(one) for one in group.logical_volumes.values()}) == ("quill", names)
    segments = held(bytes(disk)).segments()
    assert all(one.first + one.count <= two.first for one, two in itertools.pairwise(segments))


def sizes(volume) -> int:
    return sum(one.extent_count for one in volume.segments) * lvm_extents.EXTENT


def put(disk: bytearray, pv: lvm.Pv) -> None:
    for offset, data in lvm_write.encode(pv):
        disk[offset : offset + len(data)] = data


def test_a_group_is_made_filled_shrunk_and_moved(tmp_path: Path) -> None:
    job = blank_job(tmp_path, 2 * GIB)
    for verb, call, words in (
        ("create", "A", {"size": "1GiB", "type": "linux_lvm"}),
        ("format", "K1", {"fs": "lvm", "label": "quill"}),
        ("create", "K1", {"label": "root", "size": "300MiB"}),
        ("create", "K1", {"label": "swap", "size": "50MiB"}),
        ("resize", "K1", {"size": "500MiB"}),
        ("move", "K1", {"at": "700MiB"}),
    ):
        job = change(job, verb, call, **words)
    with pytest.raises(StepError, match="do not fit"):
        change(job, "create", "K1", label="home", size="200MiB")
    with pytest.raises(StepError, match="cannot be the name"):
        change(job, "create", "K1", label="root", size="8MiB")
    with pytest.raises(StepError, match="cannot be shrunk that far"):
        change(job, "resize", "K1", size="100MiB")
    cut.arm(None)
    report = ink(job, tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    group = report.machine.find("K1")[1].filesystem
    assert [(one.name, one.size_bytes) for one in group.inside] == [("root", 300 * MIB), ("swap", 52 * MIB)]
    assert group.smallest_bytes == MIB + 352 * MIB
    assert "of swap" in group.smallest_why
    writes, path = cut.writes(), tmp_path / "job.json"
    jobfile.save(job, path)
    for after in range(writes - 24, writes, 5):
        bench = tmp_path / f"cut-{after}"
        assert ink_and_die(path, bench, after) == cut.STATUS
        assert resume(bench).verified


def test_what_is_inside_a_logical_volume_is_told(tmp_path: Path) -> None:
    size = 96 * MIB
    disk = bytearray(size)
    put(disk, lvm_write.with_logical(lvm_write.fresh_pv(size, lvm_extents.identifier("pv"), "quill"), "swap", 40 * MIB))
    at = held(bytes(disk)).first_extent
    disk[at + 1024 : at + 1032] = (1).to_bytes(4, "little") + (9).to_bytes(4, "little")
    disk[at + 4086 : at + 4096] = b"SWAPSPACE2"
    (inside,) = probe(Memory(bytes(disk))).filesystem.inside
    assert (inside.name, inside.kind) == ("swap", "swap")


def test_groups_that_are_not_ours_alone_are_left_alone(tmp_path: Path) -> None:
    pv = lvm_write.fresh_pv(64 * MIB, lvm_extents.identifier("pv"), "quill")
    two = {**pv.section["physical_volumes"], "pv1": {"id": lvm_extents.identifier("other")}}
    assert "other physical volumes" in lvm_write.fault(lvm_write._changed(pv, physical_volumes=two))
    assert lvm_write.fault(pv) == ""


text_keys = st.from_regex(r"[a-z][a-z0-9_.]{0,12}", fullmatch=True)
text_values = st.one_of(
    st.integers(0, 1 << 60), st.text(max_size=20), st.lists(st.integers(0, 99) | st.text(max_size=5), max_size=4)
)


@given(
    st.recursive(
        st.dictionaries(text_keys, text_values, max_size=4), lambda inner: st.dictionaries(text_keys, inner, max_size=3)
    )
)
def test_metadata_text_goes_round(document) -> None:
    assert parse(render(document)) == document


@given(st.integers(0, 3 << 12), st.binary(min_size=1, max_size=24))
def test_a_damaged_group_never_hangs(place: int, damage: bytes) -> None:
    size = 64 * MIB
    disk = bytearray(16 << 10)
    for offset, data in lvm_write.encode(
        lvm_write.with_logical(lvm_write.fresh_pv(size, lvm_extents.identifier("x"), "g"), "r", MIB)
    ):
        disk[offset : offset + len(data)] = data
    disk[place : place + len(damage)] = damage
    probe(Memory(bytes(disk)))
    text = bytes(disk[4608:5600])
    try:
        parse(text.decode("utf-8", "replace"))
    except FormatError as error:
        assert error.what


@given(st.binary(max_size=300))
def test_metadata_text_of_any_bytes_is_a_document_or_an_error(raw: bytes) -> None:
    try:
        parse(raw.decode("utf-8", "replace"))
    except FormatError as error:
        assert error.what


def test_kinds_refuse_what_is_too_small_for_them() -> None:
    for kind in makeable():
        with pytest.raises(StepError, match="needs at least"):
            fresh(kind, 0, 30 << 10, "", "1234-ABCD", 512)
    with pytest.raises(StepError, match="512-byte sectors"):
        fresh("exfat", 0, GIB, "", "1234-ABCD", 4096)
    with pytest.raises(StepError, match="Only a Btrfs"):
        pass_through_subvolumes("ext4")


def pass_through_subvolumes(kind: str) -> None:
    from inkshelf.core.machine.state import Disk, Machine, Volume
    from inkshelf.core.steps.kinds import Format

    machine = Machine(disks=(Disk("A", GIB, volumes=(Volume("D1", 1, MIB, GIB // 2, "0x83"),)),))
    Format("D1", kind, "", "u", ("@",)).apply(machine)


def test_subvolumes_are_planned_and_said_to_be_made_later(tmp_path: Path) -> None:
    job = change(blank_job(tmp_path, 2 * GIB), "create", "A", size="600MiB")
    job = change(job, "format", "D1", fs="btrfs", label="pool", subvolumes="@,@home")
    row = sheet(read(job)).rows[-1]
    assert 'btrfs subvolume create "$MOUNTED"/@home' in row.words.commands
    report = ink(job, tmp_path / "bench")
    assert report.verified
    assert any("not on the bench" in one.detail for one in report.checks if one.what == "D1: subvolumes")


FOREIGN = """
# Generated by something else
contents = "Text Format Volume Group"
version = 1
press {
    id = "AAAAAA-AAAA-AAAA-AAAA-AAAA-AAAA-AAAAAA"
    seqno = 12
    format = "lvm2" # informational
    status = ["RESIZEABLE", "READ", "WRITE"]
    flags = []
    extent_size = 8192    # 4 Megabytes
    max_lv = 0
    physical_volumes {
        pv0 { id = "OWN" device = "/dev/x" status = ["ALLOCATABLE"] dev_size = 204800 pe_start = 2048 pe_count = 24 }
        pv1 { id = "OTHER" device = "/dev/y" status = ["ALLOCATABLE"] dev_size = 204800 pe_start = 2048 pe_count = 24 }
    }
    logical_volumes {
        whole { id = "L1" status = ["READ", "WRITE", "VISIBLE"] segment_count = 2
            segment1 { start_extent = 0 extent_count = 3 type = "striped" stripe_count = 1 stripes = ["pv0", 1] }
            segment2 { start_extent = 3 extent_count = 2 type = "striped" stripe_count = 1 stripes = ["pv0", 10] } }
        striped { id = "L2" status = ["READ", "WRITE", "VISIBLE"] segment_count = 1
            segment1 { start_extent = 0 extent_count = 8 type = "striped" stripe_count = 2 stripe_size = 128
                stripes = ["pv0", 14, "pv1", 0] } }
        pool_tmeta { id = "L3" status = ["READ", "WRITE"] segment_count = 1
            segment1 { start_extent = 0 extent_count = 1 type = "striped" stripe_count = 1 stripes = ["pv0", 20] } }
        pool { id = "L4" status = ["READ", "WRITE", "VISIBLE"] segment_count = 1
            segment1 { start_extent = 0 extent_count = 2 type = "thin-pool" metadata = "pool_tmeta" chunk_size = 128 } }
    }
}
"""


def test_a_group_that_others_made_is_reckoned_extent_by_extent() -> None:
    own, other = lvm_extents.identifier("own"), lvm_extents.identifier("other")
    text = parse(FOREIGN.replace("OWN", own).replace("OTHER", other))
    pv = lvm.Pv(own, 100 * MIB, 4096, MIB - 4096, MIB, text)
    assert [(one.name, one.logical, one.first, one.count) for one in pv.segments()] == [
        ("whole", 0, 1, 3),
        ("whole", 3, 10, 2),
        ("striped", 0, 14, 4),
        ("pool_tmeta", 0, 20, 1),
    ]
    facts = lvm.facts(pv, ())
    assert (facts.label, facts.used_bytes, facts.smallest_bytes) == ("press", MIB + 10 * 4 * MIB, MIB + 21 * 4 * MIB)
    assert "of pool_tmeta; 56 MiB are free" in facts.smallest_why
    assert lvm_write.free_extent(pv, 6) == 4
    assert lvm_write.free_extent(pv, 7) is None
    assert "other physical volumes" in lvm_write.fault(pv)
    source = Memory(bytes(range(256)) * (100 * 4096))
    seen = {name: (data, whole) for name, _, data, whole in lvm.logical_volumes(pv, source)}
    assert set(seen) == {"whole", "striped", "pool"}
    assert seen["whole"][1]
    assert not seen["striped"][1]
    data = seen["whole"][0]
    assert data.size == 20 * MIB
    assert data.read(12 * MIB - 3, 6) == source.read(MIB + 16 * MIB - 3, 3) + source.read(MIB + 40 * MIB, 3)
