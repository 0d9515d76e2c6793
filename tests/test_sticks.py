"""Sticks: told apart, measured, tried; every aim about them planned, inked, read back, cut, added to."""

from __future__ import annotations

import errno
import json
import random
import subprocess
from pathlib import Path
from typing import Any

import pytest

import isos
import machines
from disks import answered
from inkshelf.bench import sticks
from inkshelf.bench.filling import writing
from inkshelf.bench.filling.reading import in_fat
from inkshelf.bench.image import ImageFile
from inkshelf.bench.inker import Report, ink, resume
from inkshelf.bench.intake import with_stick
from inkshelf.bench.recipes import wanting
from inkshelf.cli import run
from inkshelf.core.aims import every_aim, kind_of_aim
from inkshelf.core.aims.keeping import days
from inkshelf.core.aims.many import ManyImages
from inkshelf.core.aims.sticks import known_images, safe_name
from inkshelf.core.checks import findings
from inkshelf.core.disk.source import Slice
from inkshelf.core.errors import BenchError, PlanError
from inkshelf.core.media.copying import keeping, listed, split
from inkshelf.core.media.material import Image, keeps
from inkshelf.core.media.speed import good_for
from inkshelf.core.media.times import passes
from inkshelf.core.plan.job import Job, and_aim, changed_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.candidates import worked_out
from inkshelf.core.sheet.media import media
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.kinds import CopyFiles, PutImage, TakeOff
from inkshelf.core.value import replace
from inkshelf.exchange.render import markdown
from inkshelf.store import jobfile
from stick_jobs import MOUNTS, StickJobs, images_in, stick_job, wanted

JOBS, BATCHES = 24, 2


@pytest.fixture(scope="module")
def images(tmp_path_factory: pytest.TempPathFactory) -> tuple[Image, ...]:
    return images_in(tmp_path_factory.mktemp("images"))


@pytest.fixture
def job(tmp_path: Path) -> Job:
    return stick_job(tmp_path / "sticks", (900 * MIB,))


def inked(job: Job, folder: Path) -> Report:
    report = ink(answered(job), folder / "bench")
    assert [one for one in report.checks if not one.ok] == []
    return report


WISHES: list[tuple[str, int, dict[str, object]]] = [
    ("stick", 1, {}),
    ("stick", 1, {"way": "files"}),
    ("stick", 1, {"way": "files", "table": "mbr"}),
    ("stick", 0, {"way": "data"}),
    ("many", 5, {}),
    ("many", 3, {"filesystem": "exfat"}),
    ("keep", 1, {}),
    ("keep", 1, {"where": "file", "kept_bytes": 600 * MIB}),
    ("keep", 1, {"way": "raw"}),
    ("two-part", 1, {"large": ("live",)}),
    ("two-part", 1, {"large": ("live", "boot"), "filesystem": "exfat"}),
    ("two-part", 1, {"large": ("live", ""), "filesystem": "ext4"}),
    ("installer-set", 3, {}),
    *([("stick", 1, {"way": "bridge"}), ("two-part", 1, {"large": ("live",), "filesystem": "ntfs"})] if MOUNTS else []),
]


@pytest.mark.parametrize(("kind", "count", "said"), WISHES)
def test_every_kind_of_stick_is_made_and_read_back(
    job: Job, images: tuple[Image, ...], tmp_path: Path, kind: str, count: int, said: dict[str, object]
) -> None:
    done = wanted(job, kind, images[:count], **said)
    report = inked(done, tmp_path)
    assert report.verified
    by_hash = [one.detail for one in report.checks if "read back by hash" in one.detail or "and the same" in one.detail]
    copies = sum(isinstance(one, CopyFiles | PutImage) for one in done.steps)
    assert len(by_hash) >= max(copies, count and 1)
    made = sheet(read(done))
    stages = {row.words.stage for row in made.rows}
    assert {"Medium"} <= stages
    assert "Material" in stages or not count
    assert all(
        "on a live system" not in row.words.where for row in made.rows if row.words.commands and row.words.stage == "Medium"
    )
    assert markdown(read(done))


@pytest.fixture(scope="module")
def stick_jobs(tmp_path_factory: pytest.TempPathFactory) -> StickJobs:
    return StickJobs(tmp_path_factory.mktemp("stickjobs"))


@pytest.mark.parametrize("batch", range(BATCHES))
def test_generated_sticks_are_made_after_cuts_at_random_writes(stick_jobs: StickJobs, batch: int) -> None:
    cuts = 0
    for seed in range(batch * JOBS // BATCHES, (batch + 1) * JOBS // BATCHES):
        done, made = stick_jobs.run(seed)
        cuts += made
        if done is not None:
            assert [one for one in done.report.checks if not one.ok] == [], f"seed {seed}"
    assert cuts


def test_adding_never_erases_and_the_oldest_is_replaced(job: Job, images: tuple[Image, ...], tmp_path: Path) -> None:
    first = inked(wanted(job, "many", images[:3]), tmp_path / "one")
    stick = Path(first.images[0])
    one = sticks.Simulated("stick-0", stick.stat().st_size, "Testling", "T-0")
    again = with_stick(replace(job, aims=(), steps=()), sticks.as_disk(one, stick, None, failing=False), stick)
    (large,) = [one for one in again.found.disks[0].volumes if one.images]
    assert [one.path for one in large.images] == [safe_name(one) for one in images[:3]], "the oldest first"
    more = wanted(again, "many", images[2:4], leave=(images[2].name,), off=(large.images[0].path,))
    assert not [step for step in more.steps if step.kind in {"new-table", "format", "create"}], "nothing is erased"
    assert sum(isinstance(step, TakeOff) for step in more.steps) == 1
    report = inked(more, tmp_path / "two")
    menu = next(step for step in more.steps if step.kind == "make-menu")
    assert images[0].name.split(".")[0] not in " ".join(menu.lines)  # type: ignore[attr-defined]
    (after,) = [one for disk in report.machine.disks for one in disk.volumes if one.images]
    assert [one.path for one in after.images] == [*(safe_name(one) for one in images[1:3]), safe_name(images[3])]


def test_what_does_not_fit_is_left_out_by_best_use_and_says_what_it_lacks(job: Job) -> None:
    told = known_images("heron=300MiB,uefi,signed\nalder=250MiB,uefi\nquill=350MiB,uefi,legacy\ntern=2GiB,uefi")
    aim = ManyImages(images=told)
    packed = aim.packed(job.found).packing
    assert {name for name, _ in packed.put} == {"heron", "alder"} or len(packed.put) == 2
    assert dict(packed.left)["tern"].startswith("it lacks")
    assert packed.proven
    planned = wanted(job, "many", told)
    assert sum(isinstance(one, PutImage) for one in planned.steps) == len(packed.put)
    with pytest.raises(BenchError, match="not here as a file yet"):
        ink(answered(planned), Path(job.sources[0].path).parent / "bench")


@pytest.mark.parametrize(
    ("text", "fault"),
    [
        ("heron=4GiB,signd", "nothing that can be told"),
        ("heron=4GiB,largest=5GiB", "larger than the image"),
        ("heron=1GiB\nHERON=2GiB", "Two images"),
        ("/nowhere/at/all.iso", "not there"),
    ],
)
def test_what_is_told_of_an_image_is_checked(job: Job, text: str, fault: str) -> None:
    with pytest.raises(Exception, match=fault):
        known_images(text)


def test_an_image_that_was_told_is_replaced_by_its_file(job: Job, images: tuple[Image, ...], tmp_path: Path) -> None:
    told = wanted(job, "stick", known_images("heron=11MB,uefi,signed,hybrid"))
    filed = changed_aim(told, replace(told.aims[0], images=images[:1]))
    assert not filed.plan_fault
    inked(filed, tmp_path)


def test_a_stick_is_measured_and_tried_without_a_byte_lost(tmp_path: Path) -> None:
    for one in sticks.DEMO:
        small = replace(one, size=one.size // 512 * 512)
        (path,) = sticks.make(tmp_path / one.name, (small,))
        marks = {0: b"the first", 3 * GIB: b"further on", one.size - 4096: b"the last"}
        with path.open("r+b") as out:
            for at, data in marks.items():
                out.seek(at if at < (one.real_size or one.size) else 5 * MIB)
                out.write(data)
        before = _digest(path)
        facts, failing = sticks.tried(small, path)
        assert _digest(path) == before, "what was on it is on it"
        assert failing == bool(one.dies_after)
        if failing:
            continue
        with sticks.Device(small, path) as device:
            fast = min(one.writes, 40_000_000 if one.port == "usb2" else one.writes)
            device.passed(10**8)
            assert abs(10**8 / device.seconds - fast) < fast / 100 or one.slow
        assert facts.writes == pytest.approx(fast, rel=0.01)
        assert facts.small == pytest.approx(one.small, rel=0.01)
        assert bool(facts.slow) == bool(one.slow)
        assert not one.slow or facts.slows_after == one.slows_after
        assert (facts.real_size < one.size) == bool(one.real_size)
        assert facts.real_size == (one.real_size or one.size)
        assert sum(path.stat().st_blocks for path in (tmp_path / one.name).glob("*.img")) * 512 < 4 * MIB, "still sparse"


def _digest(path: Path) -> str:
    from inkshelf.bench.hashing import digest

    with ImageFile(path) as source:
        return digest(source, 0, source.size)


def test_speed_decides_what_a_stick_is_good_for(tmp_path: Path) -> None:
    said = {}
    for one in sticks.DEMO:
        (path,) = sticks.make(tmp_path, (one,))
        facts, failing = sticks.tried(one, path)
        said[one.name] = good_for(sticks.as_disk(one, path, facts, failing=failing))
    assert said["dunlin-s1"].startswith("good for a whole system")
    assert said["tern-04"].startswith("good for keeping")
    assert said["plover-9"].startswith("good for images and a live system only")
    assert "less than it says" in said["sanderling"]
    assert "errors" in said["old-knot"]


def test_time_is_two_passes_at_what_port_and_stick_allow(job: Job) -> None:
    disk = job.found.disks[0]
    assert disk.stick is not None
    usual = passes(disk, 4 * 10**9)
    assert (usual.write, usual.measured) == (100.0, True)
    port = replace(disk, stick=replace(disk.stick, port="usb2", writes=300_000_000))
    assert passes(port, 4 * 10**9).write == 100.0, "the port is a ceiling"
    slows = replace(disk, stick=replace(disk.stick, slows_after=10**9, slow=10_000_000))
    assert passes(slows, 4 * 10**9).write == 25 + 300
    assert not passes(replace(disk, stick=None), 10**9).measured


def test_a_stick_that_lies_a_fixed_disk_and_a_broken_image_are_refused(job: Job, images: tuple[Image, ...]) -> None:
    disk = job.found.disks[0]
    assert disk.stick is not None
    for changed, why in (
        (replace(disk, stick=replace(disk.stick, real_size=disk.size // 2)), "and holds"),
        (replace(disk, removable=False, stick=None), "fixed in its machine"),
    ):
        other = replace(job, found=replace(job.found, disks=(changed,)))
        assert why in and_aim(other, replace(kind_of_aim("stick")(), images=images[:1])).plan_fault
    for broken in (replace(images[0], expected=images[0].size + 1), replace(images[0], checked="differs")):
        assert and_aim(job, replace(kind_of_aim("stick")(), images=(broken,))).plan_fault
    assert "too small" in and_aim(job, replace(kind_of_aim("stick")(), images=known_images("a=2GiB,uefi"))).plan_fault


def test_an_image_that_changed_since_it_was_looked_into_is_not_written(
    job: Job, images: tuple[Image, ...], tmp_path: Path
) -> None:
    copy = tmp_path / "copy.iso"
    copy.write_bytes(Path(images[0].path).read_bytes())
    planned = wanted(job, "stick", known_images(str(copy)))
    with copy.open("r+b") as out:
        out.truncate(copy.stat().st_size - 2048 * 40)
    with pytest.raises(BenchError, match="has changed"):
        ink(answered(planned), tmp_path / "bench")


def test_the_way_follows_the_machine_and_may_be_overruled(job: Job, images: tuple[Image, ...]) -> None:
    heron, _, _, unsigned, _ = images
    secure = replace(job, found=replace(job.found, firmware=replace(job.found.firmware, secure_boot="on")))
    assert [step.kind for step in wanted(secure, "stick", (heron,)).steps][2] == "write-image"
    assert "no signature" in and_aim(secure, replace(kind_of_aim("stick")(), images=(unsigned,))).plan_fault
    assert wanted(secure, "stick", (unsigned,), way="files").steps, "overruled: it is made, and a finding says what happens"
    legacy = replace(job, found=replace(job.found, firmware=replace(job.found.firmware, mode="legacy")))
    files = wanted(legacy, "stick", (heron,), way="files")
    assert read(files).plan.planned.disks[0].table.kind == "mbr"
    assert read(files).plan.planned.disks[0].volumes[0].type_id == "0x0C"


def test_a_menu_starts_each_family_by_its_own_option_and_names_what_cannot(job: Job, images: tuple[Image, ...]) -> None:
    menu = next(step for step in wanted(job, "many", images).steps if step.kind == "make-menu")
    text = "\n".join(menu.lines)  # type: ignore[attr-defined]
    assert "findiso=/heron.iso" in text
    assert "iso-scan/filename=/Ember_Rescue__2_.iso" in text
    assert text.count("menuentry") == 5
    nt = replace(images[0], name="nt.iso", live=None, install=("/sources/install.wim", 0, 5))
    named = next(step for step in wanted(job, "many", (nt,)).steps if step.kind == "make-menu")
    assert any(line.startswith("# nt: not started from here") for line in named.lines)  # type: ignore[attr-defined]


def test_a_keeping_stick_says_so_where_its_kernel_is_loaded_and_nowhere_else(images: tuple[Image, ...]) -> None:
    text = isos.MENU.encode()
    changed = keeping(text, "live")
    assert changed.count(b" persistence") == 1
    assert b"linux /live/vmlinuz boot=live root=live:CDLABEL=MEADOW_4 quiet persistence\n" in changed
    assert keeping(changed, "live") == changed
    assert keeping(text, "dracut") == text
    assert keeping(text, "") == text
    assert [keeps(one.live) for one in images] == [True] * 5
    assert days(500 * MIB) == 0
    assert days(2000 * MIB) == 10


def test_a_payload_is_parted_so_that_its_own_library_joins_it(tmp_path: Path) -> None:
    dice, tree = random.Random(3), tmp_path / "tree"
    tree.mkdir()
    for number in range(24):
        (tree / f"f{number}").write_bytes(dice.randbytes(dice.randrange(1, 300_000)))
    whole = tmp_path / "disc/sources/install.wim"
    whole.parent.mkdir(parents=True)
    subprocess.run(["wimlib-imagex", "capture", tree, whole, "--boot", "--compress=XPRESS"], check=True, capture_output=True)
    subprocess.run(["wimlib-imagex", "append", tree, whole, "second"], check=True, capture_output=True)
    subprocess.run(["genisoimage", "-quiet", "-udf", "-J", "-o", tmp_path / "x.iso", tmp_path / "disc"], check=True)
    with ImageFile(tmp_path / "x.iso") as source:
        (entry,) = listed(source)
        made = list(split(source, entry, 1_200_000))
        for one in made:
            raw = b"".join(piece if isinstance(piece, bytes) else source.read(*piece) for piece in one.pieces)
            assert len(raw) == one.size <= 1_200_000
            (tmp_path / one.path.rsplit("/", 1)[-1]).write_bytes(raw)
        with pytest.raises(Exception, match="larger than a part"):
            list(split(source, entry, 100_000))
    assert [one.path.rsplit("/", 1)[-1] for one in made][:2] == ["install.swm", "install2.swm"]
    refer = f"--ref={tmp_path}/install*.swm"
    subprocess.run(["wimlib-imagex", "verify", tmp_path / "install.swm", refer], check=True, capture_output=True)
    subprocess.run(
        ["wimlib-imagex", "apply", tmp_path / "install.swm", "2", tmp_path / "out", refer], check=True, capture_output=True
    )
    assert {one.name: one.read_bytes() for one in (tmp_path / "out").iterdir()} == {
        one.name: one.read_bytes() for one in tree.iterdir()
    }


def test_a_payload_in_one_packed_piece_is_not_parted(tmp_path: Path) -> None:
    (tmp_path / "tree").mkdir()
    (tmp_path / "tree/f").write_bytes(random.Random(1).randbytes(400_000))
    (tmp_path / "disc/sources").mkdir(parents=True)
    subprocess.run(
        ["wimlib-imagex", "capture", tmp_path / "tree", tmp_path / "disc/sources/install.esd", "--solid"],
        check=True,
        capture_output=True,
    )
    subprocess.run(["genisoimage", "-quiet", "-udf", "-J", "-o", tmp_path / "x.iso", tmp_path / "disc"], check=True)
    with ImageFile(tmp_path / "x.iso") as source:
        (entry,) = listed(source)
        with pytest.raises(Exception, match="packed as one"):
            list(split(source, entry, 200_000))


def test_sticks_on_the_command_line(tmp_path: Path, images: tuple[Image, ...], capsys: pytest.CaptureFixture[str]) -> None:
    folder, path = tmp_path / "sticks", tmp_path / "job.json"
    assert run(["sticks", "--folder", str(folder), "--make", "--json"]) == 0
    assert {one["name"] for one in json.loads(capsys.readouterr().out)["simulated"]} == {one.name for one in sticks.DEMO}
    new = ["new", "-o", str(path), "--firmware", "uefi", "--secure-boot", "on", "--stick", "tern-04", "--sticks", str(folder)]
    assert run(new) == 0
    assert run(["sticks", str(path), "--folder", str(folder), "--take", "tern-19"]) == 0
    assert "LOOK ALIKE: M (serial 7731-04) and N (serial 7731-19)" in capsys.readouterr().out
    command = ["aim", str(path), "many", "--disk", "M"]
    assert run([*command, *(word for one in images[:3] for word in ("--image", one.path)), "--image", "tern=40GiB,uefi"]) == 0
    capsys.readouterr()
    assert run(["plan", str(path), "--json"]) == 1, "two sticks look alike"
    shown = json.loads(capsys.readouterr().out)
    assert any(one["key"].startswith("stick.alike") for one in shown["findings"])
    assert run(["sticks", str(path), "--folder", str(folder), "--unplug", "N"]) == 0
    capsys.readouterr()
    assert run(["plan", str(path), "--json"]) == 0
    media = json.loads(capsys.readouterr().out)["media"]
    (stick,) = media
    assert [one["name"] for one in stick["images"] if one["fits"]] == [one.name for one in images[:3]]
    lacking = next(one for one in stick["images"] if one["name"] == "tern")
    assert not lacking["fits"]
    assert "lacks" in lacking["why"]
    assert stick["free_bytes"] > stick["largest_next_bytes"] > 20 * GIB or stick["free_bytes"] == stick["largest_next_bytes"]
    assert stick["start"]["call"].startswith("B")
    assert stick["seconds"]["write"] > 0
    assert run(["sticks", "--take", "tern-04"]) == 2
    assert run(["sticks", str(path), "--folder", str(folder), "--take", "turn-04"]) == 2
    assert "tern-04" in capsys.readouterr().err
    assert jobfile.load(path).aims


def test_every_aim_about_sticks_says_what_it_lacks_where_there_is_none(found_job: Job) -> None:
    for kind in every_aim():
        if hasattr(kind(), "images") and hasattr(kind(), "disk"):
            assert "is no stick" in and_aim(found_job, kind(disk="A", images=known_images("a=1GiB,uefi"))).plan_fault  # type: ignore[call-arg]
    with pytest.raises(PlanError):
        ManyImages(disk="M").packed(found_job.found)


def test_the_image_that_was_written_is_the_image_in_the_reader_of_the_stick(
    job: Job, images: tuple[Image, ...], tmp_path: Path
) -> None:
    """What was copied is found by another program's own listing, too."""
    report = inked(wanted(job, "stick", images[1:2], way="files"), tmp_path)
    (volume,) = report.machine.disks[0].volumes
    out = subprocess.run(
        ["mdir", "-/", "-b", "-i", f"{report.images[0]}@@{volume.start}", "::/"], capture_output=True, text=True, check=True
    ).stdout
    with ImageFile(Path(report.images[0])) as image:
        ours = {f"{one.path}/" if one.folder else one.path for one in in_fat(Slice(image, volume.start, volume.size))}
    assert {line.removeprefix("::") for line in out.splitlines()} == ours
    assert "/empty/" in ours


def test_a_file_for_changes_is_gone_on_with_where_its_records_were_written_already(
    job: Job, images: tuple[Image, ...], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """To make the file anew took the records away that the work goes on from: the stick was then said to be too small."""
    planned, really, fills = answered(wanted(job, "keep", images[:1], where="file", kept_bytes=600 * MIB)), writing.fill, []

    def then_dark(*given: Any) -> None:
        really(*given)
        fills.append(given)
        if len(fills) == 2:
            raise OSError(errno.EIO, "no power")

    monkeypatch.setattr(writing, "fill", then_dark)
    with pytest.raises(BenchError, match=r"no power|failed"):
        ink(planned, tmp_path / "bench")
    monkeypatch.undo()
    assert resume(tmp_path / "bench").verified


def test_a_stick_that_is_made_twice_is_said_and_holds_what_came_last(
    job: Job, images: tuple[Image, ...], tmp_path: Path
) -> None:
    once = wanted(job, "stick", images[:1], way="raw")
    twice = wanted(once, "many", images[1:3])
    assert not [one for one in findings(read(once)) if one.key.startswith("stick.twice")]
    (said,) = [one for one in findings(read(twice)) if one.key.startswith("stick.twice")]
    assert (said.key, said.severity) == ("stick.twice.M", "warn")
    report = inked(twice, tmp_path)
    assert not any("byte by byte" in one.what for one in report.checks), "the first one is not there any more"
    assert sum(images[at].name in one.what for one in report.checks for at in (1, 2)) >= 2


def test_no_way_to_do_it_leaves_an_image_behind(tmp_path: Path, images: tuple[Image, ...]) -> None:
    job = stick_job(tmp_path, (900 * MIB, 340 * MIB))
    made = wanted(job, "many", known_images("heron=300MiB,uefi\nalder=250MiB,uefi"))
    ways = tuple(worked_out(made))
    assert len(ways) > 1
    for one in ways:
        assert {name.name for plan in media(read(one.job)) for name in plan.images if name.fits} == {"heron", "alder"}
    assert all("data" not in one.key for one in worked_out(wanted(job, "stick", images[:1])))


def test_the_printed_commands_write_what_the_bench_wrote(tmp_path: Path, images: tuple[Image, ...]) -> None:
    """On a sparse file in the place of the device: what was there before at either end is gone."""
    job = stick_job(tmp_path / "sticks", (40 * MIB,))
    path = Path(job.sources[0].path)
    with path.open("r+b") as out:
        out.seek(40 * MIB - 700)
        out.write(b"EFI PART of old")
        out.seek(9 * MIB)
        out.write(b"old bytes" * 500_000)
    job = with_stick(replace(job, aims=(), steps=()), sticks.as_disk(ONE, path, None, failing=False), path)
    made = wanted(replace(job, found=job.found.with_disk(replace(job.found.disk("M"), device=str(path)))), "stick", images[:1])
    report = inked(made, tmp_path)
    row = next(row for row in sheet(read(made)).rows if row.words.title.startswith("Write"))
    subprocess.run(["bash", "-e", "-c", "\n".join(row.words.commands)], check=True, capture_output=True)
    assert _digest(path) == _digest(Path(report.images[0]))


ONE = sticks.Simulated("stick-0", 40 * MIB, "Testling", "T-0")


def test_inking_says_that_it_waits_for_the_flush(job: Job, images: tuple[Image, ...], tmp_path: Path) -> None:
    said: list[str] = []
    ink(answered(wanted(job, "stick", images[:1])), tmp_path / "bench", lambda now: said.append(now.words))
    assert any(one.endswith("waiting for the flush") for one in said)


def test_a_job_that_only_makes_a_stick_speaks_of_nobodys_back_up(tmp_path: Path, images: tuple[Image, ...]) -> None:
    job = machines.one_disk(tmp_path)
    (path,) = sticks.make(tmp_path / "sticks", (replace(ONE, size=900 * MIB),))
    plugged = with_stick(job, sticks.as_disk(replace(ONE, size=900 * MIB), path, None, failing=False), path)
    alone = {one.key for one in findings(read(wanted(plugged, "stick", images[:1])))}
    assert not [one for one in alone if one.startswith(("people.", "disk.removable"))]
    more = wanting(wanted(plugged, "stick", images[:1]), ("beside", {"size": "60GiB"}))
    assert "people.backup" in {one.key for one in findings(read(more))}


@pytest.mark.parametrize("kind", ["stick", "keep"])
def test_an_image_on_a_stick_that_was_full_keeps_what_lies_outside_its_volumes(
    tmp_path: Path, images: tuple[Image, ...], kind: str
) -> None:
    """An old volume took that room before: it is not given back as if nobody needed it."""
    full = stick_job(tmp_path / "sticks", (900 * MIB,), fill=True)
    made = wanted(full, kind, images[:1], way="raw")
    report = inked(made, tmp_path)
    image, stick = Path(images[0].path), Path(report.images[0])
    with image.open("rb") as wanted_file, stick.open("rb") as made_file:
        wanted_file.seek(MIB), made_file.seek(MIB)
        assert wanted_file.read() == made_file.read(image.stat().st_size - MIB)


def test_what_is_wanted_most_goes_on_before_the_rest(job: Job) -> None:
    told = known_images("heron=300MiB,uefi\nalder=250MiB,uefi\nquill=350MiB,uefi\ntern=600MiB,uefi")
    usual = {one.name for plan in media(read(wanted(job, "many", told))) for one in plan.images if one.fits}
    assert "tern" not in usual
    wished = {one.name for plan in media(read(wanted(job, "many", told, most=("tern",)))) for one in plan.images if one.fits}
    assert "tern" in wished
    sets = {
        one.name for plan in media(read(wanted(job, "installer-set", told, most=("quill",)))) for one in plan.images if one.fits
    }
    assert "quill" in sets


def test_an_image_may_be_told_by_its_size_alone() -> None:
    (one,) = known_images("4.2GiB")
    assert (one.name, one.told, one.size) == ("image", True, 4_509_715_660)
    assert [one.name for one in known_images("1GiB\n2GiB,uefi\nheron=3GiB")] == ["image-1", "image-2", "heron"]


def test_a_stick_in_two_parts_says_what_lies_where(job: Job, images: tuple[Image, ...]) -> None:
    (plan,) = media(read(wanted(job, "two-part", images[:1], large=("live",))))
    (one,) = plan.images
    assert dict(one.map)["live"] == "M1"
    assert dict(one.map)["EFI"] == "B1"
    assert dict(one.parts).keys() == {"B1", "M1"}
    assert sum(size for _, size in one.parts) == one.bytes
    assert plan.rate == 40_000_000


@pytest.mark.parametrize("said", [{"large": ("live",)}, {"large": ("live", "boot")}])
def test_the_printed_lines_copy_what_the_map_says_and_compare_it(
    job: Job, images: tuple[Image, ...], tmp_path: Path, said: dict[str, object]
) -> None:
    """With folders in the place of what is mounted: both volumes together hold the image, and both lists are the same."""
    made = wanted(job, "two-part", images[:1], **said)
    rows = [row for row in sheet(read(made)).rows if row.words.title.startswith("Copy the files")]
    whole = tmp_path / "tree"
    subprocess.run(
        ["xorriso", "-osirrox", "on", "-indev", images[0].path, "-extract", "/", whole], check=True, capture_output=True
    )
    (tmp_path / "home").mkdir()
    (tmp_path / "home/opened").symlink_to(whole)
    found: list[str] = []
    for number, row in enumerate(rows):
        target = tmp_path / f"volume-{number}"
        target.mkdir()
        lines = [line for line in row.words.commands if "mount" not in line.split()[0] and "mount -o" not in line]
        lines = [line for line in lines if not line.startswith("MOUNTED=")]
        script = f"set -e -o pipefail; export HOME={tmp_path}/home MOUNTED={target}\n" + "\n".join(lines)
        said_there = subprocess.run(["bash", "-c", script], check=True, capture_output=True, text=True).stdout
        assert len(said_there.splitlines()) == 1, "the comparison prints nothing, the count follows"
        found += [str(one.relative_to(target)) for one in target.rglob("*") if _leaf(one)]
    assert sorted(found) == sorted(str(one.relative_to(whole)) for one in whole.rglob("*") if _leaf(one))
    assert "empty" in found


def _leaf(path: Path) -> bool:
    """A file, or a folder with nothing in it."""
    return path.is_file() or not any(path.iterdir())
