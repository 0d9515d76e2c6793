"""The machine as built, against its plan: nothing differs where the bench did it, and nothing that differs is passed over."""

from __future__ import annotations

import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from disks import answered
from inkshelf.bench.asbuilt import read_again
from inkshelf.bench.folder import Bench
from inkshelf.bench.inker import ink
from inkshelf.bench.intake import take_in
from inkshelf.bench.recipes import blank, wanting
from inkshelf.core.built.aligned import aligned
from inkshelf.core.built.compare import compared, left_over
from inkshelf.core.built.line import COMPARED, PASSED_OVER, Line
from inkshelf.core.disk import contents
from inkshelf.core.machine import state
from inkshelf.core.machine.state import BootEntry, Firmware, Machine, SystemRoot, Volume
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import Reading, read
from inkshelf.core.size import GIB, MIB
from inkshelf.core.steps.fold import Fold
from inkshelf.core.value import replace
from inkshelf.exchange.anytext import gather

BITS = {0: "RequiredPartition", 2: "LegacyBIOSBootable", 60: "GUID:60", 62: "GUID:62", 63: "GUID:63"}
Change = Callable[[Machine], Machine]


@pytest.fixture(scope="module")
def done(found_job: Job, tmp_path_factory: pytest.TempPathFactory) -> tuple[Reading, Machine]:
    """The demo plan's reading, and the machine that the bench made of it, read afresh with letters and call numbers of its own."""
    from inkshelf.core.aims.beside import Beside
    from inkshelf.core.plan.job import with_aim

    job = answered(with_aim(found_job, Beside(size_bytes=140 * GIB, esp="own", home="apart")))
    folder = tmp_path_factory.mktemp("built") / "bench"
    assert ink(job, folder).verified
    reading = read(job)
    planned = reading.plan.planned.firmware
    built = take_in([Bench(folder).image("A")], mode="uefi", secure_boot=planned.secure_boot, seed="built").found
    return reading, replace(built, firmware=replace(planned, entries_known=True))


def differing(reading: Reading, built: Machine) -> dict[str, Line]:
    return {one.key: one for one in compared(reading.plan, built) if one.stands != "same"}


def test_what_the_bench_made_is_as_planned_line_by_line(done: tuple[Reading, Machine]) -> None:
    reading, built = done
    lines = compared(reading.plan, built)
    assert differing(reading, built) == {}
    assert len(lines) > 60
    assert len({one.key for one in lines}) == len(lines), "each line has a key of its own"
    assert {"B2.files", "S2.mounts", "S1.starts", "firmware.order", "D1.uuid", "B1.type", "S1.size"} <= {
        one.key for one in lines
    }


def test_a_machine_with_other_letters_numbers_and_calls_is_known_again(done: tuple[Reading, Machine]) -> None:
    reading, built = done
    strange = replace(
        built.disks[0], id="Q", volumes=tuple(replace(one, call=f"X{at}") for at, one in enumerate(built.disks[0].volumes, 1))
    )
    assert differing(reading, replace(built, disks=(strange,))) == {}
    again = aligned(reading.plan.planned, replace(built, disks=(strange,)))
    assert [one.call for _, one in again.volumes()] == [one.call for _, one in reading.plan.planned.volumes()]


def test_an_installer_may_number_as_it_likes(done: tuple[Reading, Machine]) -> None:
    """Volumes are known by what they are: with other numbers only the numbers differ."""
    reading, built = done
    disk = built.disks[0]
    numbers = [one.number for one in disk.volumes]
    turned = tuple(replace(one, number=number) for one, number in zip(disk.volumes, reversed(numbers), strict=True))
    told = differing(reading, replace(built, disks=(replace(disk, volumes=turned),)))
    assert told
    assert {key.split(".")[1] for key in told} <= {"number", "starts"}, "the lowest number has a say in what starts"


def on(call: str, change: Callable[[Volume], Volume], reading: Reading) -> Change:
    def changed(machine: Machine) -> Machine:
        planned = reading.plan.planned.find(call)
        assert planned is not None
        volumes = tuple(change(one) if one.guid == planned[1].guid else one for one in machine.disks[0].volumes)
        return replace(machine, disks=(replace(machine.disks[0], volumes=volumes),))

    return changed


def _system(**fields: object) -> Callable[[Volume], Volume]:
    return lambda one: replace(one, filesystem=replace(one.filesystem, **fields))  # type: ignore[arg-type]


FAULTS: list[tuple[str, Callable[[Volume], Volume], str, str]] = [
    ("S2", lambda one: replace(one, size=one.size - 2 * GIB), "S2.size", "warn"),
    ("S2", lambda one: replace(one, size=one.size - MIB // 2), "S2.size", "note"),
    ("S1", lambda one: replace(one, size=100 * GIB), "S1.size", "stop"),
    ("S1", lambda one: replace(one, start=one.start + MIB), "S1.start", "stop"),
    ("D1", lambda one: replace(one, start=one.start + MIB), "D1.start", "note"),
    ("B1", lambda one: replace(one, type_id="EBD0A0A2-B9E5-4433-87C0-68B6B72699C7"), "B1.type", "stop"),
    ("S2", lambda one: replace(one, type_id="11111111-2222-4333-8444-555555555555"), "S2.type", "warn"),
    ("R1", lambda one: replace(one, attributes=0), "R1.attributes", "note"),
    ("S2", lambda one: replace(one, name="something"), "S2.name", "note"),
    ("B2", lambda one: replace(one, guid="11111111-2222-4333-8444-555555555555"), "B2.guid", "warn"),
    ("D1", lambda one: replace(one, guid="11111111-2222-4333-8444-555555555555"), "D1.guid", "note"),
    ("D1", _system(kind="xfs"), "D1.filesystem", "stop"),
    ("D1", lambda one: replace(one, filesystem=None), "D1.filesystem", "stop"),
    ("D1", _system(label="other"), "D1.label", "note"),
    ("D1", _system(uuid="11111111-2222-4333-8444-555555555555"), "D1.uuid", "stop"),
    ("R1", _system(uuid="1122334455667788"), "R1.uuid", "note"),
    ("D1", _system(dirty=True), "D1.state", "warn"),
    ("S2", lambda one: replace(one, holds=SystemRoot("linux", "Linux desktop", mounts=one.holds.mounts[:-1])), "S2.mounts", "warn"),  # type: ignore[union-attr]
    ("B2", lambda one: replace(one, boot_files=one.boot_files[1:]), "B2.files", "warn"),
]  # fmt: skip


@pytest.mark.parametrize(("call", "change", "key", "matters"), FAULTS, ids=[f"{one[2]} {one[3]}" for one in FAULTS])
def test_every_single_difference_is_told_and_weighed(
    done: tuple[Reading, Machine], call: str, change: Callable[[Volume], Volume], key: str, matters: str
) -> None:
    reading, built = done
    told = differing(reading, on(call, change, reading)(built))
    assert (told[key].stands, told[key].matters) == ("differs", matters)
    assert told[key].planned != told[key].built


@given(data=st.data())
def test_no_field_of_a_volume_is_compared_silently(done: tuple[Reading, Machine], data: st.DataObject) -> None:
    """Whatever single thing is other than planned, some line says so."""
    reading, built = done
    at = data.draw(st.integers(0, len(built.disks[0].volumes) - 1))
    volume = built.disks[0].volumes[at]
    changes: dict[str, object] = {
        "start": volume.start + data.draw(st.integers(1, 1000)) * 512,
        "size": volume.size - data.draw(st.integers(1, 1000)) * 512,
        "type_id": "9D087404-1CA5-4B6A-A01E-0D8B8F1E5C11",
        "attributes": volume.attributes ^ (1 << data.draw(st.integers(0, 63))),
        "name": f"{volume.name}.",
        "guid": "9D087404-1CA5-4B6A-A01E-0D8B8F1E5C12",
    }
    field = data.draw(st.sampled_from(sorted(changes)))
    volumes = list(built.disks[0].volumes)
    volumes[at] = replace(volume, **{field: changes[field]})
    assert differing(reading, replace(built, disks=(replace(built.disks[0], volumes=tuple(volumes)),)))


def test_a_volume_that_is_gone_or_more_than_planned_is_told(done: tuple[Reading, Machine]) -> None:
    reading, built = done
    disk = built.disks[0]
    fewer = replace(built, disks=(replace(disk, volumes=disk.volumes[:-1]),))
    (gone,) = [one for key, one in differing(reading, fewer).items() if key.endswith(".there")]
    assert (gone.built, gone.matters) == ("not there", "stop")
    extra = replace(disk.volumes[-1], start=disk.volumes[-1].end + GIB, number=40, guid="9D087404-1CA5-4B6A-A01E-0D8B8F1E5C13", filesystem=None, call="D9")  # fmt: skip
    more = replace(built, disks=(replace(disk, volumes=(*disk.volumes, extra)),))
    (new,) = [one for key, one in differing(reading, more).items() if key.endswith(".there")]
    assert (new.planned, new.matters, new.left) == ("none", "warn", False)


def firmware(built: Machine, **fields: object) -> Machine:
    return replace(built, firmware=replace(built.firmware, **fields))


def test_entries_order_and_switches_are_told(done: tuple[Reading, Machine]) -> None:
    reading, built = done
    now: Firmware = built.firmware
    assert set(differing(reading, firmware(built, order=tuple(reversed(now.order))))) == {
        "firmware.order",
        "S1.starts",
        "S2.starts",
    } or set(differing(reading, firmware(built, order=tuple(reversed(now.order))))) >= {"firmware.order"}
    lost = next(one for one in now.entries if one.number == now.order[0])
    without = firmware(built, entries=tuple(one for one in now.entries if one is not lost), order=now.order[1:])
    assert {f"firmware.{lost.variable}", "firmware.order"} <= set(differing(reading, without))
    off = firmware(built, entries=tuple(replace(one, active=False) if one is lost else one for one in now.entries))
    assert differing(reading, off)[f"firmware.{lost.variable}"].built == "off"
    renumbered = firmware(
        built,
        entries=tuple(replace(one, number=one.number + 7) for one in now.entries),
        order=tuple(one + 7 for one in now.order),
    )
    assert differing(reading, renumbered) == {}, "a number is the firmware's own to give"
    stick = BootEntry(number=99, title="a stick", disk="", partition_number=1, path="\\EFI\\BOOT\\BOOTX64.EFI", partition_guid="9D087404-1CA5-4B6A-A01E-0D8B8F1E5C14")  # fmt: skip
    assert "firmware.Boot0063" in differing(reading, firmware(built, entries=(*now.entries, stick)))
    assert differing(reading, firmware(built, secure_boot="off"))["firmware.secure"].matters == "warn"
    assert "firmware.next" in differing(reading, firmware(built, next=now.order[-1]))
    network = [
        BootEntry(number=at, title=f"network card {at}", disk="", partition_number=0, leads="network") for at in (50, 51)
    ]
    cards = firmware(built, entries=(*now.entries, *network))
    known = Reading(reading.job, fold_with(reading, network), reading.ledger, reading.before, reading.after, reading.stops)
    assert differing(known, cards) == {}
    assert set(differing(known, firmware(built, entries=(*now.entries, network[0])))) == {"firmware.Boot0033"}
    unread = firmware(built, entries_known=False)
    assert differing(reading, unread)["firmware.entries"].stands == "unknown"


def fold_with(reading: Reading, more: list[BootEntry]) -> Fold:
    """The plan of a machine that has more entries."""

    def with_more(machine: Machine) -> Machine:
        return replace(machine, firmware=replace(machine.firmware, entries=(*machine.firmware.entries, *more)))

    return replace(reading.plan, machines=tuple(with_more(one) for one in reading.plan.machines))


def test_what_was_changed_for_the_work_only_is_said_to_be_left_over(done: tuple[Reading, Machine]) -> None:
    reading, built = done
    hidden = on("B1", lambda one: replace(one, type_id="EBD0A0A2-B9E5-4433-87C0-68B6B72699C7"), reading)(built)
    (left,) = left_over(compared(reading.plan, hidden))
    assert (left.key, left.why) == ("B1.type", "it was changed for the work only")
    other = on("S2", lambda one: replace(one, type_id="EBD0A0A2-B9E5-4433-87C0-68B6B72699C7"), reading)(built)
    assert left_over(compared(reading.plan, other)) == (), "another type than that was never put there for the work"


@pytest.mark.parametrize("name", sorted(COMPARED))
def test_every_field_of_a_state_is_compared_or_passed_over_on_purpose(name: str) -> None:
    """A field that is new is in neither list: it is not compared in silence."""
    kind = getattr(state, name, None) or getattr(contents, name)
    fields = set(kind.__struct_fields__)
    assert COMPARED[name] | PASSED_OVER[name] == fields
    assert not COMPARED[name] & PASSED_OVER[name]


@pytest.fixture(scope="module")
def legacy(tmp_path_factory: pytest.TempPathFactory) -> tuple[Reading, Machine]:
    """Two systems that start the legacy way, on an MBR with an extended partition."""
    folder = tmp_path_factory.mktemp("legacy")
    bare = take_in([blank(folder / "disk.img", 200 * 10**9)], mode="legacy", secure_boot="off", ram_bytes=8 * GIB, seed="x")
    job = answered(
        wanting(bare, ("clean", {"systems": "nt-old,linux-legacy", "table": "mbr", "home": "apart", "swap": "equal"}))
    )
    assert ink(job, folder / "bench").verified
    built = take_in([Bench(folder / "bench").image("A")], mode="legacy", secure_boot="off", seed="built").found
    return read(job), built


def on_table(built: Machine, **fields: object) -> Machine:
    disk = built.disks[0]
    return replace(built, disks=(replace(disk, table=replace(disk.table, **fields)),))


def test_the_legacy_way_the_table_itself_is_compared(legacy: tuple[Reading, Machine]) -> None:
    reading, built = legacy
    assert reading.plan.planned.disks[0].table.extended is not None
    assert differing(reading, built) == {}
    assert differing(reading, on_table(built, signature="01020304"))["A.identity"].matters == "warn"
    assert differing(reading, on_table(built, code_of="nt", core_lba=None))["A.code"].matters == "stop"
    assert "A.code" in differing(reading, on_table(built, core_lba=7)), "where the core lies counts"
    assert "A.code" in differing(reading, on_table(built, boot_code=False))
    extended = built.disks[0].table.extended
    assert extended is not None
    assert "A.extended" in differing(reading, on_table(built, extended=replace(extended, size=extended.size - MIB)))
    active = next(one for one in built.disks[0].volumes if one.active)
    off = replace(
        built.disks[0], volumes=tuple(replace(one, active=False) if one is active else one for one in built.disks[0].volumes)
    )
    told = differing(reading, replace(built, disks=(off,)))
    assert [one.matters for key, one in told.items() if key.endswith(".active")] == ["stop"]


def test_a_listing_says_less_and_nothing_of_it_is_taken_for_a_difference(done: tuple[Reading, Machine], tmp_path: Path) -> None:
    """What a base utility prints of the disk alone: places and types are compared, contents are not known."""
    reading, _ = done
    image = tmp_path / "built.img"
    script = [f"label: gpt\nlabel-id: {reading.plan.planned.disks[0].table.guid}\nfirst-lba: 34"]
    for one in reading.plan.planned.disks[0].volumes:
        parts = (
            f"start={one.start // 512}",
            f"size={one.size // 512}",
            f"type={one.type_id}",
            f"uuid={one.guid}",
            f'name="{one.name}"',
        )
        attrs = (
            f', attrs="{" ".join(sorted(BITS[bit] for bit in BITS if one.attributes >> bit & 1))}"' if one.attributes else ""
        )
        script.append(f"{one.number} : {', '.join(parts)}{attrs}")
    with image.open("wb") as out:
        out.truncate(reading.plan.planned.disks[0].size)
    subprocess.run(["sfdisk", "--quiet", str(image)], input="\n".join(script), text=True, check=True)
    listed = subprocess.run(["sfdisk", "--json", str(image)], capture_output=True, text=True, check=True).stdout
    built = read_again([], gather([listed]).disks)
    lines = {one.key: one for one in compared(reading.plan, built)}
    assert {key: one.built for key, one in lines.items() if one.stands == "differs"} == {}
    assert lines["S1.filesystem"].stands == lines["S2.starts"].stands == "unknown"
    assert lines["S1.type"].stands == lines["D1.size"].stands == "same"
