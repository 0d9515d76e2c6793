"""Tables that are repaired, and clones that get an identity of their own: offered beside the finding, inked and read back."""

from __future__ import annotations

from pathlib import Path

import pytest

from disks import make_gpt_disk
from inkshelf.bench.inker import ink
from inkshelf.bench.intake import take_in
from inkshelf.core.checks import apply_remedy, findings
from inkshelf.core.checks.registry import ByHand, Finding
from inkshelf.core.disk.gpt import encode, read_gpt
from inkshelf.core.disk.source import Memory
from inkshelf.core.errors import StepError
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.size import MIB
from inkshelf.core.value import replace

PARTS = [("linux_data", 40 * MIB, ("mkfs.ext4", "-F", "-q", "-L", "one")), ("linux_swap", 8 * MIB, ("mkswap",))]


def offered(job: Job, start: str) -> tuple[Finding, ByHand]:
    finding = next(one for one in findings(read(job)) if one.key.startswith(start))
    return finding, next(one for one in finding.remedies if isinstance(one, ByHand))


def read_back(path: str) -> object:
    return read_gpt(Memory(Path(path).read_bytes()), 512)


@pytest.mark.parametrize(("place", "which"), [(512 + 60, "primary"), (-512 + 60, "backup"), (1024 + 40, "primary")])
def test_a_damaged_copy_is_repaired_from_the_other(tmp_path: Path, place: int, which: str) -> None:
    path = tmp_path / "disk.img"
    make_gpt_disk(path, 64 * MIB, 512, PARTS)
    raw = bytearray(path.read_bytes())
    raw[place] ^= 0x40
    path.write_bytes(raw)
    job = take_in([path], seed="repair")
    finding, remedy = offered(job, "disk.table.")
    assert which in finding.title
    job = apply_remedy(job, remedy)
    assert [step.kind for step in job.steps] == ["repair-table"]
    report = ink(job, tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    seen = read_back(report.images[0])
    assert (seen.primary_ok, seen.backup_ok) == (True, True)
    with pytest.raises(StepError, match="are good"):
        change(take_in([Path(report.images[0])], seed="again"), "repair", "A")


def test_a_grown_disk_gets_its_backup_at_the_end_and_its_room(tmp_path: Path) -> None:
    path = tmp_path / "disk.img"
    make_gpt_disk(path, 64 * MIB, 512, PARTS)
    with path.open("r+b") as out:
        out.truncate(256 * MIB)
    job = take_in([path], seed="grown")
    job = apply_remedy(job, offered(job, "disk.backup.")[1])
    job = change(job, "create", "A", size="150MiB")
    report = ink(job, tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    assert read_back(report.images[0]).backup_lba == 256 * 2048 - 1


def test_a_clone_gets_an_identity_of_its_own(tmp_path: Path) -> None:
    path = tmp_path / "disk.img"
    make_gpt_disk(path, 64 * MIB, 512, PARTS)
    raw = path.read_bytes()
    table = read_gpt(Memory(raw), 512)
    twins = (table.entries[0], replace(table.entries[1], guid=table.entries[0].guid))
    with path.open("r+b") as out:
        for offset, data in encode(replace(table, entries=twins)):
            out.seek(offset)
            out.write(data)
    job = take_in([path], seed="clone")
    finding, remedy = offered(job, "disk.duplicate.")
    assert finding.calls == ("D1", "W1")
    job = apply_remedy(job, remedy)
    report = ink(job, tmp_path / "bench")
    assert [one for one in report.checks if not one.ok] == []
    guids = [one.guid for one in read_back(report.images[0]).entries]
    assert guids[0] == twins[0].guid != guids[1]
    assert report.machine.find("W1")[1].filesystem.uuid == job.steps[-1].uuid
