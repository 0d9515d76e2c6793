"""Taking more in loses nothing; ticks, answers and intents last; what contradicts is said; every kind is known everywhere."""

from __future__ import annotations

import json
from pathlib import Path
from typing import get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st

from disks import answered, make_gpt_disk
from inkshelf.bench import demo
from inkshelf.bench.doing import do
from inkshelf.bench.intake import take_in, with_images, with_listings
from inkshelf.bench.kinds import TOOLS
from inkshelf.bench.recipes import blank
from inkshelf.cli import run
from inkshelf.core.aims import every_aim
from inkshelf.core.aims.beside import Beside
from inkshelf.core.boot.mishaps import STANDING, mishaps
from inkshelf.core.checks import findings, know
from inkshelf.core.checks.registry import ChangeAim, apply_remedy
from inkshelf.core.disk.contents import FileSystem, Inside
from inkshelf.core.disk.kinds import KINDS, makeable
from inkshelf.core.errors import CaptureError, InkshelfError
from inkshelf.core.machine.joining import join_images, join_listings
from inkshelf.core.machine.state import Disk, Firmware, HeldImage, Machine, StickFacts, Volume
from inkshelf.core.plan import document
from inkshelf.core.plan.byhand import arrange, change, exactly
from inkshelf.core.plan.job import Job, Override, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.sheet import sheet, with_margin
from inkshelf.core.sheet.telling import told, words
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps import kinds
from inkshelf.core.steps.base import StepBase
from inkshelf.core.steps.identity import tick
from inkshelf.core.steps.kinds import Create, Delete, Label
from inkshelf.core.steps.people import Preparation, Subject
from inkshelf.core.value import replace
from inkshelf.data import exact
from inkshelf.exchange import captures
from inkshelf.exchange.bootvars import read_efibootmgr
from inkshelf.store import jobfile
from strategies import aims

ENTRIES = """BootCurrent: 0003
BootOrder: 0003,0001
Boot0001* network PciRoot(0x0)/Pci(0x1c,0x0)
Boot0003* own HD(1,GPT,7d1c5e02-93ab-4e6f-8c11-0a5f3b7de4a9,0x800,0x96000)/File(\\EFI\\x\\x.efi)
"""


# -- taking more in ----------------------------------------------------------------------------------------------------
def test_a_captured_disk_keeps_its_letter_and_everything_said_when_its_image_comes(
    demo_files: tuple[Path, Path], tmp_path: Path
) -> None:
    other = tmp_path / "other.img"
    make_gpt_disk(other, 300 * MIB, 512, [("linux_data", 100 * MIB, ("mkfs.ext4", "-F", "-q", "-L", "papers"))])
    listed = captures.combine(captures.read_lsblk(demo_files[1].read_text()), ())
    job = take_in([], [listed], title="desk", seed="t")
    job = with_listings(job, (), (), read_efibootmgr(ENTRIES))
    job = with_aim(know(know(job, "mode", "uefi"), "used:S1", 100 * GIB), Beside(size_bytes=60 * GIB, disk="A"))
    job = change(job, "label", "R1", label="RESCUE")
    job = replace(job, unit="GB", overrides=(Override("people.backup", "the owner insists"),), ticked=(tick(job.steps[0]),))
    both = with_images(with_images(job, [other]), [demo_files[0]])
    assert [(one.id, one.serial) for one in both.found.disks] == [("A", demo.SERIAL), ("B", "")]
    assert [one.call for one in both.found.disk("A").volumes] == [one.call for one in job.found.disk("A").volumes]
    assert both.found.firmware.entries_known
    assert [entry.disk for entry in both.found.firmware.entries] == ["", "A"]
    assert (both.unit, both.overrides, both.aim, both.by_hand) == (job.unit, job.overrides, job.aim, job.by_hand)
    assert both.done == {job.steps[0].id}
    assert {one.disk: Path(one.path).name for one in both.sources if one.kind == "image"} == {
        "B": "other.img",
        "A": demo_files[0].name,
    }
    assert both.found.find("S1")[1].used != 100 * GIB, "the image knows better"


def test_taking_the_same_image_in_again_changes_nothing(job: Job, demo_files: tuple[Path, Path]) -> None:
    again = with_images(job, [demo_files[0]])
    assert again.found == job.found
    assert again.steps == job.steps
    assert len([one for one in again.sources if one.kind == "image"]) == 1


READ_FROM_THE_IMAGE = {"id", "size", "sector", "table", "volumes", "shown_sector"}
SAID = {
    "physical_sector": 512,
    "model": "kept model",
    "serial": "KEPT-1",
    "transport": "usb",
    "removable": True,
    "rotational": True,
    "device": "/dev/sdk",
    "failing": True,
    "stick": StickFacts(port="usb2", writes=21_000_000, real_size=GIB),
}


def test_whatever_was_found_out_of_a_disk_beside_its_image_lasts_when_the_image_is_taken_in_again(
    job: Job, demo_files: tuple[Path, Path]
) -> None:
    """A field of a disk that is added is in one of these two lists, or this test says that it was forgotten."""
    assert set(Disk.__struct_fields__) == READ_FROM_THE_IMAGE | set(SAID)
    known = replace(job, found=replace(job.found, disks=(replace(job.found.disks[0], **SAID), *job.found.disks[1:])))
    again = with_images(known, [demo_files[0]]).found.disks[0]
    assert {name: getattr(again, name) for name in SAID} == SAID


def test_the_images_on_a_volume_last_when_a_listing_of_it_comes_later(found_job: Job) -> None:
    disk = found_job.found.disks[0]
    held = HeldImage(path="held.iso", size=GIB)
    full = replace(disk, volumes=(replace(disk.volumes[0], images=(held,)), *disk.volumes[1:]))
    listed = join_listings(Machine(disks=(full,)), (disk,), frozenset()).machine.disks[0]
    assert listed.volumes[0].images == (held,)


OTHERWISE = {
    "label": "attic",
    "uuid": "5C2E-91A0",
    "smallest_why": "as its own box offers",
    "dirty": True,
    "hibernated": True,
    "used_map": (4096, 0),
    "inside": (Inside("root", MIB),),
    "keeps_size": "its own utility cannot",
}


@given(st.sampled_from(FileSystem.__struct_fields__[2:]))
def test_what_only_the_earlier_listing_said_of_a_file_system_lasts(name: str) -> None:
    """Listings of different systems tell different things: the smallest size one, the number of the file system the other."""
    value = OTHERWISE.get(name, 8192)
    earlier, later = FileSystem("ntfs", GIB, **{name: value}), FileSystem("ntfs", GIB)
    disks = [Disk("A", 4 * GIB, volumes=(Volume("1", 1, MIB, GIB, "", filesystem=one),)) for one in (earlier, later)]
    joined = join_listings(Machine(disks=(disks[0],)), (disks[1],), frozenset()).machine.disks[0]
    assert getattr(joined.volumes[0].filesystem, name) == value
    other = replace(disks[1], volumes=(replace(disks[1].volumes[0], filesystem=FileSystem("exfat", GIB)),))
    joined = join_listings(Machine(disks=(disks[0],)), (other,), frozenset()).machine.disks[0]
    assert joined.volumes[0].filesystem == FileSystem("exfat", GIB), "another file system is there now"


@given(st.integers(0, 4), st.integers(1, 1 << 22))
def test_a_listing_that_contradicts_the_image_is_said(found_job: Job, which: int, more: int) -> None:
    disk = found_job.found.disks[0]
    place = which % len(disk.volumes)
    moved = tuple(replace(one, start=one.start + 512 * more) if at == place else one for at, one in enumerate(disk.volumes))
    said = with_listings(found_job, (replace(disk, volumes=moved),), ()).contradictions
    assert [one.disk for one in said] == ["A"]
    assert f"partition {disk.volumes[place].number} starts at" in said[0].what
    key = {one.key for one in findings(read(with_listings(found_job, (replace(disk, volumes=moved),), ())))}
    assert "intake.contradiction.A" in key
    assert with_listings(found_job, (disk,), ()).contradictions == ()


def test_more_is_taken_in_on_the_command_line(
    demo_files: tuple[Path, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path, entries = tmp_path / "job.json", tmp_path / "entries.txt"
    entries.write_text(ENTRIES)
    listing = json.loads(demo_files[1].read_text())
    listing["blockdevices"][0]["children"][2]["size"] -= 1 << 20
    (tmp_path / "wrong.json").write_text(json.dumps(listing))
    assert run(["new", "-o", str(path), "--firmware", "uefi", "--lsblk", str(demo_files[1])]) == 0
    assert run(["aim", str(path), "beside", "--esp", "own", "--size", "15GiB", "--swap", "none"]) == 0
    assert run(["take", str(path), "--disk", str(demo_files[0]), "--capture", str(entries)]) == 0
    job = jobfile.load(path)
    assert job.found.firmware.entries_known
    assert job.aim.esp == "own"
    assert job.found.disks[0].serial == demo.SERIAL
    assert run(["take", str(path), "--capture", str(tmp_path / "wrong.json")]) == 0
    assert "CONTRADICTION, disk A: partition 3 has" in capsys.readouterr().out
    assert run(["take", str(path)]) == 2
    assert (
        run(
            [
                "new",
                "-o",
                str(path),
                "--firmware",
                "uefi",
                "--disk",
                str(demo_files[0]),
                "--lsblk",
                str(tmp_path / "wrong.json"),
            ]
        )
        == 0
    )
    assert "CONTRADICTION" in capsys.readouterr().out


def test_two_empty_disks_of_one_size_are_two_disks() -> None:
    from disks import assemble

    empty = Disk("", 10 * GIB)
    assert [one.id for one in assemble((empty, empty)).disks] == ["A", "B"]
    assert [one.id for one in join_images(assemble((empty,)), (empty,)).machine.disks] == ["A", "B"]


def test_a_file_that_was_read_before_is_the_disk_that_it_was(tmp_path: Path) -> None:
    """An empty disk has nothing else that could tell it; one that got a table meanwhile is still that one."""
    paths = [blank(tmp_path / f"{name}.img", 3 * GIB) for name in ("one", "two")]
    job = take_in(paths, seed="t")
    assert [one.id for one in with_images(job, [paths[1]]).found.disks] == ["A", "B"]
    make_gpt_disk(paths[1], 3 * GIB, 512, [("linux_data", 100 * MIB, ("mkfs.ext4", "-F", "-q", "-L", "papers"))])
    again = with_images(job, paths[::-1])
    assert [(one.id, len(one.volumes)) for one in again.found.disks] == [("A", 0), ("B", 1)]
    assert {one.disk: Path(one.path).name for one in again.sources} == {"A": "one.img", "B": "two.img"}


def test_a_file_that_holds_another_disk_now_is_refused(tmp_path: Path) -> None:
    """A scratch file that was written over, or two files that changed places: the plan would be inked on the wrong one."""
    paths = [tmp_path / f"{name}.img" for name in ("one", "two")]
    for path in paths:
        make_gpt_disk(path, 3 * GIB, 512, [("linux_data", 100 * MIB, ("mkfs.ext4", "-F", "-q"))])
    job = take_in(paths, seed="t")
    paths[0].rename(tmp_path / "kept")
    paths[1].rename(paths[0])
    with pytest.raises(CaptureError, match="was disk A, and another disk lies there now"):
        with_images(job, [paths[0]])
    paths[0].unlink()
    with pytest.raises(CaptureError, match="was disk A"):
        with_images(job, [blank(paths[0], 4 * GIB)])
    with pytest.raises(InkshelfError, match="named twice"):
        with_images(job, [tmp_path / "kept", tmp_path / "." / "kept"])


# -- identities ----------------------------------------------------------------------------------------------------
@given(aims, aims)
def test_ticks_last_through_replanning_as_long_as_the_step_says_the_same(found_job: Job, one: Beside, other: Beside) -> None:
    job = with_aim(found_job, one)
    assert len({step.id for step in job.steps}) == len(job.steps)
    assert all(step.id for step in job.steps)
    job = replace(job, ticked=tuple(tick(step) for step in job.steps))
    assert len(job.done) == len(job.steps)
    noted = know(job, "mains", False)
    assert {step.id for step in job.steps} & {step.id for step in noted.steps} <= noted.done
    changed = with_aim(job, other)
    before = {step.id: step for step in job.steps}
    assert changed.done == {step.id for step in changed.steps if before.get(step.id) == step}
    assert with_aim(changed, one).done == job.done, "nothing that was ticked is forgotten"


def test_a_plan_that_cannot_be_for_a_moment_forgets_no_tick(job: Job) -> None:
    ticked = replace(job, ticked=(tick(job.steps[0]),))
    broken = with_aim(ticked, replace(job.aim, size_bytes=400 * GIB))
    assert broken.plan_fault
    assert with_aim(broken, job.aim).done == {job.steps[0].id}


def test_what_is_asked_for_by_hand_is_shown_idle_where_it_does_not_apply_and_comes_back(job: Job) -> None:
    labelled = change(job, "label", "D1", label="papers")
    together = with_aim(labelled, replace(job.aim, home="together"))
    assert [one.intent for one in together.idle] == ["h1"]
    assert read(together).plan.fault is None
    assert "plan.idle.h1" in {one.key for one in findings(read(together))}
    again = with_aim(together, job.aim)
    assert again.idle == ()
    assert again.steps == labelled.steps


def test_a_call_number_that_was_given_away_stays_its_own(found_job: Job) -> None:
    """A volume made by hand keeps its number when an aim comes that wants one of the same role."""
    job = change(found_job, "create", "A", size="2GiB")
    assert job.steps[-1].call == "D1"
    aimed = with_aim(job, Beside(size_bytes=140 * GIB, esp="own", home="apart"))
    calls = {step.call: step.id for step in aimed.steps if isinstance(step, Create)}
    assert calls["D1"] == "h1"
    assert calls["D2"].startswith("a1.")


def test_a_deleted_volumes_call_number_never_comes_back(found_job: Job) -> None:
    job = change(found_job, "create", "A", size="2GiB")
    job = change(change(job, "delete", "D1"), "create", "A", size="1GiB")
    assert [step.call for step in job.steps] == ["D1", "D1", "D2"]
    gone = change(change(found_job, "delete", "N1"), "create", "A", size="8MiB", at="301MiB", type="nt_reserved")
    assert gone.steps[-1].call == "N2"


def old_file(version: int) -> Job:
    raw = Path(f"tests/data/job-v{version}.json").read_text()
    for key in ("nt_loader", "nt_boot_data"):
        raw = raw.replace(f"@{key}@", exact("paths", key).replace("\\", "\\\\"))
    return document.load(raw.encode())


def test_the_file_of_the_second_version_is_lifted_as_it_is() -> None:
    assert old_file(3) == old_file(2)
    job = old_file(2)
    assert [intent.verb for intent in job.by_hand] == ["label"]
    assert [one.told for _, one in job.found.volumes()] == [(), (), (), ()]
    now = tuple(step for step in with_aim(job, job.aim).steps if getattr(step, "subject", "") != "material")
    settings = next(step for step in now if getattr(step, "subject", "") == "firmware_values")
    now = tuple(step for step in now if step is not settings)
    now = (*now[:2], settings, *now[2:])
    assert job.steps == now, "it is planned as it was, before the image's checksum and the firmware's place after the stick"
    assert document.load(document.dump(job)) == job


def test_the_file_of_the_first_version_is_lifted_with_its_ticks_and_steps_by_hand() -> None:
    job = old_file(1)
    assert job.aims[0].home == "apart"
    assert [intent.verb for intent in job.by_hand] == ["exactly", "exactly"]
    assert isinstance(job.by_hand[0].exactly, Label)
    assert job.done == {job.steps[0].id, job.steps[1].id, job.steps[-1].id}
    assert set(document.MIGRATIONS) == set(range(1, document.VERSION)), "each migration has an old file of its own"
    replanned = with_aim(job, job.aim)
    assert replanned.idle == ()
    assert {"h1", "h2"} <= {step.id for step in replanned.steps}


# -- remedies and times --------------------------------------------------------------------------------------------
@given(aims, st.integers(24, 260))
def test_a_remedy_never_lowers_what_it_is_offered_for(found_job: Job, aim: Beside, gib: int) -> None:
    job = with_aim(found_job, replace(aim, size_bytes=gib * GIB))
    reading = read(job)

    def size(of: Job, call: str) -> int:
        place = read(of).plan.planned.find(call)
        return place[1].size if place else 0

    for one in findings(reading):
        for remedy in one.remedies:
            if not isinstance(remedy, ChangeAim) or not one.key.startswith("room."):
                continue
            assert "0 B" not in remedy.title
            changed = apply_remedy(job, remedy)
            assert changed.plan_fault == ""
            for call in one.calls:
                assert size(changed, call) > size(job, call), (one.key, remedy)


def test_the_parts_of_a_time_add_up_and_each_move_takes_its_own(found_job: Job) -> None:
    awake = found_job.found.with_volume("S1", lambda v: replace(v, filesystem=replace(v.filesystem, hibernated=False)))
    job = arrange(replace(found_job, found=awake), "A", "B1 N1 S1=300GiB R1 free=10GiB")
    job = change(job, "create", "A", size="2GiB")
    made = sheet(read(job))
    assert made.minutes == with_margin(sum(row.words.minutes for row in made.rows))
    rate = 400_000_000 * 60
    moves = [row for row in made.rows if row.words.title.startswith("Move")]
    assert [round(row.minutes, 6) for row in moves] == [round(2 + 2 * GIB / rate, 6)]


# -- room --------------------------------------------------------------------------------------------------------------
def test_the_reserve_is_checked_where_nobody_knows_how_far_it_can_shrink(found_job: Job) -> None:
    blind = found_job.found.with_volume(
        "S1", lambda v: replace(v, filesystem=replace(v.filesystem, smallest_bytes=None, used_bytes=330 * GIB))
    )
    keys = {one.key for one in findings(read(with_aim(replace(found_job, found=blind), Beside(size_bytes=120 * GIB))))}
    assert {"room.unmeasured.S1", "room.reserve.S1"} <= keys


def test_the_largest_piece_and_what_is_short_are_said(found_job: Job) -> None:
    full = found_job.found.with_volume("S1", lambda v: replace(v, filesystem=replace(v.filesystem, used_bytes=430 * GIB)))
    fault = with_aim(replace(found_job, found=full), Beside(size_bytes=40 * GIB)).plan_fault
    assert "The largest piece that keeps the reserve is 19.4 GiB, 20.6 GiB short" in fault


def test_room_right_behind_the_new_volumes_and_on_other_disks_is_nobodys_note(found_job: Job) -> None:
    other = Disk("B", 100 * GIB, serial="X", table=found_job.found.disks[0].table)
    two = replace(found_job, found=replace(found_job.found, disks=(*found_job.found.disks, other)))
    job = with_aim(two, Beside(size_bytes=5 * GIB, swap="none"))
    assert not [one.key for one in findings(read(job)) if one.key.startswith("room.gap")]


def test_a_volume_in_front_of_a_logical_one_leaves_room_for_its_record(tmp_path: Path) -> None:
    import subprocess

    from inkshelf.bench.inker import ink

    path = tmp_path / "mbr.img"
    with path.open("wb") as out:
        out.truncate(400 * MIB)
    table = b"label: dos\n2048,50M,83\n,300M,5\n206848,40M,83\n411648,60M,83\n"
    subprocess.run(["sfdisk", "--quiet", "--no-tell-kernel", "--no-reread", path], input=table, check=True)
    job = take_in([path], seed="l")
    job = change(job, "create", "A", after="D2", size="rest")
    assert ink(answered(job), tmp_path / "bench").verified
    row = sheet(read(job)).rows[0]
    assert "count one up" not in row.words.look
    assert "count one down" in sheet(read(change(job, "delete", "D2"))).rows[-1].words.look


# -- every kind is known everywhere --------------------------------------------------------------------------------
def test_every_step_kind_says_its_traits_has_words_and_is_inked(found_job: Job) -> None:
    dispatch = do
    for kind in kinds.every_step():
        assert kind.actor in {"person", "bench", "firmware"}
        assert kind.writes in {"none", "variables", "table", "inside"}
        assert told.dispatch(kind) is not told.dispatch(object), f"{kind.__name__} has no words"
        assert dispatch.dispatch(kind) is not dispatch.dispatch(object), f"{kind.__name__} is not inked"


def test_a_kind_that_is_forgotten_is_refused(found_job: Job) -> None:
    class Forgotten:
        pass

    scene = Scene(found_job.found, found_job.found, found_job.found)
    with pytest.raises(TypeError, match="no words"):
        words(Forgotten(), scene)
    with pytest.raises(Exception, match="does not know how to do"):
        do(Forgotten(), None, found_job.found, found_job.found)
    with pytest.raises(NotImplementedError):
        StepBase.apply(Delete("D1"), found_job.found)


@pytest.mark.parametrize("subject", get_args(Subject))
def test_every_confirmation_has_words(found_job: Job, subject: str) -> None:
    assert words(kinds.Confirm(subject), Scene(found_job.found, found_job.found, found_job.found)).minutes > 0


@pytest.mark.parametrize("what", get_args(Preparation))
def test_every_preparation_has_words(found_job: Job, what: str) -> None:
    made = words(kinds.Prepare("S1", what), Scene(found_job.found, found_job.found, found_job.found))
    assert made.values
    assert made.about[0].startswith("S1: partition 3 of disk A")


def test_every_file_system_that_can_be_made_has_all_that_making_needs() -> None:
    assert list(KINDS) == sorted(KINDS, key=lambda one: KINDS[one].rank)
    for key in makeable():
        kind, bench = KINDS[key], TOOLS[key]
        assert kind.probe or key.startswith(("fat1", "ext3", "ext2"))
        assert all((kind.identity, kind.make_lines, kind.make_tools, kind.smallest)), key
        assert bench.make, key
        assert bool(kind.label_lines) == bool(bench.label), key
        assert bool(kind.renewable) == bool(bench.renew), key
        assert bool(kind.hidden_at) == bool(bench.boot_copies), key
    assert {key for key, one in KINDS.items() if one.resized} >= {key for key, one in TOOLS.items() if one.resize}


def test_every_aim_and_mishap_is_a_value_that_a_document_can_hold() -> None:
    import msgspec

    for aim in every_aim():
        made = aim()
        assert msgspec.json.decode(msgspec.json.encode(made), type=aim) == made
        for question in made.questions(Machine(Firmware("uefi", "on"))):
            assert question.kind != "choice" or question.usual in {one.value for one in question.answers}
            assert question.why
    two = Machine(disks=(Disk("A", GIB), Disk("B", GIB)))
    for mishap in (*STANDING, *mishaps(two)):
        assert msgspec.json.decode(msgspec.json.encode(mishap), type=type(mishap)) == mishap


def test_needs_are_what_the_plan_makes(found_job: Job) -> None:
    aim = Beside(size_bytes=140 * GIB, esp="own", home="apart")
    made = [step.role for step in with_aim(found_job, aim).steps if isinstance(step, Create)]
    assert [need.role for need in aim.needs(found_job.found)] == made
    assert exactly(found_job, Delete("R1")).steps[0].id == "h1"
