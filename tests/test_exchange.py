"""Job files, captured text, the sheet and the script."""

from __future__ import annotations

import json
import os
import stat
import subprocess
from html.parser import HTMLParser
from pathlib import Path

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.bench import demo, tools
from inkshelf.bench.handover import Written
from inkshelf.bench.intake import take_in
from inkshelf.bench.tablewriter import write_table
from inkshelf.core.aims.beside import Beside
from inkshelf.core.errors import CaptureError, InkshelfError, JobError, PlanError
from inkshelf.core.plan import document
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job, Override, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GIB
from inkshelf.core.steps.identity import Tick
from inkshelf.core.steps.kinds import Create, Retype, Shrink
from inkshelf.core.value import replace
from inkshelf.exchange import captures, render
from inkshelf.exchange.script import script
from inkshelf.store import jobfile
from strategies import aims


# -- the job file ------------------------------------------------------------------------------------------------------
@given(aims)
def test_a_job_comes_back_equal_and_keeps_to_its_schema(found_job: Job, aim: Beside) -> None:
    job = replace(with_aim(found_job, aim), overrides=(Override("x", "because"),), ticked=(Tick("a1.x", "0"),))
    raw = document.dump(job)
    assert document.load(raw) == job
    jsonschema.validate(json.loads(raw), document.schema())


def test_the_published_schema_is_the_one_in_use() -> None:
    assert jobfile.published_schema() == json.loads(json.dumps(document.schema()))
    assert jobfile.published_schema() == json.loads(Path("docs/job.schema.json").read_text())


@pytest.mark.parametrize(
    ("raw", "says"),
    [
        (b"", "not JSON"),
        (b"\xff\xfe", "not JSON"),
        (b"[1]", "not an Ink Shelf job"),
        (b'{"format": "other"}', "not an Ink Shelf job"),
        (b'{"format": "inkshelf-job"}', "version"),
        (b'{"format": "inkshelf-job", "version": true}', "version"),
        (b'{"format": "inkshelf-job", "version": 99}', "later Ink Shelf"),
        (b'{"format": "inkshelf-job", "version": 1, "job": {"steps": 3}}', "damaged"),
        (b'{"format": "inkshelf-job", "version": 2, "job": {"steps": 3}}', "damaged at job.steps"),
        (b'{"format": "inkshelf-job", "version": 2, "job": {}, "more": 1}', "unknown field `more`"),
        (b"[" * 100_000, "not JSON"),
    ],
)
def test_what_is_no_job_says_why(raw: bytes, says: str) -> None:
    with pytest.raises(JobError, match=says) as caught:
        document.load(raw)
    assert caught.value.remedy


@given(st.binary(max_size=400))
def test_any_bytes_give_a_job_or_the_documented_error(raw: bytes) -> None:
    try:
        document.load(raw)
    except JobError as error:
        assert error.what


def test_saving_replaces_whole_files_only(job: Job, tmp_path: Path) -> None:
    path = tmp_path / "job.json"
    jobfile.save(job, path)
    first = path.read_bytes()
    with pytest.raises(JobError, match="cannot be written"):
        jobfile.save(job, tmp_path / "nowhere" / "job.json")
    with pytest.raises(JobError):
        jobfile.save(job, path / "below-a-file.json")
    assert path.read_bytes() == first
    assert list(tmp_path.iterdir()) == [path], "no half-written file is left"
    with pytest.raises(JobError, match="not there"):
        jobfile.load(tmp_path / "gone.json")
    with pytest.raises(JobError, match="folder"):
        jobfile.load(tmp_path)


# -- captured text -----------------------------------------------------------------------------------------------------
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


# -- the sheet ---------------------------------------------------------------------------------------------------------
class Reader(HTMLParser):
    """Collects text, and every address that a page would fetch."""

    def __init__(self) -> None:
        super().__init__()
        self.text, self.fetched, self.depth = "", [], []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.fetched += [value for name, value in attrs if name in {"src", "href"}]
        if tag not in {"meta", "br", "link", "img"}:
            self.depth.append(tag)

    def handle_endtag(self, tag: str) -> None:
        assert self.depth.pop() == tag

    def handle_data(self, data: str) -> None:
        self.text += data


def test_the_sheet_holds_every_step_and_fetches_nothing(job: Job) -> None:
    reading = read(replace(job, title="<desk & lamp>"))
    page = Reader()
    page.feed(render.html(reading))
    assert page.fetched == []
    assert page.depth == []
    assert "<desk & lamp>" in page.text
    markdown = render.markdown(reading)
    made = sheet(reading)
    for row in made.rows:
        assert row.words.title in page.text
        assert f"**{row.number}. {row.words.title}**" in markdown
        for _, value in row.words.values:
            assert value in page.text
            assert value in markdown
    assert page.text.count("Point of no return") == markdown.count("POINT OF NO RETURN") == 1
    assert "143360" in page.text
    assert "WN08-8831-C" in page.text


def test_the_sheet_knows_what_stops_and_what_is_put_back(job: Job) -> None:
    made = sheet(read(job))
    line = next(row.number for row in made.rows if row.no_return)
    assert isinstance(job.steps[line - 1], Shrink)
    assert made.put_back == (
        "type of B1 (step " + str(max(number for number, step in enumerate(job.steps, 1) if isinstance(step, Retype))) + ")",
    )
    assert made.minutes > sum(row.minutes for row in made.rows)
    assert all(row.starts for row in made.rows)
    stopped = render.markdown(
        read(replace(job, found=replace(job.found, conditions=replace(job.found.conditions, backup="none"))))
    )
    assert "## Stops" in stopped
    assert "No back-up" in stopped


# -- the script --------------------------------------------------------------------------------------------------------
STUB = """#!/bin/sh
case "$*" in *SIZE*) echo "$FAKE_SIZE";; *MODEL*) echo "$FAKE_MODEL";; *SERIAL*) echo "$FAKE_SERIAL";; *MOUNTPOINT*) echo "$FAKE_MOUNT";; esac
"""


@pytest.fixture
def workplace(job: Job, tmp_path: Path) -> Path:
    """A folder with the script, stand-ins for what asks or formats devices, and an image shrunk as the sheet says."""
    binaries = tmp_path / "bin"
    binaries.mkdir()
    for name, text in (("lsblk", STUB), ("mkfs.ext4", "#!/bin/sh\n"), ("mkfs.fat", "#!/bin/sh\n"), ("mkswap", "#!/bin/sh\n")):
        (binaries / name).write_text(text)
        (binaries / name).chmod(0o755)
    (tmp_path / "script.sh").write_text(script(read(job)))
    reading = read(job)
    shrunk = next(number for number, step in enumerate(job.steps, 1) if isinstance(step, Shrink))
    fd = os.open(tmp_path / "disk.img", os.O_RDWR | os.O_CREAT)
    os.ftruncate(fd, job.found.disks[0].size)
    write_table(fd, reading.plan.found.disks[0], reading.plan.machines[shrunk].disks[0], Written())
    os.close(fd)
    return tmp_path


def run_script(folder: Path, typed: str = "WN08-8831-C", **facts: str) -> subprocess.CompletedProcess[str]:
    said = {"FAKE_SIZE": str(demo.DISK_BYTES), "FAKE_MODEL": demo.MODEL, "FAKE_SERIAL": demo.SERIAL, "FAKE_MOUNT": "", **facts}
    environment = {**os.environ, **said, "PATH": f"{folder / 'bin'}:{os.environ['PATH']}:/usr/sbin:/sbin"}
    return subprocess.run(
        ["bash", "script.sh", "disk.img"],
        cwd=folder,
        env=environment,
        input=typed + "\n",
        capture_output=True,
        text=True,
        check=False,
    )


@pytest.mark.parametrize(
    ("facts", "says"),
    [
        ({"FAKE_SIZE": "512110190593"}, "bytes"),
        ({"FAKE_MODEL": "Wren NV-513"}, "model"),
        ({"FAKE_SERIAL": "WN08-8831-D"}, "serial"),
        ({"FAKE_MOUNT": "/mnt"}, "mounted"),
        ({"typed": "yes"}, "serial typed"),
    ],
)
def test_the_script_refuses_another_disk(workplace: Path, facts: dict[str, str], says: str) -> None:
    before = (workplace / "disk.img").stat().st_mtime_ns
    done = run_script(workplace, **facts)
    assert done.returncode == 1
    assert "Refused" in done.stderr
    assert says in done.stderr
    assert (workplace / "disk.img").stat().st_mtime_ns == before


def test_the_script_makes_the_table_that_was_planned(workplace: Path, job: Job) -> None:
    done = run_script(workplace)
    assert done.returncode == 0, done.stderr
    seen = json.loads(tools.run("sfdisk", "--json", workplace / "disk.img").output)["partitiontable"]["partitions"]
    rows = {
        int(one["node"].rsplit("img", 1)[1]): (one["start"] * 512, one["size"] * 512, one["uuid"], one["type"]) for one in seen
    }
    hidden = next(step.type_id for step in job.steps if isinstance(step, Retype))
    planned = {
        one.number: (one.start, one.size, one.guid, hidden if one.call == "B1" else one.type_id)
        for _, one in read(job).plan.planned.volumes()
    }
    assert rows == planned
    assert list(workplace.glob("table-before-*.dump"))
    assert run_script(workplace).returncode == 1, "a second run finds the numbers taken"


def test_the_script_refuses_a_disk_that_was_not_shrunk_yet(workplace: Path, job: Job) -> None:
    fd = os.open(workplace / "disk.img", os.O_RDWR)
    write_table(fd, job.found.disks[0], job.found.disks[0], Written())
    os.close(fd)
    done = run_script(workplace)
    assert done.returncode == 1
    assert "S1 (partition 3, SYSTEM) is not where the plan expects it" in done.stderr


def test_the_script_is_sound_shell_and_is_not_executable(workplace: Path) -> None:
    assert subprocess.run(["bash", "-n", str(workplace / "script.sh")], check=False).returncode == 0
    assert not (workplace / "script.sh").stat().st_mode & stat.S_IXUSR


def test_a_plan_without_partition_steps_has_no_script(found_job: Job) -> None:
    with pytest.raises(PlanError, match="no partition steps"):
        script(read(found_job))


def test_the_script_leaves_to_the_sheet_what_it_cannot_do(job: Job) -> None:
    changed = change(job, "delete", "R1")
    with pytest.raises(PlanError, match="Work by the sheet"):
        script(read(changed))
    assert "Remove R1" in render.markdown(read(changed))


def test_every_step_of_the_script_stands_on_the_sheet(job: Job) -> None:
    text = script(read(job))
    for number, step in enumerate(job.steps, 1):
        if isinstance(step, Create | Retype):
            assert f"step {number}" in text


def test_shapes_hold_exact_integers(job: Job) -> None:
    from inkshelf.core.checks import findings
    from inkshelf.exchange import shapes

    reading = read(with_aim(job, Beside(size_bytes=100 * GIB)))
    document = json.loads(json.dumps(shapes.plan(reading, findings(reading))))
    disk = document["planned"]["disks"][0]
    assert sum(one["size_bytes"] for one in document["ledger"]["stretches"]) == disk["size_bytes"] == demo.DISK_BYTES
    assert document["shrink"] == [
        {"call": "S1", "from_bytes": 489894707200, "to_bytes": 489894707200 - 100 * GIB, "type_mib": 102400}
    ]


@pytest.mark.parametrize(
    ("kind", "lines"),
    [
        ("ntfs", ["mkfs.ntfs -Q -q -s 512", "ntfslabel --new-serial="]),
        ("exfat", ["mkfs.exfat -c 32768", "draws the serial itself"]),
        ("xfs", ["mkfs.xfs -q -m uuid="]),
        ("f2fs", ["mkfs.f2fs -q -w 512 -U"]),
        ("luks", ["cryptsetup luksFormat --type luks2 --uuid", "passphrase"]),
        ("lvm", ["pvcreate --uuid", "vgcreate ink", "lvcreate -n root -L 536870912b ink"]),
        ("btrfs", ["mkfs.btrfs -q -U", 'btrfs subvolume create "$MOUNTED"/@home', 'umount "$MOUNTED"']),
    ],
)
def test_the_script_makes_every_kind(found_job: Job, tmp_path: Path, kind: str, lines: list[str]) -> None:
    job = change(found_job, "create", "A", size="2GiB")
    words = {"subvolumes": "@,@home"} if kind == "btrfs" else {}
    job = change(job, "format", "D1", fs=kind, label="ink", **words)
    if kind == "lvm":
        job = change(job, "create", "D1", label="root", size="512MiB")
    made = script(read(job))
    at = [made.index(one) for one in lines]
    assert at == sorted(at)
    assert "mkswap" not in made
    path = tmp_path / "script.sh"
    path.write_text(made)
    subprocess.run(["bash", "-n", str(path)], check=True)
