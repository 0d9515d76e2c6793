"""Load options and device paths come back byte for byte, and say what other readers say of them."""

from __future__ import annotations

import struct
from pathlib import Path
from unicodedata import category
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.cli import run
from inkshelf.core.boot import paths, variables
from inkshelf.core.boot.entries import option_of
from inkshelf.core.boot.paths import Drive, Node
from inkshelf.core.boot.variables import LoadOption
from inkshelf.core.errors import FormatError
from inkshelf.core.machine.state import BootEntry
from inkshelf.core.plan.job import Job
from inkshelf.core.value import replace
from inkshelf.data import exact
from inkshelf.store import jobfile

PARTITION = UUID("5c1f4b7e-2d07-4c8a-9f11-8a7a33b0c0de")
NODES = st.one_of(
    st.builds(Node, st.sampled_from(sorted({one for one, _ in paths.WORDS})), st.integers(0, 40), st.binary(max_size=80)),
    st.builds(Node, st.integers(0, 0x7E), st.integers(0, 255), st.binary(max_size=40)),
    st.builds(lambda key, data: Node(*key, data), st.sampled_from(sorted(paths.WORDS)), st.binary(max_size=60)),
    st.text(st.characters(exclude_characters="\0", exclude_categories=["Cs"]), max_size=40).map(paths.file_node),
)
PATHS = st.lists(st.lists(NODES, max_size=6).map(tuple), max_size=3).map(tuple)
TITLES = st.text(st.characters(exclude_characters="\0"), max_size=60)


@given(PATHS)
def test_paths_come_back_byte_for_byte_whatever_their_nodes_are(made: tuple[paths.Path, ...]) -> None:
    raw = paths.build(made)
    assert paths.parse(raw) == made
    assert paths.build(paths.parse(raw)) == raw
    for one in made:
        assert not any(category(char) in {"Cc", "Cs"} for char in paths.words_of(one))


@given(TITLES, PATHS, st.integers(0, (1 << 32) - 1), st.binary(max_size=200))
def test_load_options_come_back_with_all_that_is_in_them(
    title: str, made: tuple[paths.Path, ...], attributes: int, optional: bytes
) -> None:
    option = LoadOption(title, made, attributes, optional)
    raw = variables.build_option(option)
    assert variables.parse_option(raw) == option
    assert variables.build_option(variables.parse_option(raw)) == raw


@given(st.binary(max_size=400))
def test_any_bytes_give_a_value_or_the_documented_error(raw: bytes) -> None:
    for read in (paths.parse, variables.parse_option, variables.parse_order):
        try:
            read(raw)
        except FormatError:
            continue


@given(st.integers(1, 128), st.integers(0, 1 << 62), st.integers(0, 1 << 62), st.uuids(), st.integers(0, (1 << 32) - 1))
def test_a_partition_is_named_by_guid_or_by_signature(number: int, start: int, size: int, guid: UUID, mark: int) -> None:
    for drive in (
        Drive(number, start, size, "gpt", str(guid).upper()),
        Drive(number, start, size, "mbr", f"{mark:08X}"),
        Drive(number, start, size, "", ""),
    ):
        (path,) = paths.parse(paths.build(((paths.drive_node(drive), paths.file_node("\\A.EFI")),)))
        assert paths.drive_of(path) == drive
        assert paths.file_of(path) == "\\A.EFI"


def test_the_bytes_are_those_of_the_specification() -> None:
    """By hand, from the tables of sections 3.1.3 and 10.3.5: nothing of the code under test has a say in it."""
    drive = struct.pack("<BBHIQQ16sBB", 4, 1, 42, 1, 0x800, 0x32000, PARTITION.bytes_le, 2, 2)
    name = "\\EFI\\X.EFI".encode("utf-16-le") + b"\0\0"
    file = struct.pack("<BBH", 4, 4, 4 + len(name)) + name
    listed = drive + file + b"\x7f\xff\x04\x00"
    raw = struct.pack("<IH", 9, len(listed)) + "Tern".encode("utf-16-le") + b"\0\0" + listed + b"more"
    option = variables.parse_option(raw)
    assert (option.title, option.optional, option.active, option.attributes & variables.HIDDEN) == ("Tern", b"more", True, 8)
    (path,) = option.paths
    assert paths.drive_of(path) == Drive(1, 0x800, 0x32000, "gpt", str(PARTITION).upper())
    assert paths.words_of(path) == f"HD(1,GPT,{PARTITION},0x800,0x32000)/File(\\EFI\\X.EFI)"
    assert variables.build_option(option) == raw
    assert paths.drive_node(Drive(1, 0x800, 0x32000, "gpt", str(PARTITION))).raw == drive
    old = struct.pack("<BBHIQQI12sBB", 4, 1, 42, 2, 0x800, 0x32000, 0x1D00ECAC, bytes(12), 1, 1)
    assert paths.drive_node(Drive(2, 0x800, 0x32000, "mbr", "1D00ECAC")).raw == old
    assert variables.build_order((0, 0x1B)) == b"\x00\x00\x1b\x00"


@pytest.mark.parametrize(
    ("raw", "words"),
    [
        ("02010c00d041030a00000000 01010600021f 03120a000100ffff0000", "PciRoot(0x0)/Pci(0x1f,0x2)/Sata(1,65535,0)"),
        ("02010c00d041030a01000000 031710000100000000112233445566 77", "PciRoot(0x1)/NVMe(0x1,77-66-55-44-33-22-11-00)"),
        ("0305060001 00", "USB(1,0)"),
        ("030b2500525400123456" + "00" * 26 + "01", "MAC(525400123456,1)"),
        ("05010d0002000000 5a65626900", "BBS(HDD,Zebi,0x0)"),
        ("0104140011223344556677889900aabbccddeeff", "VenHw(44332211-6655-8877-9900-aabbccddeeff)"),
        (
            "040714000000000000000000000000000000 0000 0406140001000000000000000000000000000000",
            "Fv(00000000-0000-0000-0000-000000000000)/FvFile(00000001-0000-0000-0000-000000000000)",
        ),
        ("7c0306 00abcd", "Path(124,3,abcd)"),
    ],
)
def test_nodes_are_said_in_the_words_of_the_specification(raw: str, words: str) -> None:
    (path,) = paths.parse(bytes.fromhex(raw.replace(" ", "")) + b"\x7f\xff\x04\x00")
    assert paths.words_of(path) == words


def test_a_folder_of_variables_is_taken_in_as_it_stands(job: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """As the kernel shows them: attributes before each value; what is of another vendor, or no boot variable, is left alone."""
    folder, file = tmp_path / "efivars", tmp_path / "job.json"
    folder.mkdir()
    vendor = exact("firmware", "global")
    guid = job.found.disks[0].volumes[0].guid
    entry = BootEntry(
        3, "Heron", partition_number=1, partition_guid=guid, start_lba=2048, size_lba=614400, path="\\EFI\\heron\\a.efi"
    )
    made = {"Boot0003": variables.build_option(option_of(entry)), "BootOrder": b"\3\0", "SecureBoot": b"\1", "Timeout": b"\5\0"}
    for name, value in made.items():
        (folder / f"{name}-{vendor}").write_bytes(b"\7\0\0\0" + value)
    (folder / "Boot0009-11111111-2222-4333-8444-555555555555").write_bytes(b"\7\0\0\0junk")
    jobfile.save(replace(job, aims=(), steps=()), file)
    assert run(["take", str(file), "--capture", str(folder)]) == 0
    taken = jobfile.load(file).found.firmware
    assert (taken.order, taken.entries_known, taken.secure_boot) == ((3,), True, "on")
    assert [(one.title, one.path, one.partition_guid) for one in taken.entries if one.number == 3] == [
        ("Heron", entry.path, guid)
    ]
    (folder / f"Boot0004-{vendor}").write_bytes(b"\7")
    capsys.readouterr()
    assert run(["take", str(file), "--capture", str(folder)]) == 2
    assert "Boot0004" in capsys.readouterr().err
    (folder / f"Boot0004-{vendor}").unlink()
    good = tmp_path / "good"
    good.write_bytes((folder / f"Boot0003-{vendor}").read_bytes())
    (folder / f"Boot0005-{vendor}").symlink_to(good)
    assert run(["take", str(file), "--capture", str(folder)]) == 2, "no link is followed"
    assert run(["take", str(file), "--capture", str(tmp_path)]) == 2
    assert "holds no boot variables" in capsys.readouterr().err
