"""Starts that end at a prompt, menus that hand over, the legacy way, locked systems: what was judged wrong before."""

from __future__ import annotations

import pytest

from disks import assemble
from inkshelf.core.aims.beside import Beside
from inkshelf.core.boot.mishaps import STANDING, Mishap, TookDiskOut, mishaps
from inkshelf.core.boot.rehearse import Outcome, outcome
from inkshelf.core.checks import findings, know
from inkshelf.core.disk import nt_system
from inkshelf.core.disk.menus import menu_file
from inkshelf.core.disk.nt_system import contents
from inkshelf.core.disk.probe import probe
from inkshelf.core.disk.source import Memory
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.machine.state import BootEntry, BootFile, Disk, FileSystem, Machine, SystemRoot, Table, Volume
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.kinds import Delete, Prepare, Regenerate, Retype, Shrink
from inkshelf.core.value import replace
from inkshelf.data import exact
from inkshelf.exchange import captures, render
from scenes import legacy as both_ways


@pytest.fixture
def planned(job: Job) -> Machine:
    return read(job).plan.planned


def one(machine: Machine, call: str, mishap: Mishap = STANDING[0]) -> Outcome:
    return outcome(machine, call, mishap)


def test_a_menu_whose_volumes_are_gone_waits_and_nothing_behind_it_is_tried(planned: Machine) -> None:
    """The Linux volumes were deleted, loader and entry left: a rescue prompt, not the next entry."""
    left = fold(planned, (Delete("S2"), Delete("D1"))).planned
    alone = left.with_volume("B2", lambda v: replace(v, boot_files=tuple(_only_own(file) for file in v.boot_files)))
    said = one(alone, "S1")
    assert (said.starts, said.by_hand, said.stuck) == (True, True, True)
    assert "by itself the start ends at Linux desktop" in said.why


def _only_own(file: BootFile) -> BootFile:
    return replace(file, targets=tuple(one for one in file.targets if not one.startswith("\\")))


def test_a_menu_whose_default_is_gone_is_left_by_hand(planned: Machine) -> None:
    left = fold(planned, (Delete("S2"),)).planned
    said = one(left, "S1")
    assert (said.starts, said.by_hand) == (True, False)
    assert "what the menu starts by itself is not there" in said.why


def test_a_menu_on_another_disk_that_is_out_leaves_the_machine_at_a_prompt(planned: Machine, job: Job) -> None:
    """The loader is on the internal disk, the root that its menu names on an external one."""
    root = planned.find("S2")[1]
    inner = planned.disks[0]
    outer = Disk("B", 64 * GIB, table=Table("gpt", "1" * 8), volumes=(replace(root, start=MIB),))
    split = replace(planned, disks=(replace(inner, volumes=tuple(v for v in inner.volumes if v.call != "S2")), outer))
    split = split.with_volume("B2", lambda v: replace(v, boot_files=tuple(_only_own(file) for file in v.boot_files)))
    assert one(split, "S2").starts
    gone = one(split, "S1", Mishap("disk-b-out", "disk B out", (TookDiskOut("B"),)))
    assert (gone.by_hand, gone.stuck) == (True, True)
    assert "disk-b-out" in {m.key for m in mishaps(split)}


def test_a_start_that_ends_at_a_prompt_is_a_stop_and_stands_on_the_sheet(job: Job) -> None:
    stranded = replace(job, steps=(*job.steps[:-1], Delete("D1"), Delete("S2")))
    plan = read(stranded)
    lists_nothing = plan.plan.planned.with_volume(
        "B2", lambda v: replace(v, boot_files=tuple(_only_own(file) for file in v.boot_files))
    )
    bare = read(replace(job, found=lists_nothing, aims=(), steps=()))
    assert {f.key: f.severity for f in findings(bare)}["start.hand.S1"] == "stop"
    row = sheet(read(stranded)).rows[-1]
    assert "starts" in render.markdown(read(stranded))
    assert row.starts


def test_a_root_without_kernels_is_not_started_by_its_menu(planned: Machine) -> None:
    empty = planned.with_volume("S2", lambda v: replace(v, holds=replace(v.holds, kernels=0)))
    assert not one(empty, "S2").starts


def test_a_stub_that_hands_over_to_the_root_volume_is_followed(planned: Machine) -> None:
    root = planned.find("S2")[1]
    uuid = root.filesystem.uuid
    whole = next(f for f in planned.find("B2")[1].boot_files if f.kind == "menu-config")
    text = f"search.fs_uuid {uuid} root\nset prefix=($root)'/boot/grub'\nconfigfile $prefix/grub.cfg\n"
    stub = menu_file(whole.path, "menu-config", text.encode())
    assert (stub.targets, stub.hands_over) == ((), (uuid,))

    def stubbed(volume: Volume) -> Volume:
        return replace(
            volume, boot_files=tuple(replace(stub, path=f.path) if f.kind == "menu-config" else f for f in volume.boot_files)
        )

    handed = planned.with_volume("B2", stubbed)
    config = replace(whole, path=exact("linux", "menu_config"))
    handed = handed.with_volume("S2", lambda v: replace(v, boot_files=(config,)))
    assert [one(handed, call).why for call in ("S2", "S1")] == ["starts by itself", "chosen in the menu"]
    lost = handed.with_volume("S2", lambda v: replace(v, boot_files=()))
    assert (one(lost, "S1").by_hand, one(lost, "S1").stuck) == (True, True)
    gone = fold(handed, (Delete("S2"),)).planned
    assert one(gone, "S1").stuck


def test_the_menu_lists_the_other_system_only_after_three_steps_of_their_own(job: Job) -> None:
    kinds = [(step.kind, getattr(step, "call", ""), getattr(step, "what", "")) for step in job.steps]
    install = kinds.index(("install", "S2", ""))
    back = next(at for at, step in enumerate(job.steps) if at > install and isinstance(step, Retype))
    finder = kinds.index(("prepare", "S2", "finder_on"))
    anew = next(at for at, step in enumerate(job.steps) if isinstance(step, Regenerate))
    assert install < back < anew
    assert install < finder < anew
    reading = read(job)
    listed = [reading.plan.machines[at].find("B2")[1].boot_files for at in (install + 1, anew + 1)]
    loader = exact("paths", "nt_loader")
    assert [any(loader in f.targets for f in files) for files in listed] == [False, True]


# -- legacy ------------------------------------------------------------------------------------------------------------
def legacy(family: str = "nt", *, code: bool | None = True, active: bool = True, gpt: bool = False) -> Machine:
    system = Volume(
        "",
        1,
        MIB,
        40 * GIB,
        gpt_type("basic_data") if gpt else "0x07",
        active=active,
        filesystem=FileSystem("ntfs", 40 * GIB),
        holds=SystemRoot(family, "the system"),
    )
    usable = {"first_usable": 34, "last_usable": 64 * GIB // 512 - 34}
    table = Table("gpt", "2" * 8, boot_code=code, **usable) if gpt else Table("mbr", signature="00c0ffee", boot_code=code)
    return assemble((Disk("A", 64 * GIB, table=table, volumes=(system,)),), "legacy")


def test_a_healthy_legacy_system_is_no_stop() -> None:
    machine = legacy()
    said = one(machine, "S1")
    assert said.starts
    assert "was not followed further" in said.why, "no more is said than was looked at"
    stops = {f.key for f in findings(read(Job(found=machine))) if f.severity == "stop"}
    assert not {key for key in stops if key.startswith("start.")}


@pytest.mark.parametrize(
    ("facts", "why"),
    [
        ({"code": False}, "none there"),
        ({"active": False}, "no volume of disk A is marked active"),
        ({"gpt": True}, "from a GPT disk"),
        ({"gpt": True, "family": "linux"}, "no BIOS boot partition"),
    ],
)
def test_what_certainly_fails_the_legacy_way_is_told(facts: dict[str, object], why: str) -> None:
    said = one(legacy(**facts), "S1")  # type: ignore[arg-type]
    assert not said.starts
    assert why in said.why


@pytest.mark.parametrize("gpt", [False, True])
def test_a_moved_start_volume_is_a_stop_where_boot_data_names_its_first_byte(gpt: bool) -> None:
    job = Job(found=legacy(gpt=gpt))
    before = {f.key for f in findings(read(job))}
    moved = change(job, "move", "S1", at="8 GiB")
    said = [f for f in findings(read(moved)) if f.key == "start.moved.S1"]
    assert "start.moved.S1" not in before
    assert [f.severity for f in said] == ([] if gpt else ["stop"])
    there_again = change(moved, "move", "S1", at="1 MiB")
    assert "start.moved.S1" not in {f.key for f in findings(read(there_again))}, "what counts is where it ends"


def test_what_is_not_known_of_a_legacy_disk_is_not_held_against_it() -> None:
    assert one(legacy(code=None), "S1").starts


def test_a_page_file_alone_makes_no_system(monkeypatch: pytest.MonkeyPatch) -> None:
    facts = FileSystem("ntfs", GIB)
    for names, system in (
        ({"pagefile.sys": 30}, False),
        ({"hiberfil.sys": 30}, True),
        ({exact("nt", "system_folder").lower(): 40}, True),
    ):
        monkeypatch.setattr(nt_system, "probe", lambda source, found=names: (facts, found))
        assert bool(contents(Memory(b"")).holds) is system


# -- a system that its own encryption locks --------------------------------------------------------------------------
def locked(job: Job) -> Job:
    """The demo machine with its NT volume locked, as an image shows it."""
    closed = FileSystem("nt-encrypted", job.found.find("S1")[1].size)
    held = SystemRoot("nt", "NT family", True, assumed=True)
    found = job.found.with_volume("S1", lambda v: replace(v, filesystem=closed, holds=held))
    return replace(job, found=found)


def test_an_encrypted_nt_volume_is_a_kind_of_its_own() -> None:
    head = b"\xeb\x58\x90" + exact("marks", "nt_encrypted").encode() + bytes(501)
    found = probe(Memory(head + bytes(MIB))).filesystem
    assert found.kind == "nt-encrypted"
    listing = {"name": "sda1", "type": "part", "size": 64 << 30, "start": 2048, "parttype": gpt_type("basic_data")}
    disk = {"name": "sda", "type": "disk", "size": 80 << 30, "pttype": "gpt", "log-sec": 512}
    text = __import__("json").dumps(
        {"blockdevices": [{**disk, "children": [{**listing, "fstype": exact("marks", "nt_encrypted_listed")}]}]}
    )
    volume = captures.assume(captures.read_lsblk(text))[0].volumes[0]
    assert (volume.filesystem.kind, volume.holds.family) == ("nt-encrypted", "nt")


def test_it_is_never_formatted_without_a_stop_and_its_key_is_asked_for(found_job: Job) -> None:
    job = locked(found_job)
    keys = {f.key: f.severity for f in findings(read(job))}
    assert keys["people.key"] == "stop", "whatever was said of encryption before"
    bare = replace(job, found=job.found.with_volume("S1", lambda v: replace(v, holds=None)))
    lost = {f.key: f for f in findings(read(change(bare, "format", "S1", fs="ext4")))}
    assert lost["people.lost.S1"].severity == "stop"
    assert "encrypted" in lost["people.lost.S1"].why


def test_its_protection_is_suspended_and_resumed_and_it_is_proved(found_job: Job) -> None:
    steps = with_aim(locked(found_job), Beside(size_bytes=15 * GIB, swap="none")).steps
    prepared = [step.what for step in steps if isinstance(step, Prepare) and step.call == "S1"]
    assert prepared[0] == "suspend_encryption"
    assert prepared[-1] == "resume_encryption"
    assert any(step.kind == "prove" and step.call == "S1" for step in steps)


def test_its_used_space_can_be_told_and_nobody_shrinks_it_from_outside(found_job: Job) -> None:
    told = know(locked(found_job), "used:S1", 100 * GIB)
    assert told.found.find("S1")[1].used == 100 * GIB
    with pytest.raises(Exception, match="cannot be resized"):
        Shrink("S1", 300 * GIB).apply(told.found)
    fault = with_aim(told, Beside(size_bytes=100 * GIB)).plan_fault
    assert "from inside its own system only" in fault


# -- boot variables that nobody captured -----------------------------------------------------------------------------
def test_no_whole_boot_order_is_printed_where_none_was_read(job: Job) -> None:
    assert not job.found.firmware.entries_known
    row = next(r for r in sheet(read(job)).rows if "boot order" in r.words.title)
    text = " ".join(value for _, value in row.words.exact)
    assert "NNNN" in text
    assert "efibootmgr -v" in text
    assert "0001,0000" not in text


def test_found_is_the_captured_order_not_a_later_one(job: Job) -> None:
    entries = (*job.found.firmware.entries, BootEntry(7, "network"))
    known = replace(job.found.firmware, entries=entries, order=(7, 0), entries_known=True)
    planned = with_aim(replace(job, found=replace(job.found, firmware=known)), job.aim)
    row = next(r for r in sheet(read(planned)).rows if r.words.title.startswith("Boot order"))
    values = dict(row.words.values)
    assert (values["found"], values["wanted"]) == ("0007,0000", "0001,0007,0000")
    assert row.words.back_lines == ("efibootmgr -o 0007,0000",)


def test_the_first_disks_start_up_area_is_hidden_when_another_disk_is_installed_on(found_job: Job) -> None:
    second = Disk("B", 300 * GIB, serial="X", table=Table("gpt", "3" * 8, "", 34, 300 * GIB // 512 - 34))
    two = replace(found_job, found=replace(found_job.found, disks=(*found_job.found.disks, second)))
    steps = with_aim(two, Beside(size_bytes=100 * GIB, esp="own", disk="B")).steps
    assert [step.call for step in steps if isinstance(step, Retype)] == ["B1", "B1"]


def test_room_for_loaders_is_what_the_system_writes_over_time(found_job: Job) -> None:
    tight = found_job.found.with_volume(
        "B1", lambda v: replace(v, filesystem=replace(v.filesystem, used_bytes=v.filesystem.size_bytes - 10 * MIB))
    )
    keys = {f.key for f in findings(read(with_aim(replace(found_job, found=tight), Beside(size_bytes=60 * GIB))))}
    assert "start.full.B1" in keys, "10 MiB are not enough for 24"


def test_a_dirty_volume_is_repaired_at_a_restart_and_a_sleeping_family_woken_whatever_is_done(found_job: Job) -> None:
    dirty = found_job.found.with_volume("S1", lambda v: replace(v, filesystem=replace(v.filesystem, dirty=True)))
    rows = sheet(read(with_aim(replace(found_job, found=dirty), Beside(size_bytes=100 * GIB)))).rows
    repair = next(r for r in rows if "repair" in r.words.title)
    assert exact("nt", "repair_volume") in dict(repair.words.values).values()
    assert "restart" in repair.words.title
    gap_only = with_aim(found_job, Beside(size_bytes=15 * GIB, swap="none"))
    assert any(isinstance(s, Prepare) and s.what == "fast_startup_off" for s in gap_only.steps)


def test_a_start_volume_moved_to_the_left_is_a_stop_too() -> None:
    found = legacy()
    disk = found.disks[0]
    later = found.with_disk(replace(disk, volumes=(replace(disk.volumes[0], start=20 * GIB),)))
    moved = change(Job(found=later), "move", "S1", at="4 GiB")
    assert "start.moved.S1" in {f.key for f in findings(read(moved))}


def test_two_active_volumes_start_nothing() -> None:
    found = legacy()
    disk = found.disks[0]
    other = Volume("D1", 2, 50 * GIB, GIB, "0x83", active=True)
    said = one(found.with_disk(replace(disk, volumes=(*disk.volumes, other))), "S1")
    assert not said.starts
    assert "more than one volume" in said.why


@pytest.mark.parametrize(("holds", "starts"), [("linux", False), ("nt", True), ("", False)])
def test_the_nt_familys_code_starts_the_active_volume_and_no_other(holds: str, starts: bool) -> None:
    """With that code in sector 0 and another family's volume marked active, the NT family's system is not come to."""
    found = both_ways()
    disk = found.disks[0]
    volumes = tuple(
        replace(volume, active=bool(holds) and volume.call == ("S1" if holds == "nt" else "S2")) for volume in disk.volumes
    )
    for code, expected in (("nt", starts), ("linux", bool(holds))):
        said = one(found.with_disk(replace(disk, volumes=volumes, table=replace(disk.table, code_of=code))), "S1")
        assert said.starts == expected, (code, holds, said.why)


def unread(planned: Machine) -> Machine:
    """The same machine as captured text shows it: its entries and volumes, no file of the Linux family's loader."""
    disk = planned.disks[0]
    bare = (replace(one, planned=False, boot_files=() if one.call == "B2" else one.boot_files) for one in disk.volumes)
    seen = planned.with_disk(replace(disk, volumes=tuple(bare), table=replace(disk.table, boot_code=None)))
    return replace(seen, firmware=replace(seen.firmware, entries_known=True))


def test_what_nobody_read_is_said_to_be_not_known(planned: Machine, job: Job) -> None:
    seen = unread(planned)
    assert [one(planned, call).verdict for call in ("S1", "S2")] == ["starts", "starts"]
    assert [one(seen, call).verdict for call in ("S1", "S2")] == ["perhaps by hand", "not known"]
    assert "was not read" in one(seen, "S2").why
    read_whole = seen.with_disk(replace(seen.disks[0], table=replace(seen.disks[0].table, boot_code=True)))
    assert [one(read_whole, call).verdict for call in ("S1", "S2")] == ["starts", "does not start"], "it was read: it is gone"
    reading = read(replace(job, found=seen, aims=(), steps=()))
    known = {one.key: one for one in findings(reading) if one.key.startswith(("start.n", "start.hand"))}
    assert list(known) == ["start.not-read"]
    assert (known["start.not-read"].severity, known["start.not-read"].calls) == ("note", ("S1", "S2"))
    text = render.markdown(reading)
    assert "not known | Linux desktop: what shimx64.efi on B2 starts was not read" in text


def test_where_no_entries_were_captured_nothing_is_claimed(planned: Machine) -> None:
    seen = unread(planned)
    bare = replace(seen, firmware=replace(seen.firmware, entries=seen.firmware.entries[:1], order=(0,)))
    assert one(bare, "S2").verdict == "does not start", "no entry and no fallback file leads there"
    missing = replace(bare, firmware=replace(bare.firmware, entries_known=False))
    assert one(missing, "S2").verdict == "not known"
    assert one(missing, "S1").verdict == "starts", "its loader and fallback are there in any case"
    reset = next(two for two in mishaps(missing) if two.key == "firmware-reset")
    assert one(missing, "S2", reset).verdict == "does not start", "no entry is left then"


def test_an_unread_loader_whose_partition_is_gone_starts_nothing(planned: Machine) -> None:
    left = fold(unread(planned), (Delete("B2"),)).planned
    assert one(left, "S2").verdict == "does not start"
    assert one(left, "S1").verdict == "starts"


def test_what_a_person_says_of_an_unread_loader_counts(planned: Machine, job: Job) -> None:
    first = planned.firmware.order[0]
    said = know(replace(job, found=unread(planned), aims=(), steps=()), "started-by:S2", f"Boot{first:04X}")
    assert one(said.found, "S2").verdict == "starts"
    assert one(said.found, "S1").verdict == "starts by hand"


def test_sector_0_that_was_not_read_is_not_said_to_hold_code(found_job: Job) -> None:
    disk = found_job.found.disks[0]
    old = replace(
        disk, table=Table("mbr", signature="00c0ffee"), volumes=tuple(replace(v, active=v.call == "B1") for v in disk.volumes)
    )
    machine = replace(found_job.found, disks=(old,), firmware=replace(found_job.found.firmware, mode="legacy"))
    assert "was not read" in one(machine, "S1").why
    assert "that code is there" not in one(machine, "S1").why
