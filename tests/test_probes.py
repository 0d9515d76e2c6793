"""What volumes hold: against the utilities that made them, and with any bytes behind their magic."""

from __future__ import annotations

import json
import re
import subprocess
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from disks import held, make_volume
from inkshelf.bench import tools
from inkshelf.bench.demo import put_on_fat
from inkshelf.bench.image import ImageFile
from inkshelf.bench.stand_ins import boot_data, loader, menu_config
from inkshelf.core.disk import ext, ext_shrink, fat
from inkshelf.core.disk.filesystems import fresh, label_fault, used_beyond
from inkshelf.core.disk.kinds.fat import LEAST_CLUSTERS as FAT32_LEAST_CLUSTERS
from inkshelf.core.disk.kinds.fat import cluster_sectors as fat32_cluster_sectors
from inkshelf.core.disk.kinds.fat import clusters as fat32_clusters
from inkshelf.core.disk.others import probe_luks
from inkshelf.core.disk.probe import probe
from inkshelf.core.disk.source import Memory
from inkshelf.core.size import GIB, MIB
from inkshelf.data import exact


@pytest.mark.parametrize(
    ("bits", "size", "label"),
    [(12, 4 * MIB, "SMALL"), (16, 64 * MIB, "MIDDLE"), (32, 300 * MIB, "BOOT"), (32, 2 * GIB, "LARGE")],
)
def test_fat_is_read_as_it_was_made(tmp_path: Path, bits: int, size: int, label: str) -> None:
    path = make_volume(tmp_path / "fat", size, "mkfs.fat", "-F", str(bits), "-n", label, "-i", "1234abcd")
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
    path = make_volume(
        tmp_path / "fat", size, "mkfs.fat", "-F", "32", "-S", str(sector), "-s", str(each), "-R", "32", "-f", "2", "-g", "64/32"
    )
    assert held(path).clusters == fresh("fat32", 0, size, "", "", sector).clusters


@pytest.mark.parametrize("gib", [1, 10, 50, 120])
def test_ext4_is_read_and_its_overhead_predicted(tmp_path: Path, gib: int) -> None:
    identity = "11111111-2222-4333-8444-555555555555"
    path = make_volume(
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
    path = make_volume(tmp_path / "ext", size * MIB, command[0], "-F", "-q", *command[1:], *options)
    said = subprocess.run([tools.find("resize2fs"), "-P", str(path)], capture_output=True, text=True, check=True).stdout
    with ImageFile(path) as source:
        assert ext_shrink.smallest_blocks(ext.open_ext(source)) == int(said.split()[-1])


def test_files_on_ext4_are_found_by_path(tmp_path: Path) -> None:
    path = make_volume(tmp_path / "ext", 64 * MIB, "mkfs.ext4", "-F", "-q")
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
    path = make_volume(tmp_path / "ext", 64 * MIB, "mkfs.ext4", "-F", "-q", "-d", str(tree))
    with ImageFile(path) as source:
        found = probe(source)
    assert [(one.path, one.kind, one.targets) for one in found.boot_files] == [
        ("/boot/grub/grub.cfg", "menu-config", (uuid,)),
        ("/loader/entries/heron.conf", "entry", (uuid,)),
    ]
    path = make_volume(tmp_path / "fat", 64 * MIB, "mkfs.fat", "-F", "16")
    put_on_fat(path, 0, {r"\loader\entries\heron.conf": entry.encode(), r"\loader\loader.conf": b"timeout 3"})
    with ImageFile(path) as source:
        assert [(one.path, one.kind, one.targets) for one in probe(source).boot_files] == [
            (r"\loader\entries\heron.conf", "entry", (uuid,)),
            (r"\loader\loader.conf", "entry-config", ()),
        ]


def test_swap_is_read(tmp_path: Path) -> None:
    identity = "11111111-2222-4333-8444-555555555555"
    found = held(make_volume(tmp_path / "swap", 64 * MIB, "mkswap", "-U", identity, "-L", "night"))
    assert (found.kind, found.label, found.uuid, found.size_bytes) == ("swap", "night", identity, 64 * MIB)


def test_ntfs_use_agrees_with_the_utility(tmp_path: Path, demo_files: tuple[Path, Path]) -> None:
    path = make_volume(tmp_path / "ntfs", 2 * GIB, "mkfs.ntfs", "-F", "-Q", "-q", "-L", "Öl und Tinte")
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
    path = make_volume(tmp_path / "esp", 64 * MIB, "mkfs.fat", "-F", "32", "-s", "1")
    target, root = ("C48E1D93-5A2F-47B6-9E08-D17B3F6A20E4", "11111111-2222-4333-8444-555555555555")
    nt = loader("nt", signed=True)
    put_on_fat(
        path,
        0,
        {
            exact("paths", "nt_loader"): nt,
            exact("paths", "fallback_x64"): nt,
            exact("paths", "nt_boot_data"): boot_data(target),
            r"\EFI\quill\shimx64.efi": loader("first", signed=True),
            r"\EFI\quill\grubx64.efi": loader("menu", signed=False),
            r"\EFI\quill\grub.cfg": menu_config(((root, root),), "Quill", (("other", exact("paths", "nt_loader")),)),
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
    path = make_volume(tmp_path / "volume", 600 * MIB, *command)
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
    assert found.slots == ("pbkdf2",)
    (tmp_path / "old").write_text("pass")
    (tmp_path / "new").write_text("another")
    more = (
        ["--pbkdf", "argon2id", "--pbkdf-force-iterations", "4", "--pbkdf-memory", "64"]
        if version == "luks2"
        else ["--pbkdf-force-iterations", "1000"]
    )
    tools.run("cryptsetup", "luksAddKey", "-q", *more, "--key-file", tmp_path / "old", path, tmp_path / "new")
    second = "argon2id" if version == "luks2" else "pbkdf2"
    assert held(path).slots == ("pbkdf2", second)
    dumped = tools.run("cryptsetup", "luksDump", path).output
    assert dumped.count("argon2id" if version == "luks2" else "ENABLED") == (1 if version == "luks2" else 2), (
        "as its own utility has it"
    )
    tools.run("cryptsetup", "luksKillSlot", "-q", path, "0")
    assert held(path).slots == (second,)


@given(st.integers(0, 8191), st.binary(min_size=1, max_size=40))
def test_a_damaged_head_of_a_container_has_slots_or_none(place: int, damage: bytes) -> None:
    area = json.dumps({"keyslots": {"0": {"kdf": {"type": "argon2id"}}, "1": {"kdf": {"type": "pbkdf2"}}}}).encode()
    raw = bytearray(16 << 10)
    raw[:16] = b"LUKS\xba\xbe\x00\x02" + (16 << 10).to_bytes(8, "big")
    raw[4096 : 4096 + len(area)] = area
    whole = probe_luks(Memory(bytes(raw)))
    assert whole is not None
    assert whole.slots == ("argon2id", "pbkdf2")
    raw[place : place + len(damage)] = damage
    found = probe_luks(Memory(bytes(raw)))
    assert found is None or set(found.slots) <= {"argon2id", "pbkdf2", "argon2i", "unknown"}


def test_exfat_use_is_counted_from_its_bitmap(tmp_path: Path) -> None:
    path = make_volume(tmp_path / "volume", 600 * MIB, "mkfs.exfat")
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
