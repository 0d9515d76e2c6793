"""Starting: the rules measured on real firmware, one by one."""

from __future__ import annotations

import pytest

from inkshelf.core.boot.mishaps import STANDING, mishaps
from inkshelf.core.boot.rehearse import Outcome, outcome, rehearse
from inkshelf.core.boot.uefi import routes, without_entries
from inkshelf.core.machine.state import BootEntry, Firmware, Machine
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.value import replace
from inkshelf.data import exact


@pytest.fixture
def planned(job: Job) -> Machine:
    return read(job).plan.planned


def firmware(machine: Machine, **facts: object) -> Machine:
    return replace(machine, firmware=replace(machine.firmware, **facts))


def entry(machine: Machine, number: int, **facts: object) -> Machine:
    entries = tuple(replace(one, **facts) if one.number == number else one for one in machine.firmware.entries)
    return firmware(machine, entries=entries)


def first(machine: Machine) -> str:
    """The system that a start ends in, without a key press."""
    return next((route.systems[0] for route in routes(machine) if route.systems), "")


def files(machine: Machine, call: str, *, drop: str = "", **facts: object) -> Machine:
    return machine.with_volume(
        call,
        lambda one: replace(
            one,
            boot_files=tuple(
                replace(file, **facts) if facts and file.kind == facts.get("kind", file.kind) else file
                for file in one.boot_files
                if not drop or drop.lower() not in file.path.lower()
            ),
        ),
    )


def test_the_first_good_entry_starts(planned: Machine) -> None:
    assert first(planned) == "S2"
    assert first(firmware(planned, order=(0, 1))) == "S1"


def test_the_next_entry_comes_once_before_the_order(planned: Machine) -> None:
    assert first(firmware(planned, next=0)) == "S1"
    assert first(firmware(planned, next=77)) == "S2", "an entry that is not there is passed over"


@pytest.mark.parametrize("facts", [{"active": False}, {"application": True}])
def test_inactive_and_hidden_entries_are_skipped(planned: Machine, facts: dict[str, bool]) -> None:
    assert first(entry(planned, 1, **facts)) == "S1"


def test_a_missing_file_or_partition_passes_to_the_next(planned: Machine) -> None:
    assert first(entry(planned, 1, path="\\EFI\\none.efi")) == "S1"
    assert first(entry(planned, 1, partition_guid="0" * 36)) == "S1"


def test_a_wrong_partition_number_is_not_found_but_a_wrong_start_is(planned: Machine) -> None:
    assert first(entry(planned, 1, partition_number=9)) == "S1"
    assert first(entry(planned, 1, start_lba=1, size_lba=1)) == "S2"


def test_a_device_path_without_a_file_means_the_fallback_file(planned: Machine) -> None:
    assert first(entry(planned, 0, path="")) == "S2"
    assert first(firmware(entry(planned, 0, path=""), order=(0,))) == "S1"


def test_without_entries_the_lowest_partition_number_with_a_fallback_wins(planned: Machine) -> None:
    bare = replace(planned, firmware=Firmware("uefi", "on"))
    assert first(bare) == "S1"
    assert first(files(bare, "B1", drop="\\EFI\\BOOT")) == "S2"


def test_an_entry_not_in_the_order_is_never_tried(planned: Machine) -> None:
    assert first(firmware(planned, order=(0,))) == "S1"
    assert all(route.entry.number != 1 for route in routes(firmware(planned, order=(0,))) if not route.entry.automatic)


def test_secure_boot_refuses_what_is_not_signed(planned: Machine) -> None:
    unsigned = files(planned, "B2", signed=False, kind="first-stage")
    assert first(unsigned) == "S1"
    assert first(firmware(unsigned, secure_boot="off")) == "S2"
    unsigned_menu = files(planned, "B2", signed=False, kind="menu")
    assert first(unsigned_menu) == "S1"


def test_the_signed_menu_started_directly_is_refused(planned: Machine) -> None:
    path = next(file.path for file in planned.find("B2")[1].boot_files if file.kind == "menu" and "linux" in file.path)
    direct = entry(planned, 1, path=path)
    assert first(direct) == "S1"
    assert first(firmware(direct, secure_boot="off")) == "S2"
    assert "first stage" in next(route.broken for route in routes(direct) if route.entry.number == 1)


def test_an_unsigned_kernel_is_refused_with_secure_boot_only(planned: Machine) -> None:
    kernel = planned.with_volume("S2", lambda one: replace(one, holds=replace(one.holds, kernel_signed=False)))
    assert not _one(kernel, "S2").starts
    assert _one(firmware(kernel, secure_boot="off"), "S2").starts


def test_fat32_with_too_few_clusters_is_not_mounted(planned: Machine) -> None:
    small = planned.with_volume("B2", lambda one: replace(one, filesystem=replace(one.filesystem, clusters=65_524)))
    assert first(small) == "S1"


def test_a_start_up_volume_of_another_type_starts_too(planned: Machine) -> None:
    hidden = planned.with_volume("B1", lambda one: replace(one, type_id="EBD0A0A2-B9E5-4433-87C0-68B6B72699C7"))
    assert _one(hidden, "S1").starts


def test_boot_data_that_names_another_volume_starts_nothing(planned: Machine) -> None:
    lost = files(planned, "B1", targets=("0" * 36,), kind="nt-boot-data")
    assert not _one(lost, "S1").starts
    assert not _one(files(planned, "B1", drop="BCD"), "S1").starts


def test_a_menu_without_its_configuration_waits(planned: Machine) -> None:
    bare = files(planned, "B2", drop="\\linux\\grub.cfg")
    assert "configuration" in next(route.broken for route in routes(bare) if route.entry.number == 1)


def test_legacy_and_unknown_modes_say_so(planned: Machine) -> None:
    for mode, words in (("legacy", "legacy"), (None, "not known")):
        assert words in _one(firmware(planned, mode=mode), "S1").why


def _one(machine: Machine, call: str) -> Outcome:
    return outcome(machine, call, STANDING[0])


def test_outcomes_say_by_which_way_or_why_not(planned: Machine) -> None:
    table = {(one.system, one.mishap): one for one in rehearse(planned)}
    assert table["S2", "none"].path[-1] == "S2"
    assert table["S1", "none"].why == "chosen in the menu"
    assert table["S2", "nt-updated"].by_hand
    assert not table["S2", "firmware-reset"].starts
    assert "only S1" in table["S2", "firmware-reset"].why
    assert all(one.path for one in table.values() if one.starts)
    assert all(one.why for one in table.values())


def test_a_disk_that_is_out_takes_its_systems_along(planned: Machine) -> None:
    two = replace(planned, disks=(*planned.disks, replace(planned.disks[0], id="B", volumes=())))
    keys = {one.key for one in mishaps(two)}
    assert {"disk-a-out", "disk-b-out"} <= keys
    out = next(one for one in mishaps(two) if one.key == "disk-a-out")
    assert outcome(two, "S1", out).why == "its disk is not there"


def test_an_automatic_entry_of_a_disk_is_not_made_twice(planned: Machine) -> None:
    automatic = BootEntry(5, "fallback", "A", automatic=True)
    listed = firmware(planned, entries=(*planned.firmware.entries, automatic), order=(1, 0, 5))
    assert sum(route.entry.automatic for route in routes(listed)) == 1


def test_the_nt_update_puts_its_loader_back(planned: Machine) -> None:
    other = planned.with_volume(
        "B1",
        lambda one: replace(
            one, boot_files=tuple(file for file in one.boot_files if file.path != exact("paths", "fallback_x64"))
        ),
    )
    update = next(one for one in STANDING if one.key == "nt-updated")
    assert update.befall(other).find("B1")[1].boot_file(exact("paths", "fallback_x64")).kind == "nt-loader"
    assert first(update.befall(other)) == "S1"


def test_the_number_decides_not_the_place(planned: Machine) -> None:
    disk = planned.disks[0]
    low, high = sorted(
        (one for one in disk.volumes if one.boot_file(exact("paths", "fallback_x64"))), key=lambda one: one.start
    )
    swapped = tuple(
        replace(one, number=high.number) if one is low else replace(one, number=low.number) if one is high else one
        for one in disk.volumes
    )
    machine = without_entries(planned.with_disk(replace(disk, volumes=swapped)))
    stations = routes(machine)[0].reached.stations
    assert [one.call for one in stations if one.place == "loader"] == [high.call], "the later one has the lower number now"


def test_an_entry_that_comes_next_is_tried_once(planned: Machine) -> None:
    order = planned.firmware.order
    assert len(order) > 1
    tried = [one.entry.number for one in routes(firmware(planned, next=order[1])) if not one.entry.automatic]
    assert tried == [order[1], *(one for one in order if one != order[1])]


@pytest.mark.parametrize("signed", [None, False])
def test_secure_boot_refuses_what_is_not_known_to_be_signed(planned: Machine, signed: bool | None) -> None:
    assert planned.firmware.secure_boot == "on"
    plain = planned.with_volume(
        "B2", lambda one: replace(one, boot_files=tuple(replace(file, signed=signed) for file in one.boot_files))
    )
    assert any("Secure Boot refuses" in one.reached.broken for one in routes(plain))
    assert first(plain) == "S1", "the next entry starts"
