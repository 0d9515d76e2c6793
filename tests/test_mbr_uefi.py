"""UEFI on an MBR: an entry names its partition by the disk's signature and the number, and a primary volume is what it leads to."""

from __future__ import annotations

import shlex

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.core.aims.clean import Clean
from inkshelf.core.aims.owning import OwnDisk
from inkshelf.core.aims.removing import Remove, _entry_for
from inkshelf.core.aims.safety import forgotten
from inkshelf.core.aims.tabling import ChangeTable
from inkshelf.core.boot.entries import entry_of, entry_to, option_of
from inkshelf.core.boot.rehearse import rehearse
from inkshelf.core.built.firmware import twin_of
from inkshelf.core.built.volumes import volume_lines
from inkshelf.core.checks import findings
from inkshelf.core.disk.nt_boot_data import on_mbr
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.entries import means
from inkshelf.core.machine.joining import join_images, join_variables
from inkshelf.core.machine.state import BootFile, Disk, Extended, FileSystem, Firmware, Machine, SystemRoot, Table, Volume
from inkshelf.core.plan.job import Job, and_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.sheet.telling import words
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.kinds import AddEntry, RemoveEntry
from inkshelf.core.value import replace
from inkshelf.data import exact

PATH = "\\EFI\\linux\\shimx64.efi"


def disk(letter: str, volumes: int, signature: str, *, extended: bool = False) -> Disk:
    """An MBR with so many start-up volumes of 20 GiB in front; ``extended``: the rest lies in an extended partition."""
    made = tuple(
        Volume(
            f"{letter}{number}",
            number,
            MIB + (number - 1) * 20 * GIB,
            20 * GIB,
            "0xEF",
            role="startup",
            filesystem=FileSystem("fat32", 20 * GIB, uuid=f"1234-00{number:02}", used_bytes=MIB, clusters=600_000),
        )
        for number in range(1, volumes + 1)
    )
    inside = Extended(volumes + 1, 100 * GIB, 190 * GIB) if extended else None
    table = Table("mbr", signature=signature, extended=inside)
    return Disk(letter, 300 * GIB, serial=f"P-{letter}", table=table, volumes=made)


def machine(*disks: Disk) -> Machine:
    return Machine(firmware=Firmware("uefi", "off", entries_known=True), disks=disks, ram_bytes=8 * GIB)


def wanting(volumes: int, *, extended: bool = False) -> Job:
    """A system on a disk of data volumes; on an emptied one where there is none."""
    found = machine(disk("A", volumes, "00c0ffee", extended=extended))
    for call in [one.call for _, one in found.volumes()]:
        found = found.with_volume(call, lambda one: replace(one, type_id="0x83", role="data"))
    job = Job("on an MBR", found=found, seed="seed")
    empty = Clean(systems=("linux-desktop",), table="mbr")
    return and_aim(job, OwnDisk(disk="A", home="apart") if volumes else empty)


@pytest.mark.parametrize(("volumes", "extended"), [(0, False), (1, False), (2, False), (3, False), (2, True)])
def test_a_planned_entry_leads_there_wherever_a_slot_is_free(volumes: int, extended: bool) -> None:
    reading = read(wanting(volumes, extended=extended))
    after = reading.plan.planned
    home, esp = next(pair for pair in after.volumes() if pair[1].role == "startup")
    (made,) = (one.entry for one in reading.job.steps if isinstance(one, AddEntry))
    assert (made.partition_guid, made.signature, made.partition_number) == ("", home.table.signature, esp.number)
    assert esp.logical == (volumes == 3 or extended), "one slot for it, one for the extended partition"
    (outcome,) = (one for one in rehearse(after) if one.mishap == "none")
    assert outcome.starts
    assert (made.title in outcome.path) != esp.logical, "else the file that is looked for without an entry starts it"
    assert (f"start.logical.{esp.call}" in [one.key for one in findings(reading)]) == esp.logical
    words = str(sheet(reading))
    assert f"{esp.number}, disk signature 0x{home.table.signature.upper()}" in words
    assert "compare signature and file" in words
    assert "GUID and file" not in words


@given(st.data())
def test_an_entry_means_the_partition_it_was_made_for_and_no_other(data: st.DataObject) -> None:
    signs = st.sampled_from(["00c0ffee", "0badcafe", ""])
    found = machine(*(disk(letter, data.draw(st.integers(1, 4)), data.draw(signs)) for letter in "ABC"))
    places = list(found.volumes())
    home, volume = data.draw(st.sampled_from(places))
    entry = entry_to(found, home, volume, PATH, "desk")
    alike = [one.call for one_disk, one in places if means(entry, one_disk, one)]
    expected = [
        one.call
        for one_disk, one in places
        if home.table.signature and (one_disk.table.signature, one.number) == (home.table.signature, volume.number)
    ]
    assert alike == expected
    if not home.table.signature:
        return
    captured = entry_of(entry.number, option_of(entry))
    assert [one.call for one_disk, one in places if means(captured, one_disk, one)] == expected
    tied = join_variables(found, Firmware("uefi", entries=(captured,), order=(captured.number,), entries_known=True))
    assert means(tied.firmware.entries[0], found.disk(tied.firmware.entries[0].disk), volume)


def test_what_hangs_on_an_entry_tells_one_mbr_disk_from_another() -> None:
    found = machine(disk("A", 1, "00c0ffee"), disk("B", 1, "0badcafe"))
    first, second = (entry_to(found, home, one, PATH, "desk") for home, one in found.volumes())
    second = replace(second, number=1)
    found = replace(found, firmware=replace(found.firmware, entries=(first, second), order=(0, 1)))
    assert forgotten(found, frozenset({"B1"})) == [RemoveEntry(1)]
    assert twin_of(second, (first,)) is None
    assert twin_of(second, (first, replace(second, number=7))) == replace(second, number=7)
    keys = [one.key for one in findings(read(Job("two", found=found, seed="seed")))]
    assert not [one for one in keys if one.startswith("start.entry.")]
    alone = read(Job("one", found=replace(found, disks=found.disks[:1]), seed="seed"))
    assert [one.key for one in findings(alone) if one.key.startswith("start.entry.")] == ["start.entry.Boot0001"]


def test_an_image_that_is_read_again_leaves_an_entry_with_its_disk() -> None:
    found = machine(disk("A", 1, "00c0ffee"), disk("B", 1, "0badcafe"))
    entry = entry_to(found, *next(pair for pair in found.volumes() if pair[0].id == "B"), PATH, "desk")
    found = replace(found, firmware=replace(found.firmware, entries=(entry,), order=(0,)))
    again = join_images(found, (found.disk("A"),)).machine
    assert [one.disk for one in again.firmware.entries] == ["B"]


def test_a_system_of_the_nt_family_gets_an_entry_of_its_own_when_the_menu_before_it_goes() -> None:
    found = machine(disk("A", 1, "00c0ffee"))
    root = Volume("S1", 2, 100 * GIB, 90 * GIB, "0x07", "system", holds=SystemRoot("nt", "NT family"))
    data = BootFile(exact("paths", "nt_boot_data"), "nt-boot-data", 9, None, (on_mbr("00c0ffee", root.start),))
    loader = BootFile(exact("paths", "nt_loader"), "nt-loader", 9, True)
    found = found.with_disk(replace(found.disk("A"), volumes=(*found.disk("A").volumes, root)))
    found = found.with_volume("A1", lambda one: replace(one, boot_files=(loader, data)))
    made = _entry_for(found, root, set())
    assert made is not None
    assert (made.signature, made.path) == ("00c0ffee", loader.path)
    elsewhere = replace(root, start=root.start + MIB)
    moved = found.with_volume("S1", lambda _: elsewhere)
    assert _entry_for(moved, elsewhere, set()) is None


@pytest.mark.parametrize("entered", [True, False])
def test_a_number_that_differs_afterwards_matters_where_an_entry_names_it(entered: bool) -> None:
    found = machine(disk("A", 1, "00c0ffee"))
    home, volume = next(found.volumes())
    entries = (entry_to(found, home, volume, PATH, "desk"),) if entered else ()
    found = replace(found, firmware=replace(found.firmware, entries=entries))
    lines = volume_lines(fold(found, ()), home, volume, replace(volume, number=2), text=False)
    (line,) = (one for one in lines if one.what == "partition number")
    assert (line.stands, line.matters) == ("differs", "warn" if entered else "note")


def test_a_system_that_is_removed_takes_its_entry_along() -> None:
    built = read(wanting(1)).plan.planned
    root = next(one for _, one in built.volumes() if one.holds)
    job = Job("away", found=replace(built, firmware=replace(built.firmware, entries_known=True)), seed="seed")
    (entry,) = built.firmware.entries
    removed = and_aim(job, Remove(system=root.call))
    assert [one.number for one in removed.steps if isinstance(one, RemoveEntry)] == [entry.number]


@pytest.mark.parametrize(("swap", "said"), [("sqrt", "Take swap as a file"), ("none", "Use free room")])
def test_a_slot_that_lacks_for_swap_only_has_a_file_for_a_remedy(swap: str, said: str) -> None:
    found = machine(disk("A", 2, "00c0ffee", extended=True))
    free = replace(found.disk("A"), table=replace(found.disk("A").table, extended=Extended(3, 250 * GIB, 50 * GIB)))
    aim = OwnDisk(disk="A", swap=swap, home="together" if swap == "sqrt" else "apart")
    with pytest.raises(PlanError) as raised:
        aim.steps(replace(found, disks=(free,), firmware=Firmware("legacy")), "seed")
    assert raised.value.remedy.startswith(said)


@pytest.mark.parametrize("share", ["none", "exfat"])
@pytest.mark.parametrize(
    ("home", "encryption"), [("together", "none"), ("apart", "none"), ("lvm", "none"), ("together", "all")]
)
@pytest.mark.parametrize("systems", [("linux-desktop",), ("linux-desktop", "linux-light"), ("linux-light",) * 3])
def test_an_emptied_mbr_disk_keeps_what_entries_lead_to_outside(
    systems: tuple[str, ...], encryption: str, home: str, share: str
) -> None:
    found = machine(replace(disk("A", 0, "00c0ffee"), size=900 * GIB))
    aim = Clean(systems=systems, table="mbr", home=home, share=share, encryption=encryption)
    reading = read(and_aim(Job("all of them", found=found, seed="seed"), aim))
    after = reading.plan.planned
    assert len([one for _, one in after.volumes() if one.holds]) == len(systems)
    (esp,) = (one for _, one in after.volumes() if one.role == "startup" and one.type_id == "0xEF")
    assert not esp.logical
    assert max(one.end for _, one in after.volumes()) == 900 * GIB, "nothing is left over"
    assert [one.starts for one in rehearse(after) if one.mishap == "none"] == [True] * len(systems)


def ordered(order: list[int], lines: tuple[str, ...]) -> list[int]:
    """What the utility makes of an order: a new entry comes first unless it is told to leave the order alone."""
    for line in lines:
        words = shlex.split(line)
        number = int(words[words.index("--bootnum") + 1], 16) if "--bootnum" in words else None
        if "-o" in words:
            order = [int(one, 16) for one in words[words.index("-o") + 1].split(",")]
        elif "--delete-bootnum" in words:
            order = [one for one in order if one != number]
        elif "--create" in words:
            assert number is not None
            order = [number, *order]
        else:
            assert "--create-only" in words
    return order


@given(st.permutations(range(4)), st.integers(0, 3), st.booleans())
def test_what_is_typed_for_an_entry_leaves_the_order_that_is_planned_and_leads_back(
    order: list[int], at: int, adds: bool
) -> None:
    found = machine(disk("A", 4, "00c0ffee"))
    entries = [replace(entry_to(found, home, one, PATH, one.call), number=one.number - 1) for home, one in found.volumes()]
    before = found
    for one in order:
        if not adds or one != at:
            before = AddEntry(entries[one]).apply(before)
    step = AddEntry(entries[at], by="person") if adds else RemoveEntry(at)
    after = step.apply(before)
    told = words(step, Scene(found=before, before=before, after=after))
    typed = ordered(list(before.firmware.order), told.commands)
    assert typed == list(after.firmware.order)
    assert ordered(typed, told.back_lines) == list(before.firmware.order)


@pytest.mark.parametrize("first", [0, 1])
def test_entries_are_made_anew_where_they_were_when_a_table_changes(first: int) -> None:
    """What starts from an MBR by UEFI goes on starting, as the same one, when the disk has a GPT."""
    aim = Clean(systems=("linux-desktop",), table="mbr", size_bytes=200 * GIB)  # behind it there is room for a table's copy
    built = read(and_aim(Job("mbr", found=wanting(0).found, seed="seed"), aim)).plan.planned
    (entry,) = built.firmware.entries
    other = replace(entry, number=7, title="elsewhere", signature="0badcafe")
    firmware = replace(built.firmware, entries=(entry, other), order=(entry.number, 7) if first == 0 else (7, entry.number))
    job = and_aim(Job("table", found=replace(built, firmware=firmware), seed="seed"), ChangeTable(disk="A"))
    after = read(job).plan.planned
    assert job.plan_fault == ""
    assert after.disks[0].table.kind == "gpt"
    assert after.firmware.order == firmware.order
    (turned,) = (row.words for row in sheet(read(job)).rows if row.words.title.startswith("Turn the MBR"))
    assert turned.caution.startswith("Until its boot entries are made anew, nothing on this disk starts")
    anew = after.firmware.entry(entry.number)
    assert anew is not None
    assert (anew.title, anew.path, anew.signature) == (entry.title, entry.path, "")
    assert [one.role for _, one in after.volumes()].count("startup") == 1
    (outcome,) = (one for one in rehearse(after) if one.mishap == "none")
    assert outcome.starts
    assert entry.title in outcome.path
