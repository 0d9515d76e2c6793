"""Images for tests: trees that base utilities make into discs, and a tiny writer for what they would need gigabytes for."""

from __future__ import annotations

import struct
import subprocess
from pathlib import Path

from inkshelf.bench import stand_ins

SECTOR = 2048
LABEL = "MEADOW_4"
MENU = """search --label MEADOW_4
menuentry "try it" {
  linux /live/vmlinuz boot=live root=live:CDLABEL=MEADOW_4 quiet
  initrd /live/initrd.img
}
menuentry "nothing" { linux /live/absent }
"""


def tree(folder: Path, *, signed: bool = True, loaders: tuple[str, ...] = ("BOOTX64.EFI",)) -> Path:
    """The files of a live system, with names that short ones cannot hold."""
    for one in ("EFI/BOOT", "boot/grub", "live/deeper/deepest", "empty"):
        (folder / one).mkdir(parents=True)
    for name in loaders:
        (folder / "EFI/BOOT" / name).write_bytes(stand_ins.loader("first", signed=signed, size=90_000))
    (folder / "live/vmlinuz").write_bytes(b"k" * 100_001)
    (folder / "live/initrd.img").write_bytes(b"i" * 300_000)
    (folder / "live/A Long Name with Blanks and größe.squashfs").write_bytes(b"s" * 2_000_000)
    (folder / "live/deeper/deepest/x.y.z").write_bytes(b"")
    for number in range(60):
        (folder / "live" / f"part-{number:03}.dat").write_bytes(bytes([number]) * (number * 37))
    (folder / "boot/grub/grub.cfg").write_text(MENU)
    (folder / "boot/bios.img").write_bytes(b"\xfa" * 2048)
    return folder


def start_up(path: Path, loader: Path) -> Path:
    """A small EFI system partition with a loader."""
    with path.open("wb") as out:
        out.truncate(4 << 20)
    subprocess.run(["mkfs.fat", "-F", "12", path], check=True, capture_output=True)
    subprocess.run(["mmd", "-i", path, "::/EFI", "::/EFI/BOOT"], check=True)
    subprocess.run(["mcopy", "-i", path, loader, f"::/EFI/BOOT/{loader.name}"], check=True)
    return path


WAYS: dict[str, tuple[str, ...]] = {
    "plain": ("genisoimage", "-iso-level", "3"),
    "rock ridge": ("xorriso", "-as", "mkisofs", "-R"),
    "joliet": ("xorriso", "-as", "mkisofs", "-J", "-joliet-long"),
    "both": ("genisoimage", "-R", "-J", "-joliet-long"),
    "udf": ("genisoimage", "-udf", "-J", "-joliet-long"),
    "hybrid": ("xorriso", "-as", "mkisofs", "-R", "-J"),
}


def make(way: str, files: Path, out: Path, *, esp: Path | None = None) -> Path:
    """Make a disc of a tree in one of the ways; ``esp``: what UEFI starts, and the legacy way with it."""
    more: list[str | Path] = []
    if esp is not None:
        (files / "boot/efi.img").write_bytes(esp.read_bytes())
        more = ["-b", "boot/bios.img", "-no-emul-boot", "-boot-load-size", "4", "-eltorito-alt-boot"]
        more += ["-e", "boot/efi.img", "-no-emul-boot"]
        if way == "hybrid":
            more += ["-append_partition", "2", "0xef", esp, "-appended_part_as_gpt"]
    command, *options = WAYS[way]
    first, rest = (options[:2], options[2:]) if command == "xorriso" else ([], options)
    subprocess.run([command, *first, "-quiet", "-V", LABEL, *rest, "-o", out, *more, files], check=True, capture_output=True)
    return out


def huge(out: Path, size: int, name: bytes = b"BIG.IMG;1") -> Path:
    """A disc with one file of any size, all of it a hole: ISO 9660 with as many extents as that takes (ECMA-119, 9.1)."""
    extents, left, block = [], size, 20
    while left > 0:
        part = min(left, 0xFFFFF800)
        extents.append((block, part))
        block, left = block + -(-part // SECTOR), left - part
    rows = record(19, SECTOR, 2, b"\0") + record(19, SECTOR, 2, b"\1")
    for at, (place, part) in enumerate(extents):
        rows += record(place, part, 0 if at == len(extents) - 1 else 128, name)
    head = bytearray(SECTOR)
    head[:7] = b"\1CD001\1"
    head[40:72] = b"HUGE".ljust(32)
    struct.pack_into("<I", head, 80, block)
    struct.pack_into("<H", head, 128, SECTOR)
    head[156:190] = record(19, SECTOR, 2, b"\0")
    with out.open("wb") as file:
        file.truncate(block * SECTOR)
        file.seek(16 * SECTOR)
        file.write(head + b"\xffCD001\1".ljust(SECTOR, b"\0"))
        file.seek(19 * SECTOR)
        file.write(rows.ljust(SECTOR, b"\0"))
    return out


def record(block: int, size: int, flags: int, name: bytes) -> bytes:
    """A directory record; numbers stand in both byte orders."""
    body = (
        struct.pack("<B", 0)
        + struct.pack("<I", block)
        + struct.pack(">I", block)
        + struct.pack("<I", size)
        + struct.pack(">I", size)
    )
    body += bytes(7) + bytes([flags, 0, 0]) + struct.pack("<HH", 1, 256) + bytes([len(name)]) + name
    body += b"" if len(name) % 2 else b"\0"
    return bytes([len(body) + 1]) + body


def install_image() -> bytes:
    """A small install image of the NT family, as another writer makes it."""
    import tempfile

    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch) / "tree"
        folder.mkdir()
        for number in range(6):
            (folder / f"f{number}").write_bytes(bytes([number]) * 3000)
        path = Path(scratch) / "install.wim"
        subprocess.run(["wimlib-imagex", "capture", folder, path, "Home", "--compress=XPRESS"], check=True, capture_output=True)
        return path.read_bytes()
