"""NT boot data as it lies on a volume: read by our own reader and by another's, what it starts in which order, through UEFI and the legacy way."""

from __future__ import annotations

import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import machines
from disks import answered, make_volume
from inkshelf.bench.filling import ntfs as filling
from inkshelf.bench.image import ImageFile
from inkshelf.bench.inker import ink
from inkshelf.bench.intake import take_in
from inkshelf.bench.recipes import inked, wanting
from inkshelf.bench.sparse import copy_data
from inkshelf.bench.stand_ins import boot_data
from inkshelf.core.boot.menus import GONE_NT, UNREAD_NT
from inkshelf.core.boot.mishaps import STANDING
from inkshelf.core.boot.own_files import less_named, more_named
from inkshelf.core.boot.rehearse import BY_ITSELF, outcome
from inkshelf.core.disk import hive, nt_boot_data, nt_system
from inkshelf.core.disk.contents import BootFile, FileSystem, SystemRoot
from inkshelf.core.disk.hive import HiveData, HiveKey
from inkshelf.core.disk.nt_boot_data import BootData, NtSystem, boot_data_file, on_mbr
from inkshelf.core.disk.ntfs import folder_names, open_ntfs, root_names
from inkshelf.core.errors import FormatError
from inkshelf.core.machine.joining import join_images
from inkshelf.core.machine.roles import is_esp
from inkshelf.core.machine.state import Disk, Firmware, Machine, Table, Volume
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import MIB
from inkshelf.core.steps.kinds import ForgetInBootData, PutLoader
from inkshelf.core.value import replace
from inkshelf.data import exact

ONE, TWO = "11111111-2222-4333-8444-555555555555", "AAAAAAAA-2222-4333-8444-BBBBBBBBBBBB"
NAMES = st.text(st.characters(min_codepoint=33, max_codepoint=255), min_size=1, max_size=12)
VALUES = st.builds(HiveData, name=NAMES, type=st.sampled_from([1, 3, 4, 7]), raw=st.binary(max_size=90))


def unlike(held: list, key: str = "name") -> bool:  # type: ignore[type-arg]
    return len({getattr(one, key).upper() for one in held}) == len(held)


def keys(below: st.SearchStrategy[HiveKey]) -> st.SearchStrategy[HiveKey]:
    data, inner = st.lists(VALUES, max_size=3).filter(unlike), st.lists(below, max_size=4).filter(unlike)
    return st.builds(
        lambda name, d, k: HiveKey(name, tuple(d), tuple(sorted(k, key=lambda one: one.name.upper()))), NAMES, data, inner
    )


TREES = st.recursive(st.builds(HiveKey, name=NAMES), keys, max_leaves=12)
TARGETS = st.one_of(
    st.uuids().map(lambda one: str(one).upper()),
    st.builds(on_mbr, st.integers(1, (1 << 32) - 1).map(lambda one: f"{one:08x}"), st.integers(1, 1 << 50)),
    st.from_regex(r"\A\\[a-z0-9]{1,20}\.vhd\Z"),
)


@given(tree=TREES)
def test_what_is_built_is_read_again(tree: HiveKey) -> None:
    raw = hive.build(tree)
    assert len(raw) % 4096 == 0
    assert hive.read(raw) == tree


@given(targets=st.lists(TARGETS, min_size=1, max_size=12, unique=True), data=st.data())
def test_boot_data_says_again_what_it_was_made_of(targets: list[str], data: st.DataObject) -> None:
    begins = data.draw(st.sampled_from(targets))
    found = boot_data_file("\\x", 1, boot_data(*targets, begins=begins))
    assert found.targets == tuple(targets)
    assert (found.begins or found.targets[0]) == begins


@given(targets=st.lists(TARGETS, min_size=2, max_size=6, unique=True), data=st.data())
def test_boot_data_that_is_planned_is_what_is_read_back_of_it_whatever_was_known_before(
    targets: list[str], data: st.DataObject
) -> None:
    """What begins may not have been read (``?``); after a step that writes it, it is known."""
    begins = data.draw(st.sampled_from(["", "?", *targets[1:]]))
    found = BootFile("\\x", "nt-boot-data", 32 << 10, targets=tuple(targets), begins=begins)
    gone = data.draw(st.sampled_from(targets))
    for planned in (less_named(found, gone.upper()), more_named(found, "\\third.vhd")):
        made = boot_data(*planned.targets, size=planned.size_bytes, begins=planned.begins)
        assert boot_data_file("\\x", len(made), made) == planned
    assert gone not in less_named(found, gone).targets


@given(raw=st.binary(max_size=200), at=st.integers(0, 20_000), bits=st.integers(1, 255))
def test_what_is_no_hive_is_refused_and_a_spoilt_one_never_breaks_the_reader(raw: bytes, at: int, bits: int) -> None:
    with pytest.raises(FormatError):
        hive.read(raw)
    whole = bytearray(boot_data(ONE, TWO, on_mbr("1a2b3c4d", 1 << 20), "\\second.vhd"))
    whole[at] ^= bits
    found = boot_data_file("\\x", len(whole), bytes(whole), (ONE, TWO))
    assert found.kind == "nt-boot-data"


def test_a_hive_that_refers_to_itself_ends() -> None:
    raw = bytearray(hive.build(HiveKey("a", keys=(HiveKey("b"),))))
    root = int.from_bytes(raw[36:40], "little")
    listed = int.from_bytes(raw[4096 + root + 4 + 28 : 4096 + root + 4 + 32], "little")
    raw[4096 + listed + 8 : 4096 + listed + 12] = root.to_bytes(4, "little")
    with pytest.raises(FormatError):
        hive.read(bytes(raw))


def test_another_reader_and_another_writer_agree(tmp_path: Path) -> None:
    path = tmp_path / "data"
    path.write_bytes(boot_data(ONE, on_mbr("1a2b3c4d", 1 << 20), begins=on_mbr("1a2b3c4d", 1 << 20)))
    listed = subprocess.run(["hivexml", path], capture_output=True, text=True, check=True).stdout
    for word in ("Objects", "{9dea862c-5cdd-4e70-acc1-f32b344d4795}", "23000003", "system 2"):
        assert f'"{word}"' in listed
    raw = path.read_bytes()
    title = "system 2".encode("utf-16-le").hex(" ")
    objects = hive.read(raw).key("Objects")
    assert objects is not None
    second = next(one for one in objects.keys if any(title in two.data[0].raw.hex(" ") for two in one.keys[1].keys))
    lines = [
        f"cd \\Objects\\{second.name}\\Elements\\12000004",
        "setval 1",
        "Element",
        "string:another desk",
        "cd \\Objects\\{9dea862c-5cdd-4e70-acc1-f32b344d4795}\\Elements\\25000004",
        "setval 1",
        "Element",
        "hex:3:0a,00,00,00,00,00,00,00",
        *(line for number in range(40) for line in ("cd \\Objects", f"add more{number}")),
        "commit",
    ]
    subprocess.run(["hivexsh", "-w", path], input="\n".join(lines) + "\n", text=True, check=True)
    said = nt_boot_data.read(path.read_bytes())
    assert [one.title for one in said.systems] == ["system 1", "another desk"]
    assert (said.default, said.seconds) == (1, 10)


def summed(raw: bytes) -> bytes:
    return raw[:508] + hive.checksum(raw).to_bytes(4, "little") + raw[512:]


@pytest.mark.parametrize("place", [4, 8])
def test_a_hive_that_was_being_written_is_searched_and_who_begins_is_not_known(place: int) -> None:
    raw = boot_data(ONE, TWO)
    raw = summed(raw[:place] + (7).to_bytes(4, "little") + raw[place + 4 :])
    with pytest.raises(FormatError, match="being written"):
        hive.read(raw)
    found = boot_data_file("\\x", len(raw), raw, (TWO, ONE, "0" * 8 + TWO[8:]))
    assert (set(found.targets), found.begins) == ({ONE, TWO}, "?")
    assert boot_data_file("\\x", len(raw), raw, (ONE,)).begins == ""


@pytest.mark.parametrize(("words", "total"), [((), 1), ((5,), 5), ((0xFFFFFFFF,), 0xFFFFFFFE), ((6, 5, 5), 6)])
def test_two_sums_of_a_first_block_stand_for_others(words: tuple[int, ...], total: int) -> None:
    assert hive.checksum(b"".join(one.to_bytes(4, "little") for one in words).ljust(508, b"\0")) == total


def changed(raw: bytes, change: Callable[[HiveKey], HiveKey]) -> bytes:
    """Boot data with every key below its objects as ``change`` leaves it."""

    def through(key: HiveKey) -> HiveKey:
        return change(replace(key, keys=tuple(through(one) for one in key.keys)))

    return hive.build(through(hive.read(raw)))


def test_a_system_lies_where_its_own_device_says_and_not_where_its_loader_does() -> None:
    def elsewhere(key: HiveKey) -> HiveKey:
        held = (HiveData("Element", hive.BINARY, nt_boot_data.device(TWO)),)
        return replace(key, data=held) if key.name == "11000001" else key

    assert boot_data_file("\\x", 1, changed(boot_data(ONE), elsewhere)).targets == (ONE,)


def test_a_default_that_no_menu_shows_begins_all_the_same() -> None:
    def shown_less(key: HiveKey) -> HiveKey:
        if key.name != "24000001":
            return key
        (listed,) = key.data
        return replace(key, data=(replace(listed, raw="\0".join([listed.texts[0], "\0"]).encode("utf-16-le")),))

    raw = changed(boot_data(ONE, TWO, begins=TWO), shown_less)
    assert [one.targets for one in nt_boot_data.read(raw).systems] == [(TWO,), (ONE,)]
    assert boot_data_file("\\x", 1, raw).begins == ""
    bare = nt_boot_data.build(BootData((NtSystem("a", (ONE,)), NtSystem("b", (TWO,))), None, None), 32 << 10)
    assert (nt_boot_data.read(bare).default, nt_boot_data.read(bare).seconds) == (0, None)


# -- through UEFI ------------------------------------------------------------------------------------------------------
@pytest.fixture(scope="module")
def two(tmp_path_factory: pytest.TempPathFactory) -> Machine:
    """Two NT-family systems on two disks, whose boot data lies on the first disk's start-up volume."""
    folder = tmp_path_factory.mktemp("two")
    images = [inked(folder / f"{one}.img", 120 * 10**9, ("clean", {"systems": "nt-desktop"}), mode="uefi") for one in "ab"]
    found = take_in(images, mode="uefi", secure_boot="off", seed="two").found
    other = next(one for one in found.disk("B").volumes if is_esp(one))
    return found.with_volume(other.call, lambda one: replace(one, boot_files=()))


def naming(machine: Machine, *calls: str, begins: str = "") -> Machine:
    esp = next(one for one in machine.disk("A").volumes if is_esp(one))
    guids = [machine.find(call)[1].guid if len(call) < 9 else call for call in calls]  # type: ignore[index]
    chosen = machine.find(begins)[1].guid if machine.find(begins) else begins  # type: ignore[index]
    files = tuple(
        replace(one, targets=tuple(guids), begins=chosen) if one.kind == "nt-boot-data" else one for one in esp.boot_files
    )
    return machine.with_volume(esp.call, lambda one: replace(one, boot_files=files))


def said(machine: Machine, call: str) -> str:
    found = outcome(machine, call, STANDING[0])
    return found.why if found.starts and not found.by_hand else f"not: {found.why}"


def test_what_the_boot_data_begins_with_comes_by_itself_on_whatever_disk_it_lies(two: Machine) -> None:
    first, second = (one.call for _, one in two.volumes() if one.holds)
    for calls, begins, comes in (
        ((first, second), "", first),
        ((second, first), "", second),
        ((first, second), second, second),
    ):
        machine = naming(two, *calls, begins=begins)
        assert said(machine, comes) == BY_ITSELF
        assert said(machine, first if comes == second else second) == "chosen in the menu"
    assert said(naming(two, first), second).startswith("not: ")


def test_where_what_begins_is_gone_a_person_must_choose(two: Machine) -> None:
    first, _ = (one.call for _, one in two.volumes() if one.holds)
    for targets, begins, why in (((ONE, first), "", GONE_NT), ((first, ONE), ONE, GONE_NT), ((first, ONE), "?", UNREAD_NT)):
        machine = naming(two, *targets, begins=begins)
        assert said(machine, first) == f"chosen in the menu: {why}"
    assert said(naming(two, first, ONE), first) == BY_ITSELF


def test_a_system_that_is_removed_is_named_no_more_and_the_other_comes_by_itself(two: Machine, tmp_path: Path) -> None:
    first, second = (one.call for _, one in two.volumes() if one.holds)
    job = wanting(Job(found=naming(two, second, first), seed="removed"), ("remove", {"system": second, "room": "keep"}))
    assert not job.plan_fault
    (step,) = [one for one in job.steps if isinstance(one, ForgetInBootData)]
    assert step.files[0].targets == (two.find(first)[1].guid,)  # type: ignore[index]
    planned = read(job).plan.planned
    assert said(planned, first) == BY_ITSELF
    words = next(one.words for one in sheet(read(job)).rows if one.words.title == f"Take {second} out of the boot data")
    assert any("bcdedit /delete" in value for _, value in words.values)
    assert any("bcdedit /default" in value for _, value in words.values)


def test_of_a_system_and_its_copy_the_one_on_the_loader_s_own_disk_begins(two: Machine) -> None:
    first, second = (one.call for _, one in two.volumes() if one.holds)
    place, twin = two.find(first), two.find(second)
    assert place is not None
    assert twin is not None
    copied = naming(two.with_volume(second, lambda one: replace(one, guid=place[1].guid)), first)
    assert said(copied, first) == BY_ITSELF
    esp = next(one for one in two.disk("A").volumes if is_esp(one))
    files = next(one.boot_files for one in copied.disk("A").volumes if is_esp(one))
    other = next(one for one in two.disk("B").volumes if is_esp(one))
    moved = copied.with_volume(esp.call, lambda one: replace(one, boot_files=()))
    moved = moved.with_volume(other.call, lambda one: replace(one, boot_files=files))
    assert said(moved, second) == BY_ITSELF


@pytest.mark.parametrize("kind", ["gpt", "mbr"])
def test_a_locked_volume_that_boot_data_of_another_disk_names_holds_a_system(kind: str) -> None:
    shut = Volume(
        "",
        1,
        MIB,
        60 << 30,
        "0x07" if kind == "mbr" else ONE,
        guid=TWO if kind == "gpt" else "",
        filesystem=FileSystem("nt-encrypted", 60 << 30),
    )
    target = TWO if kind == "gpt" else on_mbr("0000000b", MIB)
    data = BootFile(exact("paths", "nt_boot_data"), "nt-boot-data", 1, targets=(target,))
    first = Volume("", 1, MIB, 1 << 29, "0xEF", filesystem=FileSystem("fat32", 1 << 29), boot_files=(data,))
    disks = (
        Disk("", 120 * 10**9, table=Table("mbr", signature="0000000a"), volumes=(first,)),
        Disk("", 240 * 10**9, table=Table(kind, signature="0000000b" if kind == "mbr" else ""), volumes=(shut,)),  # type: ignore[arg-type]
    )
    machine = join_images(Machine(), disks).machine
    assert [(one.call, one.holds is not None) for _, one in machine.volumes()] == [("B1", False), ("S1", True)]
    apart = replace(shut, guid=ONE, start=2 * MIB)
    machine = join_images(Machine(), (disks[0], replace(disks[1], volumes=(apart,)))).machine
    assert [one.holds for _, one in machine.volumes()] == [None, None]


@pytest.mark.parametrize(("menu", "comes"), [("old", "S1"), ("firmware", "S2")])
def test_beside_another_one_in_shared_boot_data_what_was_asked_for_begins(
    found_job: Job, menu: str, comes: str, tmp_path: Path
) -> None:
    job = wanting(found_job, ("beside", {"system": "nt-desktop", "menu": menu, "esp": "shared", "size": "120GiB"}))
    assert not job.plan_fault
    planned = read(job).plan.planned
    assert said(planned, comes) == BY_ITSELF
    assert said(planned, "S2" if comes == "S1" else "S1") == "chosen in the menu"
    rows = [one.words for one in sheet(read(job)).rows if one.words.title.startswith("Write the boot data of S1")]
    assert len(rows) == (menu == "old")
    if rows:
        assert exact("nt", "own_boot_files") in [value for _, value in rows[0].values]
        assert rows[0].back_lines
        report = ink(answered(job), tmp_path / "bench")
        assert report.verified


def test_two_systems_on_a_converted_disk_are_both_in_its_boot_data() -> None:
    system = SystemRoot("nt", "NT family", True)

    def volume(number: int) -> Volume:
        held = FileSystem("ntfs", 40 << 30, used_bytes=9 << 30, smallest_bytes=20 << 30, dirty=False, hibernated=False)
        start = MIB + (number - 1) * (41 << 30)
        return Volume(
            f"S{number}", number, start, 40 << 30, "0x07", "system", active=number == 1, filesystem=held, holds=system
        )

    disk = Disk("A", 240 * 10**9, table=Table("mbr", signature="0000000a", boot_code=True), volumes=(volume(1), volume(2)))
    job = wanting(Job(found=Machine(Firmware("legacy"), (disk,)), seed="both"), ("table", {}))
    assert not job.plan_fault
    planned = read(job).plan.planned
    assert planned.disks[0].table.kind == "gpt"
    verdicts = {call: said(planned, call) for call in ("S1", "S2")}
    assert not any(one.startswith("not: nothing") or "names a volume" in one for one in verdicts.values()), verdicts
    data = next(file for _, one in planned.volumes() for file in one.boot_files if file.kind == "nt-boot-data")
    assert set(data.targets) == {one.guid for one in planned.disks[0].volumes if one.holds}


# -- the legacy way ----------------------------------------------------------------------------------------------------
def put_legacy(image: Path, volume: Volume, data: bytes) -> None:
    part = image.with_suffix(".part")
    with image.open("r+b") as disk, part.open("w+b") as out:
        out.truncate(volume.size)
        copy_data(disk.fileno(), out.fileno(), volume.start, volume.size, 0)
    filling.put(part, {"/Boot/BCD": data})
    with image.open("r+b") as disk, part.open("rb") as out:
        copy_data(out.fileno(), disk.fileno(), 0, volume.size, volume.start)
    part.unlink()


def test_on_an_mbr_boot_data_names_a_place_and_is_mended_where_it_names_another(tmp_path: Path) -> None:
    image = machines.nt_on_mbr(tmp_path)
    disk = take_in([image], mode="legacy", seed="x").found.disks[0]
    volume = disk.volumes[0]
    put_legacy(image, volume, boot_data(on_mbr(disk.table.signature, volume.start)))
    sound = take_in([image], mode="legacy", seed="x")
    assert outcome(sound.found, "S1", STANDING[0]).starts
    moved = change(change(sound, "resize", "S1", size="100 GiB"), "move", "S1", at="2 GiB")
    assert "does not name the place" in outcome(read(moved).plan.planned, "S1", STANDING[0]).why
    put_legacy(image, volume, boot_data(on_mbr(disk.table.signature, volume.start + MIB)))
    job = take_in([image], mode="legacy", seed="x")
    assert not outcome(job.found, "S1", STANDING[0]).starts
    mended = answered(wanting(job, ("mend", {"seen": "system-screen", "system": "S1"})))
    (step,) = [one for one in mended.steps if isinstance(one, PutLoader)]
    assert any("/f BIOS" in value for one in sheet(read(mended)).rows for _, value in one.words.values)
    (words,) = [one.words for one in sheet(read(mended)).rows if one.words.title == "Write the boot data of S1 anew"]
    assert "remove" not in words.back, "what was there before is not taken away by going back"
    assert any("/export" in value for _, value in words.values[:1])
    assert any(line.startswith("copy /y") for line in words.back_lines)
    report = ink(mended, tmp_path / "bench")
    assert report.verified
    again = take_in([Path(report.images[0])], mode="legacy", seed="x").found
    assert outcome(again, "S1", STANDING[0]).starts
    assert again.find("S1")[1].boot_files == step.files  # type: ignore[index]


def test_what_is_written_into_ntfs_goes_over_what_is_there_in_any_capitals(tmp_path: Path) -> None:
    path = make_volume(tmp_path / "volume", 16 * MIB, "mkfs.ntfs", "-F", "-q")
    filling.put(path, {"/boot/bcd": boot_data(ONE)})
    filling.put(path, {"/Boot/BCD": boot_data(on_mbr("0000000a", MIB))})
    with ImageFile(path) as source:
        (file,) = nt_system.contents(source).boot_files  # type: ignore[union-attr]
        volume = open_ntfs(source)
        assert volume is not None
        assert list(folder_names(volume, root_names(volume)["boot"])) == ["bcd"]
    assert file.targets == (on_mbr("0000000a", MIB),)


def test_the_legacy_way_a_system_starts_from_the_disk_whose_boot_data_names_it() -> None:
    name = exact("paths", "nt_boot_data_legacy")
    system = SystemRoot("nt", "NT family")
    first = Volume("B1", 1, MIB, 1 << 29, "0x07", active=True, filesystem=FileSystem("ntfs", 1 << 29))
    home = Volume("S1", 1, MIB, 60 << 30, "0x07", active=True, filesystem=FileSystem("ntfs", 60 << 30), holds=system)
    disks = [
        Disk(letter, 120 * 10**9, table=Table("mbr", signature=sign, boot_code=code), volumes=(one,))
        for letter, sign, code, one in (("A", "0000000a", True, first), ("B", "0000000b", False, home))
    ]
    bare = Machine(Firmware("legacy"), tuple(disks))
    assert not outcome(bare, "S1", STANDING[0]).starts
    for target, starts in (
        (on_mbr("0000000b", MIB), True),
        (on_mbr("0000000a", MIB), False),
        (on_mbr("0000000b", 2 * MIB), False),
    ):
        data = BootFile(name, "nt-boot-data", 1, targets=(target,))
        machine = bare.with_volume("B1", lambda one, data=data: replace(one, boot_files=(data,)))  # type: ignore[misc]
        found = outcome(machine, "S1", STANDING[0])
        assert (found.starts, found.by_hand) == (starts, False)
