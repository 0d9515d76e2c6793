"""The demo machine, built from a recipe on first use: sparse, in seconds, real file systems with real files inside.

Everything in it is made up. The owner of a small printing house wants a Linux desktop beside the system that is there.
"""

from __future__ import annotations

import json
import os
import struct
import tempfile
from pathlib import Path

from inkshelf.bench import stand_ins, tools
from inkshelf.bench.image import ImageFile
from inkshelf.bench.kinds import fat
from inkshelf.bench.ntfs_fill import lengthen
from inkshelf.bench.sparse import copy_data, write_all
from inkshelf.core.disk.contents import BootFile
from inkshelf.core.disk.gpt import GptEntry, GptTable, blank, encode
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.size import GIB, MIB
from inkshelf.data import exact

DISK_BYTES = 512_110_190_592
DISK_GUID = "5B0E6F2A-71C4-4D0B-9A53-2F0C9D1E4471"
GUIDS = {
    "B1": "7D1C5E02-93AB-4E6F-8C11-0A5F3B7DE4A9",
    "N1": "2F9A4C60-1B7E-4A55-B0D3-6E2C81F7A3C5",
    "S1": "C48E1D93-5A2F-47B6-9E08-D17B3F6A20E4",
    "R1": "91B7F3E8-2C64-4D19-A7F5-3E8D0C5B6A12",
}
MODEL, SERIAL = "Wren NV-512", "WN08-8831-C"
OWNER, MACHINE = "Lanternhouse Press", "layout desk"


def places() -> dict[str, tuple[int, int]]:
    """Return start and size in bytes of each demo volume."""
    system = int(456.25 * GIB)
    return {"B1": (MIB, 300 * MIB), "N1": (301 * MIB, 16 * MIB), "S1": (317 * MIB, system), "R1": (317 * MIB + system, 1 * GIB)}


def build(folder: Path) -> tuple[Path, Path]:
    """Make the demo's image and captured listing in ``folder`` where they are not there yet; return both paths."""
    folder.mkdir(parents=True, exist_ok=True)
    image, capture = folder / "layout-desk.img", folder / "layout-desk.lsblk.json"
    if not image.exists():
        half = folder / "layout-desk.img.part"
        make_disk(half)
        half.rename(image)
    capture.write_text(json.dumps(listing(), indent=1) + "\n", encoding="utf-8")
    return image, capture


def make_disk(path: Path, size: int = DISK_BYTES) -> None:
    """Write the demo disk: table, EFI system partition, NT-family system and recovery volumes with files on them."""
    place = places()
    with path.open("wb") as out:
        out.truncate(size)
        for offset, piece in encode(_table(size, place)):
            write_all(out.fileno(), piece, offset)
        _startup(path, place["B1"])
        _nt_volume(out.fileno(), path.parent, place["S1"], "SYSTEM", 0x7A3C91D2E8B40561, SYSTEM_FILES, SYSTEM_LENGTHS)
        _nt_volume(
            out.fileno(),
            path.parent,
            place["R1"],
            "RECOVERY",
            0x1C5E02D793AB4E6F,
            {"rescue.img": b"recovery image\n"},
            {"rescue.img": ((40_000, 85_000), (135_000, 60_000))},
        )
        os.fsync(out.fileno())


SYSTEM_FILES = {
    exact("nt", "page_file"): b"page file\n",
    "catalogue-2026.csv": b"title;copies\nHeron and Tide;400\nThe Lantern Year;1200\n",
    "letter to the binder.txt": b"Dear Ms Osprey, the sheets are ready.\n",
    "accounts.txt": b"paper 4120\nink 318\n",
    "photographs.dat": b"archive of plates\n",
    "typefaces.dat": b"archive of type\n",
    "programs.dat": b"installed programs\n",
    exact("nt", "hibernation_file"): b"hibernation file\n",  # last: with it there the utilities refuse to write
}
# first cluster and count of 4 KiB clusters; the page file ends at 243 GiB, as on a disk that has been in use for years
SYSTEM_LENGTHS = {
    "programs.dat": ((300_000, 12_000_000),),
    "photographs.dat": ((12_500_000, 2_400_000), (15_000_000, 21_500_000)),
    "typefaces.dat": ((37_000_000, 9_000_000),),
    exact("nt", "hibernation_file"): ((46_200_000, 1_677_722),),
    exact("nt", "page_file"): ((61_604_864, 2_097_152),),
}


def _table(size: int, place: dict[str, tuple[int, int]]) -> GptTable:
    kinds = {
        "B1": ("efi_system", 0, "EFI system partition"),
        "N1": ("nt_reserved", 0, "reserved partition"),
        "S1": ("basic_data", 0, "Basic data partition"),
        "R1": ("nt_recovery", 1 << 63 | 1, ""),
    }
    from inkshelf.core.value import replace

    entries = tuple(
        GptEntry(number, gpt_type(kinds[call][0]), GUIDS[call], start // 512, (start + length) // 512 - 1, *kinds[call][1:])
        for number, (call, (start, length)) in enumerate(place.items(), 1)
    )
    return replace(blank(size, 512, DISK_GUID), entries=entries)


def _startup(image: Path, place: tuple[int, int]) -> None:
    start, size = place
    tools.run(
        "mkfs.fat",
        "-F",
        "32",
        "-S",
        "512",
        "-s",
        "1",
        "-n",
        "SYSTEM",
        "-i",
        "3A91C07E",
        "-g",
        "64/32",
        "--offset",
        str(start // 512),
        image,
        str(size // 1024),
    )
    nt_loader = stand_ins.startup_loader(BootFile(exact("paths", "nt_loader"), "nt-loader", stand_ins.LOADER, signed=True))
    put_on_fat(
        image,
        start,
        {
            exact("paths", "nt_loader"): nt_loader,
            exact("paths", "fallback_x64"): nt_loader,
            exact("paths", "nt_boot_data"): stand_ins.boot_data(GUIDS["S1"]),
        },
    )


def put_on_fat(image: Path, start: int, files: dict[str, bytes]) -> None:
    """Write files (paths with backslashes) to the FAT volume that begins at byte ``start`` of an image; folders are made."""
    fat.put(image, {path.replace("\\", "/"): data for path, data in files.items()}, start)


def _nt_volume(
    fd: int,
    scratch_folder: Path,
    place: tuple[int, int],
    label: str,
    serial: int,
    files: dict[str, bytes],
    lengths: dict[str, tuple[tuple[int, int], ...]],
) -> None:
    start, size = place
    with tempfile.TemporaryDirectory(dir=scratch_folder) as folder:
        volume = Path(folder) / "volume"
        with volume.open("wb") as out:
            out.truncate(size)
        geometry = f"-c 4096 -s 512 -p {start // 512} -H 255 -S 63".split()
        tools.run("mkfs.ntfs", "-F", "-Q", "-q", "-L", label, *geometry, volume)
        for name, data in files.items():
            local = Path(folder) / "file"
            local.write_bytes(data)
            tools.run("ntfscp", "-q", volume, local, name)
        out_fd = os.open(volume, os.O_RDWR)
        try:
            _set_serial(out_fd, size, serial)
            _lengthen_all(volume, out_fd, lengths)
            copy_data(out_fd, fd, 0, size, start)
        finally:
            os.close(out_fd)


def _lengthen_all(volume: Path, fd: int, lengths: dict[str, tuple[tuple[int, int], ...]]) -> None:
    for name, runs in lengths.items():
        with ImageFile(volume) as source:
            lengthen(source, fd, name, runs)
        if name == exact("nt", "hibernation_file"):
            write_all(fd, b"HIBR", runs[0][0] * 4096)  # fast start-up left it half asleep


def _set_serial(fd: int, size: int, serial: int) -> None:
    for at in (0, size - 512):
        write_all(fd, struct.pack("<Q", serial), at + 72)


LABELS = {
    "B1": ("vfat", "SYSTEM", "3A91-C07E"),
    "N1": (None, None, None),
    "S1": ("ntfs", "SYSTEM", "7A3C91D2E8B40561"),
    "R1": ("ntfs", "RECOVERY", "1C5E02D793AB4E6F"),
}
TYPES = {"B1": "efi_system", "N1": "nt_reserved", "S1": "basic_data", "R1": "nt_recovery"}


def listing() -> dict[str, object]:
    """Return what ``lsblk --json --bytes --output-all`` prints on the demo machine, as far as it is read."""
    disk = {
        "name": "nvme0n1",
        "path": "/dev/nvme0n1",
        "type": "disk",
        "size": DISK_BYTES,
        "model": MODEL,
        "serial": SERIAL,
        "tran": "nvme",
        "rm": False,
        "log-sec": 512,
        "phy-sec": 4096,
        "pttype": "gpt",
        "ptuuid": DISK_GUID.lower(),
    }
    children = [_listed(number, call, *place) for number, (call, place) in enumerate(places().items(), 1)]
    return {"blockdevices": [{**disk, "children": children}]}


def _listed(number: int, call: str, start: int, size: int) -> dict[str, object]:
    kind, label, identity = LABELS[call]
    return {
        "name": f"nvme0n1p{number}",
        "path": f"/dev/nvme0n1p{number}",
        "type": "part",
        "size": size,
        "start": start // 512,
        "partn": number,
        "parttype": gpt_type(TYPES[call]).lower(),
        "partuuid": GUIDS[call].lower(),
        "pttype": "gpt",
        "fstype": kind,
        "label": label,
        "uuid": identity,
        "fsused": None,
        "mountpoints": [None],
    }
