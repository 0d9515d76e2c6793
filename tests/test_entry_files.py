"""Menus of entry files: their order and what begins by itself, as a real menu of that kind had it; comparing versions as their format says."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.core.boot.menus import load_entries
from inkshelf.core.boot.routes import Station
from inkshelf.core.disk.contents import BootFile, FileSystem, SystemRoot
from inkshelf.core.disk.entry_files import beginning, compared, in_order, sorted_by
from inkshelf.core.disk.menus import ELSEWHERE
from inkshelf.core.disk.startup_files import Seen, boot_files
from inkshelf.core.machine.state import Disk, Firmware, Machine, Table, Volume
from inkshelf.core.size import GIB, MIB

A, B = "771c2c61-d4d4-4dba-b9a4-7d8c3cb72e0e", "0b1a7d3e-5b0f-4f9f-9c7a-3f2f4a1f8c11"
MEASURED = [  # names with what stands in each, settings, and which one a real menu (version 252) began
    ({"alder": "", "heron": ""}, "", "heron"),
    ({"k-6.2": "", "k-6.10": ""}, "", "k-6.10"),
    ({"alder": "sort-key b", "heron": "sort-key a"}, "", "heron"),
    ({"alder": "", "heron": "sort-key z"}, "", "heron"),
    ({"alder": "sort-key a\nversion 6.2", "heron": "sort-key a\nversion 6.10"}, "", "heron"),
    ({"zeta": "version 1", "alder": "version 9"}, "", "zeta"),
    ({"alder": "", "heron": ""}, "default alder.conf\ntimeout 2", "alder"),
    ({"alder": "", "heron": ""}, "default alder\ntimeout 2", "heron"),
    ({"alder": "", "heron": ""}, "timeout 2\ndefault al*", "alder"),
    ({"alder": "", "heron": ""}, "default zzz*\ntimeout 2", "heron"),
]
TOGETHER = [  # by the specification: within one key machines come in their order
    ({"alder": "sort-key a\nmachine-id 22", "heron": "sort-key a\nmachine-id 11"}, "", "heron"),
    ({"alder": "sort-key a", "heron": ""}, "", "alder"),
    ({"alder": "", "heron": ""}, "# default alder.conf", "heron"),
]


def machine_with(entries: dict[str, str], settings: str) -> tuple[Machine, tuple[BootFile, ...], dict[str, str]]:
    """A machine with two systems, one entry file for each, and the menu's settings; read as from a volume."""
    roots = dict(zip(entries, (A, B), strict=True))
    texts = {
        f"\\loader\\entries\\{name}.conf": f"title {name}\n{more}\nlinux /vmlinuz\noptions root=UUID={roots[name]} ro\n"
        for name, more in entries.items()
    }
    texts |= {"\\loader\\loader.conf": f"{settings}\n"} if settings else {}
    texts |= {"\\vmlinuz": "a kernel"}
    files = boot_files([Seen(path, len(text), text.encode) for path, text in texts.items()])
    esp = Volume("B1", 1, MIB, GIB, "C12A7328-F81F-11D2-BA4B-00A0C93EC93B", boot_files=files)
    systems = [
        Volume(
            call, number, number * GIB, GIB, "x", filesystem=FileSystem("ext4", GIB, uuid=root), holds=SystemRoot("linux", call)
        )
        for call, number, root in (("S1", 2, A), ("S2", 3, B))
    ]
    disk = Disk("A", 8 * GIB, table=Table("gpt"), volumes=(esp, *systems))
    return Machine(Firmware("uefi"), (disk,)), files, dict(zip(entries, ("S1", "S2"), strict=True))


@pytest.mark.parametrize(("entries", "settings", "begins"), [*MEASURED, *TOGETHER])
def test_what_begins_is_what_a_real_menu_began(entries: dict[str, str], settings: str, begins: str) -> None:
    machine, _, calls = machine_with(entries, settings)
    disk = machine.disks[0]
    reached = load_entries(machine, disk, disk.volumes[0], Station("loader", "menu", "", "B1"))
    assert reached.systems[0] == calls[begins]
    assert reached.by_itself
    assert set(reached.systems) == {"S1", "S2"}


@pytest.mark.parametrize(
    ("settings", "why"),
    [("default @saved", "was not read from it"), ("timeout menu-force", "waits for a person, without a limit")],
)
def test_what_is_kept_elsewhere_is_not_known_and_a_forced_menu_waits(settings: str, why: str) -> None:
    machine, _, _ = machine_with({"alder": "", "heron": ""}, settings)
    disk = machine.disks[0]
    reached = load_entries(machine, disk, disk.volumes[0], Station("loader", "menu", "", "B1"))
    assert not reached.by_itself
    assert why in reached.asks


@pytest.mark.parametrize(
    ("one", "other", "wanted"),
    [
        ("11", "11", 0),
        ("systemd-123", "systemd-123", 0),
        ("bar-123", "foo-123", -1),
        ("123a", "123", 1),
        ("123.a", "123", 1),
        ("123.a", "123.b", -1),
        ("123a", "123.a", 1),
        ("11é", "11ß", 0),
        ("A", "a", -1),
        ("", "0", -1),
        ("0.", "0", 1),
        ("0.0", "0", 1),
        ("0", "~", 1),
        ("", "~", 1),
        ("6.2", "6.10", -1),
        ("1~rc1", "1", -1),
        ("1^post", "1", 1),
        ("1^post", "1.1", -1),
        ("1-2", "1.1", -1),
        ("007", "7", 0),
    ],
)
def test_versions_compare_as_their_format_says(one: str, other: str, wanted: int) -> None:
    assert compared(one, other) == wanted
    assert compared(other, one) == -wanted


@given(st.text("019aBz.~^-_ é", max_size=8), st.text("019aBz.~^-_ é", max_size=8), st.text("019aBz.~^-_ é", max_size=8))
def test_comparing_is_an_order(one: str, other: str, third: str) -> None:
    assert compared(one, one) == 0
    assert compared(one, other) == -compared(other, one)
    if compared(one, other) <= 0 and compared(other, third) <= 0:
        assert compared(one, third) <= 0


@given(
    st.lists(st.tuples(st.sampled_from(("a", "b", "c1", "c10")), st.sampled_from(("", "x", "y"))), unique_by=lambda one: one[0])
)
def test_the_order_does_not_depend_on_how_files_were_met(entries: list[tuple[str, str]]) -> None:
    files = [
        BootFile(f"\\loader\\entries\\{name}.conf", "entry", 1, sort=(key, "", "") if key else ()) for name, key in entries
    ]
    orders = {in_order(tuple(one)) for one in itertools.permutations(files)}
    assert len(orders) == 1
    assert [one.path for one in beginning(tuple(files), None)] == [one.path for one in in_order(tuple(files))]


@given(st.binary(max_size=200))
def test_any_bytes_are_settings_and_a_place(raw: bytes) -> None:
    files = boot_files([Seen("\\loader\\loader.conf", len(raw), lambda: raw)])
    assert [one.kind for one in files] == ["entry-config"]
    assert sorted_by(raw) == () or len(sorted_by(raw)) == 3
    listed = beginning((BootFile("\\loader\\entries\\a.conf", "entry", 1, targets=(A,)),), files[0])
    assert listed[0].begins in {"", A, ELSEWHERE}
