"""Domain strategies: sizes, tables, aims."""

from __future__ import annotations

import uuid

from hypothesis import settings
from hypothesis import strategies as st

from disks import assemble
from inkshelf.core.aims import AimBase, every_aim
from inkshelf.core.aims.asking import answered
from inkshelf.core.aims.beside import Beside
from inkshelf.core.disk.gpt import GptEntry, GptTable
from inkshelf.core.disk.mbr import MbrEntry, MbrTable
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import Disk, Extended, FileSystem, Machine, SystemRoot, Table, Volume
from inkshelf.core.plan.job import Job, and_aim, left_by
from inkshelf.core.size import GIB, MIB
from inkshelf.core.value import replace

USUAL = 60
"""Examples of a property in `make test`."""


def drawn(examples: int) -> settings:
    """As many examples in `make test`; in the deep run so many times more as a property that says nothing has there."""
    return settings(max_examples=max(1, examples * settings.default.max_examples // USUAL))


sizes = st.integers(1, 1 << 60)
guids = st.uuids(version=4).map(lambda one: str(one).upper())
names = st.text(st.characters(codec="utf-16", exclude_characters="\0", exclude_categories=["Cs"]), max_size=18)


@st.composite
def gpt_tables(draw: st.DrawFn) -> GptTable:
    """A table with up to twelve partitions that do not overlap, at either sector size, with other counts of entries than the usual.

    Its bounds are those of the specification, said here once more.
    """
    sector = draw(st.sampled_from([512, 4096]))
    size = draw(st.integers(8, 64)) * MIB
    count = draw(st.sampled_from([128, 128, 130, 132, 61, 500]))
    sectors, room = size // sector, -(-count * 128 // sector)
    table = GptTable(sector, sectors, draw(guids), 2 + room, sectors - 2 - room, (), count, backup_lba=sectors - 1)
    edges = draw(st.lists(st.integers(table.first_usable, table.last_usable), min_size=0, max_size=24, unique=True).map(sorted))
    numbers = draw(st.permutations(range(1, min(count, 128) + 1)))
    entries = [
        GptEntry(numbers[place], draw(guids), draw(guids), low, high - 1, draw(st.integers(0, (1 << 64) - 1)), draw(names))
        for place, (low, high) in enumerate(zip(edges[::2], edges[1::2], strict=False))
    ]
    return GptTable(
        table.sector,
        table.disk_sectors,
        table.guid,
        table.first_usable,
        table.last_usable,
        tuple(sorted(entries, key=lambda one: one.number)),
        count,
        backup_lba=table.backup_lba,
    )


@st.composite
def mbr_tables(draw: st.DrawFn) -> tuple[MbrTable, int, int]:
    """An MBR with primaries, and logical volumes in any order inside an extended one; with sector and disk size in bytes."""
    sector, size = draw(st.sampled_from([512, 4096])), draw(st.integers(8, 64)) * MIB
    edges = draw(st.lists(st.integers(8, size // sector), min_size=2, max_size=8, unique=True).map(sorted))
    stretches = list(zip(edges[::2], edges[1::2], strict=False))
    numbers = draw(st.permutations(range(1, 5)))
    kinds = st.sampled_from([0x07, 0x0C, 0x27, 0x82, 0x83, 0x8E, 0xEF])
    container = draw(st.none() | st.integers(0, len(stretches) - 1))
    entries, active = [], draw(st.integers(0, 4))
    for place, (low, high) in enumerate(stretches):
        number = numbers[place]
        if place == container:
            entries.append(MbrEntry(number, draw(st.sampled_from([0x05, 0x0F])), low, high - low))
            entries += draw(_logicals(low, high, kinds))
        else:
            entries.append(MbrEntry(number, draw(kinds), low, high - low, active=number == active))
    signature = f"{draw(st.integers(1, 0xFFFFFFFF)):08x}"
    return MbrTable(signature, tuple(sorted(entries, key=lambda one: one.number))), sector, size


@st.composite
def _logicals(draw: st.DrawFn, low: int, high: int, kinds: st.SearchStrategy[int]) -> list[MbrEntry]:
    if high - low < 8:
        return []
    cuts = draw(st.lists(st.integers(low + 1, high), max_size=10, unique=True).map(sorted))
    pairs = [(a, b) for a, b in zip(cuts[::2], cuts[1::2], strict=False)]
    pairs = [(a, b) for at, (a, b) in enumerate(pairs) if a > (pairs[at - 1][1] if at else low + 1)]
    order = draw(st.permutations(range(len(pairs))))
    return [MbrEntry(5 + order[at], draw(kinds), a, b - a, logical=True) for at, (a, b) in enumerate(pairs)]


aims = st.builds(
    Beside,
    size_bytes=st.one_of(
        st.none(),
        st.integers(30, 213).map(lambda one: one * GIB),
        st.integers(30 * 1024, 213 * 1024).map(lambda one: one * MIB),
    ),
    esp=st.sampled_from(["shared", "own"]),
    swap=st.sampled_from(["none", "sqrt", "hibernate"]),
    home=st.sampled_from(["together", "apart"]),
)


def zero_guid() -> str:
    return str(uuid.UUID(int=0)).upper()


@st.composite
def machines(draw: st.DrawFn) -> Machine:
    """A machine with one or two GPT disks: any size and either sector size, gaps anywhere, other counts of entries, dirty and sleeping volumes, some facts not known."""
    disks = tuple(draw(_machine_disks(letter)) for letter in ("A", "B")[: draw(st.integers(1, 2))])
    return replace(
        assemble(
            disks,
            draw(st.sampled_from(["uefi", "uefi", "uefi", "uefi", "legacy", None])),
            draw(st.sampled_from(["on", "off", None])),
        ),
        ram_bytes=draw(st.one_of(st.none(), st.integers(1, 64).map(lambda one: one * GIB))),
    )


@st.composite
def _machine_disks(draw: st.DrawFn, letter: str) -> Disk:
    sector, count = draw(st.sampled_from([512, 512, 4096])), draw(st.sampled_from([128, 128, 56, 132]))
    size = draw(st.integers(40 * 1024, 4000 * 1024)) * MIB + draw(st.sampled_from([0, 8 * 4096, MIB // 2]))
    room = -(-count * 128 // sector)
    first, last = max(34, 2 + room), size // sector - 2 - room
    at, volumes = draw(st.sampled_from([MIB, MIB, 2 * MIB, first * sector])), []
    parts = draw(st.lists(st.sampled_from(["esp", "nt", "nt", "linux", "data", "recovery"]), max_size=6))
    for number, part in enumerate(draw(st.permutations(parts)), draw(st.sampled_from([1, 1, 3]))):
        at += draw(st.sampled_from([0, 0, MIB, 3 * MIB, 700 * MIB, 30 * GIB]))
        length = (
            300 * MIB if part == "esp" else draw(st.integers(1, 900)) * GIB + draw(st.sampled_from([0, 0, 4096, 8192 + MIB]))
        )
        if at + length > last * sector:
            break
        rest = (last + 1) * sector - at - draw(st.sampled_from([0, 0, 4096, 9 * GIB]))
        if part != "esp" and rest > length and draw(st.integers(0, 3)) == 0:
            length = rest // sector * sector  # nothing is left behind it: room comes from a shrink or from nowhere
        volumes.append(draw(_volumes(letter, number, part, at, length)))
        at += length
    table = Table("gpt", zero_guid()[:-1] + letter, "", first, last, count, backup_lba=size // sector - 1)
    return Disk(letter, size, sector, sector, "Heron", f"serial {letter}", table=table, volumes=tuple(volumes))


@st.composite
def _volumes(draw: st.DrawFn, letter: str, number: int, part: str, at: int, length: int) -> Volume:
    kind = {
        "esp": "fat32",
        "nt": "ntfs",
        "linux": "ext4",
        "data": draw(st.sampled_from(["ntfs", "ext4", "xfs"])),
        "recovery": "ntfs",
    }[part]
    used = draw(st.one_of(st.none(), st.integers(1 * MIB, length), st.integers(1 * MIB, length // 3)))
    smallest = None if used is None else min(length, used + draw(st.integers(0, length // 3)))
    system = FileSystem(
        kind,
        length // 4096 * 4096,
        part.upper(),
        f"{number:08X}",
        used,
        smallest,
        "its data",
        dirty=draw(st.sampled_from([False, False, None, True])),
        hibernated=draw(st.sampled_from([False, False, None, True])) if kind == "ntfs" else False,
        cluster_bytes=4096,
        clusters=max(66_000, length // 4096),
    )
    family = {"nt": "nt", "linux": "linux"}.get(part)
    type_id = {
        "esp": "efi_system",
        "nt": "basic_data",
        "linux": "linux_root_x64",
        "data": "linux_data",
        "recovery": "nt_recovery",
    }[part]
    own = f"{ord(letter):08X}-0000-4000-8000-{number:012X}"
    holds = SystemRoot(family, f"{family} family", True) if family else None
    return Volume("", number, at, length, gpt_type(type_id), guid=own, filesystem=system, holds=holds)


@st.composite
def mbr_machines(draw: st.DrawFn) -> Machine:
    """A machine that starts the legacy way from one MBR disk: up to three primaries, perhaps logical volumes behind them, gaps anywhere."""
    size, at, volumes = draw(st.integers(120 * 1024, 1900 * 1024)) * MIB, MIB, []
    families = draw(st.lists(st.sampled_from(["nt", "linux", "data"]), min_size=1, max_size=3))
    for number, part in enumerate(families, 1):
        at += draw(st.sampled_from([0, 0, MIB, 40 * GIB]))
        length = draw(st.integers(30, 300)) * GIB
        if at + length > size:
            break
        volumes.append(
            replace(draw(_volumes("A", number, part, at, length)), type_id=MBR_TYPES[part], guid="", active=number == 1)
        )
        at += length
    inside = None
    if draw(st.booleans()) and size - at > 40 * GIB:
        inside, start = Extended(4, at, (size - at) // MIB * MIB), at
        for number in range(5, 5 + draw(st.integers(1, 3))):
            start += MIB + draw(st.sampled_from([0, 0, 8 * GIB]))
            length = draw(st.integers(2, 60)) * GIB
            if start + length > inside.end:
                break
            volumes.append(replace(draw(_volumes("A", number, "linux", start, length)), type_id="0x83", guid="", logical=True))
            start += length
        inside = inside if any(one.logical for one in volumes) else None
    table = Table("mbr", signature="0badcafe", entry_count=4, entry_bytes=16, extended=inside, boot_code=True)
    disk = Disk("A", size, 512, 512, "Heron", "serial A", table=table, volumes=tuple(volumes))
    return replace(assemble((disk,), "legacy"), ram_bytes=8 * GIB)


MBR_TYPES = {"nt": "0x07", "linux": "0x83", "data": "0x83"}


@st.composite
def wishes(draw: st.DrawFn, machine: Machine) -> Job:
    """A job of one to three aims of any kind on a machine, each with answers that its own questions offer, or the usual ones."""
    job = Job(found=machine, seed="generated")
    for _ in range(draw(st.integers(1, 3))):
        kind, found = draw(st.sampled_from(every_aim())), left_by(job)
        aim = kind.usual_on(found)
        for key in [one.key for one in aim.questions(found)]:
            question = next((one for one in aim.questions(found) if one.key == key), None)
            if question is None or not draw(st.booleans()):
                continue
            values = [one.value for one in question.answers]
            if question.kind == "size":
                values = [*values, *(f"{draw(st.integers(1, 400))}GiB" for _ in range(2))]
            if question.kind == "systems":
                values = [",".join(draw(st.lists(st.sampled_from(values), min_size=1, max_size=8)))]
            if values:
                aim = _answered(aim, found, key, draw(st.sampled_from(values)))
        job = and_aim(job, aim)
        if job.plan_fault:
            break
    return job


def _answered(aim: AimBase, found: Machine, key: str, value: str) -> AimBase:
    try:
        return answered(aim, found, key, value)
    except PlanError:
        return aim
