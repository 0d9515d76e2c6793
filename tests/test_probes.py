"""What volumes hold: against the utilities that made them, and with any bytes behind their magic."""

from __future__ import annotations

import re
import struct
import subprocess
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.bench import tools
from inkshelf.bench.demo import put_on_fat
from inkshelf.bench.image import ImageFile
from inkshelf.bench.stand_ins import boot_data, loader, menu_config
from inkshelf.core.disk import ext, ext_files, ext_shrink, fat
from inkshelf.core.disk.filesystems import fresh, label_fault, used_beyond
from inkshelf.core.disk.kinds.fat import LEAST_CLUSTERS as FAT32_LEAST_CLUSTERS
from inkshelf.core.disk.kinds.fat import cluster_sectors as fat32_cluster_sectors
from inkshelf.core.disk.kinds.fat import clusters as fat32_clusters
from inkshelf.core.disk.probe import pe_signed, probe
from inkshelf.core.disk.source import Memory
from inkshelf.core.errors import FormatError
from inkshelf.core.machine.state import FileSystem
from inkshelf.core.size import GIB, MIB
from inkshelf.data import exact


def make(path: Path, size: int, *command: str) -> Path:
    with path.open("wb") as out:
        out.truncate(size)
    tools.run(*command, path)
    return path


def held(path: Path) -> FileSystem:
    with ImageFile(path) as source:
        found = probe(source).filesystem
    assert found is not None
    return found


@pytest.mark.parametrize(
    ("bits", "size", "label"),
    [(12, 4 * MIB, "SMALL"), (16, 64 * MIB, "MIDDLE"), (32, 300 * MIB, "BOOT"), (32, 2 * GIB, "LARGE")],
)
def test_fat_is_read_as_it_was_made(tmp_path: Path, bits: int, size: int, label: str) -> None:
    path = make(tmp_path / "fat", size, "mkfs.fat", "-F", str(bits), "-n", label, "-i", "1234abcd")
    found = held(path)
    assert (found.kind, found.label, found.uuid, found.dirty) == (f"fat{bits}", label, "1234-ABCD", False)
    put_on_fat(path, 0, {r"\one\two\a long name for a file.txt": b"x" * 100_000})
    said = subprocess.run([tools.find("fsck.fat"), "-n", "-v", str(path)], capture_output=True, text=True, check=True).stdout
    used, total = map(int, re.search(r"(\d+)/(\d+) clusters", said).groups())
    now = held(path)
    assert (now.used_bytes, now.clusters) == (used * now.cluster_bytes, total)
    with ImageFile(path) as source:
        layout = fat.layout(source)
        assert layout is not None
        node = next(one for one in fat.listing(source, layout) if not one.folder)
        assert (node.path, node.size) == (r"\one\two\a long name for a file.txt", 100_000)
        assert fat.read_file(source, layout, node) == b"x" * 100_000


@pytest.mark.parametrize("mib", [100, 260, 300, 511, 512, 1024, 2047, 4096])
@pytest.mark.parametrize("sector", [512, 4096])
def test_cluster_counts_are_predicted_exactly(tmp_path: Path, mib: int, sector: int) -> None:
    size, each = mib * MIB, fat32_cluster_sectors(mib * MIB, sector)
    if fat32_clusters(size, sector, each) < FAT32_LEAST_CLUSTERS:
        pytest.skip("too small for FAT32 at this sector size")
    path = make(
        tmp_path / "fat", size, "mkfs.fat", "-F", "32", "-S", str(sector), "-s", str(each), "-R", "32", "-f", "2", "-g", "64/32"
    )
    assert held(path).clusters == fresh("fat32", 0, size, "", "", sector).clusters


@pytest.mark.parametrize("gib", [1, 10, 50, 120])
def test_ext4_is_read_and_its_overhead_predicted(tmp_path: Path, gib: int) -> None:
    identity = "11111111-2222-4333-8444-555555555555"
    path = make(
        tmp_path / "ext",
        gib * GIB,
        "mkfs.ext4",
        "-F",
        "-q",
        "-U",
        identity,
        "-L",
        "home",
        "-E",
        "lazy_itable_init=1,lazy_journal_init=1",
    )
    found = held(path)
    assert (found.kind, found.label, found.uuid, found.size_bytes, found.dirty) == ("ext4", "home", identity, gib * GIB, False)
    said = dict(
        line.split(":", 1)
        for line in subprocess.run(
            [tools.find("dumpe2fs"), "-h", str(path)], capture_output=True, text=True, check=True
        ).stdout.splitlines()
        if ":" in line
    )
    assert found.used_bytes == (int(said["Block count"]) - int(said["Free blocks"])) * 4096
    assert abs(found.used_bytes - (fresh("ext4", 0, gib * GIB, "", "", 512).used_bytes or 0)) <= gib * GIB * 0.03


@pytest.mark.parametrize(
    ("command", "size", "fill"),
    [
        (("mkfs.ext4",), 300, 20),
        (("mkfs.ext4",), 3 << 10, 400),
        (("mkfs.ext4",), 200 << 10, 3),
        (("mkfs.ext3",), 700, 90),
        (("mkfs.ext2",), 900, 10),
        (("mkfs.ext4", "-b", "1024"), 300, 50),
        (("mkfs.ext4", "-O", "^flex_bg"), 5 << 10, 60),
    ],
)
def test_the_smallest_size_of_ext_is_what_the_utility_reckons(
    tmp_path: Path, command: tuple[str, ...], size: int, fill: int
) -> None:
    tree = tmp_path / "tree"
    tree.mkdir()
    for number in range(fill):
        (tree / str(number)).write_bytes(b"ink" * 349_525)
    options = ("-E", "lazy_itable_init=1,lazy_journal_init=1", "-d", str(tree))
    path = make(tmp_path / "ext", size * MIB, command[0], "-F", "-q", *command[1:], *options)
    said = subprocess.run([tools.find("resize2fs"), "-P", str(path)], capture_output=True, text=True, check=True).stdout
    with ImageFile(path) as source:
        assert ext_shrink.smallest_blocks(ext.open_ext(source)) == int(said.split()[-1])


def test_files_on_ext4_are_found_by_path(tmp_path: Path) -> None:
    path = make(tmp_path / "ext", 64 * MIB, "mkfs.ext4", "-F", "-q")
    (tmp_path / "text").write_bytes(b'PRETTY_NAME="Heron"\n' * 500)
    (tmp_path / "script").write_text(f"mkdir etc\nwrite {tmp_path / 'text'} /etc/os-release\n")
    tools.run("debugfs", "-w", "-f", tmp_path / "script", path)
    with ImageFile(path) as source:
        volume = ext.open_ext(source)
        assert volume is not None
        node = ext.lookup(volume, "/etc/os-release")
        assert node is not None
        assert ext.read_inode(volume, node) == (tmp_path / "text").read_bytes()
        assert ext.lookup(volume, "/etc/nothing") is None
        assert probe(source).holds.title == "Heron"


def test_menus_and_entries_are_read_on_ext4_and_on_fat(tmp_path: Path) -> None:
    uuid, tree = "11111111-2222-4333-8444-555555555555", tmp_path / "tree"
    entry = f"title Heron\nlinux /heron/kernel\noptions root=UUID={uuid} ro\n"
    for place, text in (
        ("boot/grub/grub.cfg", f"search --fs-uuid {uuid}\n"),
        ("loader/entries/heron.conf", entry),
        ("loader/entries/read me", ""),
    ):
        (tree / place).parent.mkdir(parents=True, exist_ok=True)
        (tree / place).write_text(text)
    path = make(tmp_path / "ext", 64 * MIB, "mkfs.ext4", "-F", "-q", "-d", str(tree))
    with ImageFile(path) as source:
        found = probe(source)
    assert [(one.path, one.kind, one.targets) for one in found.boot_files] == [
        ("/boot/grub/grub.cfg", "menu-config", (uuid,)),
        ("/loader/entries/heron.conf", "entry", (uuid,)),
    ]
    path = make(tmp_path / "fat", 64 * MIB, "mkfs.fat", "-F", "16")
    put_on_fat(path, 0, {r"\loader\entries\heron.conf": entry.encode(), r"\loader\loader.conf": b"timeout 3"})
    with ImageFile(path) as source:
        assert [(one.path, one.kind, one.targets) for one in probe(source).boot_files] == [
            (r"\loader\entries\heron.conf", "entry", (uuid,))
        ]


def test_swap_is_read(tmp_path: Path) -> None:
    identity = "11111111-2222-4333-8444-555555555555"
    found = held(make(tmp_path / "swap", 64 * MIB, "mkswap", "-U", identity, "-L", "night"))
    assert (found.kind, found.label, found.uuid, found.size_bytes) == ("swap", "night", identity, 64 * MIB)


def test_ntfs_use_agrees_with_the_utility(tmp_path: Path, demo_files: tuple[Path, Path]) -> None:
    path = make(tmp_path / "ntfs", 2 * GIB, "mkfs.ntfs", "-F", "-Q", "-q", "-L", "Öl und Tinte")
    found = held(path)
    said = subprocess.run(
        [tools.find("ntfsresize"), "--info", "--force", "--no-progress-bar", str(path)],
        capture_output=True,
        text=True,
        check=True,
    ).stdout
    used = int(re.search(r"Space in use\s+: (\d+) MB", said).group(1))
    assert found.label == "Öl und Tinte"
    assert abs((found.used_bytes or 0) / 10**6 - used) <= 1.5


def test_the_demo_volume_is_asleep_and_pinned_where_its_page_file_ends(found_job) -> None:
    system = found_job.found.find("S1")[1].filesystem
    assert system.hibernated
    assert system.pinned_bytes == (61_604_864 + 2_097_152) * 4096
    assert "page file" in system.smallest_why
    assert used_beyond(system, system.size_bytes - GIB) == 0
    assert used_beyond(system, 0) == system.used_bytes


def test_start_up_files_are_told_apart(tmp_path: Path) -> None:
    path = make(tmp_path / "esp", 64 * MIB, "mkfs.fat", "-F", "32", "-s", "1")
    disk, target, root = (
        "5B0E6F2A-71C4-4D0B-9A53-2F0C9D1E4471",
        "C48E1D93-5A2F-47B6-9E08-D17B3F6A20E4",
        "11111111-2222-4333-8444-555555555555",
    )
    nt = loader("nt", signed=True)
    put_on_fat(
        path,
        0,
        {
            exact("paths", "nt_loader"): nt,
            exact("paths", "fallback_x64"): nt,
            exact("paths", "nt_boot_data"): boot_data(disk, target),
            r"\EFI\quill\shimx64.efi": loader("first", signed=True),
            r"\EFI\quill\grubx64.efi": loader("menu", signed=False),
            r"\EFI\quill\grub.cfg": menu_config(root, "Quill", (("other", exact("paths", "nt_loader")),)),
        },
    )
    with ImageFile(path) as source:
        files = {one.path.rsplit("\\", 1)[-1]: one for one in probe(source, (target,)).boot_files}
    assert {name: one.kind for name, one in files.items()} == {
        "bootmgfw.efi": "nt-loader",
        "BOOTX64.EFI": "nt-loader",
        "BCD": "nt-boot-data",
        "shimx64.efi": "first-stage",
        "grubx64.efi": "menu",
        "grub.cfg": "menu-config",
    }
    assert files["BCD"].targets == (target,)
    assert files["grub.cfg"].targets == (root, exact("paths", "nt_loader"))
    assert (files["shimx64.efi"].signed, files["grubx64.efi"].signed) == (True, False)


SEEDS = [b"\xeb\x3c\x90" + b"NTFS    ".ljust(8), bytes(56) + b"", b"LUKS\xba\xbe", b"XFSB", bytes(3) + b"EXFAT   "]


@given(st.sampled_from(SEEDS), st.binary(max_size=3000), st.binary(max_size=1500))
def test_any_bytes_behind_a_magic_number_give_contents(magic: bytes, head: bytes, super_block: bytes) -> None:
    raw = bytearray((magic + head).ljust(1024, b"\0")[:1024] + super_block.ljust(2048, b"\0") + bytes(70_000))
    raw[510:512] = b"\x55\xaa"
    raw[1024 + 56 : 1024 + 58] = b"\x53\xef"
    probe(Memory(bytes(raw)))
    raw[1024 + 56 : 1024 + 58] = b"\0\0"
    probe(Memory(bytes(raw)))


@given(st.integers(0, 60_000), st.binary(min_size=1, max_size=64))
def test_a_damaged_fat_volume_never_hangs(small_fat: bytes, place: int, damage: bytes) -> None:
    raw = bytearray(small_fat)
    raw[place : place + len(damage)] = damage
    probe(Memory(bytes(raw)))


@given(st.integers(0, 1 << 19), st.binary(min_size=1, max_size=32))
def test_a_damaged_ntfs_volume_never_hangs(small_ntfs: bytes, place: int, damage: bytes) -> None:
    raw = bytearray(small_ntfs)
    raw[place : place + len(damage)] = damage
    probe(Memory(bytes(raw)))


@pytest.fixture(scope="module")
def small_fat(tmp_path_factory: pytest.TempPathFactory) -> bytes:
    path = make(tmp_path_factory.mktemp("fat") / "fat", 4 * MIB, "mkfs.fat", "-F", "12")
    put_on_fat(path, 0, {r"\EFI\BOOT\BOOTX64.EFI": loader("x", signed=True)})
    return path.read_bytes()


@pytest.fixture(scope="module")
def small_ntfs(tmp_path_factory: pytest.TempPathFactory) -> bytes:
    return make(tmp_path_factory.mktemp("ntfs") / "ntfs", 4 * MIB, "mkfs.ntfs", "-F", "-Q", "-q").read_bytes()


@given(st.binary(max_size=600))
def test_signature_reading_takes_any_bytes(raw: bytes) -> None:
    assert pe_signed(b"MZ" + raw) in {True, False}


@pytest.mark.parametrize(
    ("kind", "label", "good"),
    [
        ("fat32", "LINUX-BOOT", True),
        ("fat32", "linux", False),
        ("fat32", "ABCDEFGHIJKL", False),
        ("fat32", " ", False),
        ("fat32", "DESK ", False),
        ("ext4", "a" * 16, True),
        ("ext4", "ä" * 9, False),
        ("swap", "x" * 16, False),
        ("ntfs", "x" * 32, True),
    ],
)
def test_labels_that_a_file_system_refuses(kind: str, label: str, good: bool) -> None:
    assert (label_fault(kind, label) == "") == good


@pytest.mark.parametrize(
    ("command", "kind"),
    [
        (("mkfs.exfat", "-L", "Tinte"), "exfat"),
        (("mkfs.btrfs", "-q", "-f", "-L", "Tinte"), "btrfs"),
        (("mkfs.xfs", "-q", "-f", "-L", "Tinte"), "xfs"),
        (("mkfs.f2fs", "-q", "-f", "-l", "Tinte"), "f2fs"),
    ],
)
def test_other_file_systems_agree_with_the_base_lister(tmp_path: Path, command: tuple[str, ...], kind: str) -> None:
    path = make(tmp_path / "volume", 600 * MIB, *command)
    seen = dict(line.split("=", 1) for line in tools.run("blkid", "-p", "-o", "export", path).output.splitlines())
    found = held(path)
    assert (found.kind, found.label, found.uuid, found.size_bytes) == (kind, seen["LABEL"], seen["UUID"], 600 * MIB)
    assert 0 < found.used_bytes < 130 * MIB


@pytest.mark.parametrize("version", ["luks1", "luks2"])
def test_containers_agree_with_the_base_lister(tmp_path: Path, version: str) -> None:
    path = tmp_path / "volume"
    path.write_bytes(b"")
    with path.open("r+b") as out:
        out.truncate(64 * MIB)
    options = ["--type", version, "-q", "--pbkdf", "pbkdf2", "--pbkdf-force-iterations", "1000"] + (
        ["--label", "vault"] if version == "luks2" else []
    )
    tools.run("cryptsetup", "luksFormat", *options, path, "-", feed="pass")
    seen = dict(line.split("=", 1) for line in tools.run("blkid", "-p", "-o", "export", path).output.splitlines())
    found = held(path)
    assert (found.kind, found.uuid, found.label) == ("luks", seen["UUID"], seen.get("LABEL", ""))


def test_exfat_use_is_counted_from_its_bitmap(tmp_path: Path) -> None:
    path = make(tmp_path / "volume", 600 * MIB, "mkfs.exfat")
    before = held(path)
    said = subprocess.run([tools.find("dump.exfat"), str(path)], capture_output=True, text=True, check=True).stdout
    assert before.clusters == int(re.search(r"Cluster Count:\s+(\d+)", said).group(1))
    with ImageFile(path) as source:
        from inkshelf.core.disk import exfat

        volume = exfat.layout(source)
        assert volume is not None
        bitmap = volume.place(2)
    with path.open("r+b") as out:
        out.seek(bitmap + 100)
        out.write(b"\xff\x01")
    assert held(path).used_bytes == before.used_bytes + 9 * before.cluster_bytes


@given(st.integers(64, 4000), st.binary(min_size=1, max_size=40))
def test_damaged_marks_never_hang(place: int, damage: bytes) -> None:
    for mark, at in (
        (b"\xeb\x76\x90EXFAT   ", 0),
        (b"XFSB", 0),
        (b"LUKS\xba\xbe\0\2", 0),
        (b"LABELONE", 512),
        (b"_BHRfS_M", 65600),
        (b"CD001", 32769),
        (b"NXSB", 32),
    ):
        raw = bytearray(80_000)
        raw[at : at + len(mark)] = mark
        raw[place : place + len(damage)] = damage
        probe(Memory(bytes(raw)))


def test_a_file_in_many_pieces_is_joined_from_its_attribute_list(small_ntfs: bytes) -> None:
    """The bitmap's only run is moved to a second record, as on a volume in use for years; every figure stays."""

    from inkshelf.core.disk import ntfs

    before = ntfs.probe(Memory(small_ntfs))
    volume = ntfs.open_ntfs(Memory(small_ntfs))
    raw = bytearray(ntfs.record_bytes(volume, ntfs.BITMAP))
    at = struct.unpack_from("<H", raw, 20)[0]
    while struct.unpack_from("<I", raw, at)[0] != ntfs.DATA:
        at += struct.unpack_from("<I", raw, at + 4)[0]
    length = struct.unpack_from("<I", raw, at + 4)[0]
    moved, tail = bytes(raw[at : at + length]), bytes(raw[at + length : struct.unpack_from("<I", raw, 24)[0]])
    listed = struct.pack("<IHBBQQH", ntfs.DATA, 32, 0, 26, 0, 12, 0).ljust(32, b"\0")
    attribute = struct.pack("<IIBBHHHIHBB", ntfs.ATTRIBUTE_LIST, 24 + 32, 0, 0, 24, 0, 9, 32, 24, 0, 0) + listed
    disk = bytearray(small_ntfs)
    first = struct.unpack_from("<H", raw, 20)[0]
    for number, body in ((ntfs.BITMAP, bytes(raw[:at]) + attribute + tail), (12, bytes(raw[:first]) + moved + tail)):
        record = bytearray(body.ljust(len(raw), b"\0"))
        struct.pack_into("<I", record, 24, len(body))
        place = volume.mft_runs[0][0] * volume.cluster + number * volume.record
        disk[place : place + len(record)] = ntfs.protected(record)
    after = ntfs.probe(Memory(bytes(disk)))
    assert after is not None
    assert after[0].used_bytes == before[0].used_bytes
    assert after[0].used_map == before[0].used_map


@pytest.fixture(scope="module")
def small_ext(tmp_path_factory: pytest.TempPathFactory) -> Path:  # a path: six MiB of bytes would be printed where a test fails
    folder = tmp_path_factory.mktemp("ext")
    tree = folder / "tree"
    for number in range(40):
        (tree / f"{number % 5}").mkdir(parents=True, exist_ok=True)
        (tree / f"{number % 5}" / f"file {number}").write_bytes(b"x" * 3000 * number)
    return make(folder / "ext", 6 * MIB, "mkfs.ext4", "-F", "-q", "-b", "1024", "-d", str(tree))


@given(st.lists(st.tuples(st.integers(0, 400 << 10), st.binary(min_size=1, max_size=16)), min_size=1, max_size=6))
def test_a_damaged_ext_volume_never_hangs(small_ext: Path, damage: list[tuple[int, bytes]]) -> None:
    raw = bytearray(small_ext.read_bytes())
    for place, data in damage:
        raw[place : place + len(data)] = data
    source = Memory(bytes(raw))
    probe(source)
    try:
        volume = ext.open_ext(source)
        if volume is not None:
            assert sum(1 for _ in ext_files.files(volume)) < 20_000
    except FormatError as error:
        assert error.what


@pytest.mark.parametrize(("at", "size"), [(88, 1), (88, 100), (88, 2048), (254, 1), (254, 4096)])
def test_inodes_and_descriptors_of_no_possible_size_are_said(small_ext: Path, at: int, size: int) -> None:
    raw = bytearray(small_ext.read_bytes())
    raw[1024 + at : 1026 + at] = size.to_bytes(2, "little")
    with pytest.raises(FormatError, match="damaged"):
        ext.open_ext(Memory(bytes(raw)))
    assert "damaged" in probe(Memory(bytes(raw))).fault


@given(st.binary(min_size=300, max_size=300))
def test_an_ext_super_block_of_any_bytes_is_read_in_no_time(raw: bytes) -> None:
    head = bytearray(64 << 10)
    head[1024:1324] = raw
    head[1080:1082] = b"\x53\xef"
    head[1048:1052] = bytes((raw[0] % 7, 0, 0, 0))
    probe(Memory(bytes(head)))
