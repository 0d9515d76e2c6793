"""What the kit's script of the NT family leaves: its disks, partitions, volumes, and how far each can shrink."""

from __future__ import annotations

from typing import Any

from inkshelf.core.disk.types import gpt_type
from inkshelf.core.errors import CaptureError
from inkshelf.core.machine.captured import Facts
from inkshelf.core.machine.state import Disk, FileSystem, SystemRoot, Table, Volume
from inkshelf.core.texts import shown
from inkshelf.core.value import replace
from inkshelf.exchange.captures import table_of
from inkshelf.exchange.fields import listed, number, word
from inkshelf.exchange.kit import Kit, nominal
from inkshelf.exchange.listed_mbr import as_mbr
from inkshelf.exchange.ntbootdata import is_boot_data

KINDS = {"ntfs": "ntfs", "fat32": "fat32", "fat": "fat16", "exfat": "exfat"}
REQUIRED = 1
ATTRIBUTES = (("read_only", 60), ("hidden", 62), ("no_letter", 63))
OF_ONE = (
    "supported size of",
    "volume of",
    "platters of",
)  # many a volume or disk has none, and what is not known of one is asked for there
PLATTERS = {"hdd": True, "3": True, "ssd": False, "4": False, "scm": False, "5": False}
"""Whether something turns in a disk, by its kind of media or the number of that; a bridge or a card tells none."""
AS_OFFERED = "as its own system offers"


def read_nt(document: dict[str, Any]) -> Kit:
    """Return the disks and facts of a capture; raises ``CaptureError`` for what cannot be."""
    found = _some(document, "disks")
    if not found:
        raise CaptureError("No disk is in this capture.", "Run the script as administrator, on the machine itself.")
    parts = _some(document, "partitions")
    locks = {word(one, "mount").rstrip(":\\").upper(): one for one in _some(document, "encryption")}
    asleep = document.get("fast_startup")
    hibernates = None if not isinstance(asleep, int) else bool(asleep)
    disks = tuple(
        _disk(one, [part for part in parts if part.get("disk") == one.get("number")], locks, hibernates) for one in found
    )
    missing = document.get("missing")
    told = missing.items() if isinstance(missing, dict) else ()
    reasons = [f"{name}: {why}" for name, why in told if not name.startswith(OF_ONE)]
    boot_data = document.get("boot_data")  # of many lines: not a word
    texts = (boot_data,) if isinstance(boot_data, str) and is_boot_data(boot_data) else ()
    return Kit(_facts(document, locks), texts, disks, tuple(shown(one.replace("\n", " "))[:200] for one in reasons[:20]))


def _some(document: dict[str, Any], name: str) -> list[dict[str, Any]]:
    """A list of one comes as that one alone from some versions of the shell."""
    given = document.get(name)
    return [one for one in ([given] if isinstance(given, dict) else listed(document, name)) if isinstance(one, dict)]


def _facts(document: dict[str, Any], locks: dict[str, dict[str, Any]]) -> Facts:
    mode, secure = word(document, "firmware").lower(), document.get("secure_boot")
    states = [word(one, "protection").lower() for one in locks.values()]
    memory = number(document.get("memory_bytes"), "memory")
    return Facts(
        mode="uefi" if mode == "uefi" else "legacy" if mode in {"legacy", "bios"} else None,
        secure_boot="on" if secure is True else "off" if secure is False else None,
        ram_bytes=nominal(memory) if memory else None,
        encrypted=any(one in {"on", "1"} for one in states) if states else None,
        maker=word(document, "maker")[:200],
    )


def _disk(one: dict[str, Any], parts: list[dict[str, Any]], locks: dict[str, dict[str, Any]], hibernates: bool | None) -> Disk:  # noqa: FBT001
    size, sector = number(one.get("bytes"), "disk size"), number(one.get("sector"), "sector size") or 512
    kind = {"gpt": "gpt", "mbr": "mbr"}.get(word(one, "style").lower(), "none")
    signature = number(one.get("signature"), "disk signature") & 0xFFFFFFFF
    identity = word(one, "guid").strip("{}") if kind == "gpt" else f"{signature:08x}" if signature else ""
    volumes = tuple(sorted((_volume(part, locks, hibernates) for part in parts), key=lambda each: each.start))
    made = Disk(
        id="",
        size=size,
        sector=sector,
        physical_sector=number(one.get("physical_sector"), "sector size") or sector,
        model=word(one, "model"),
        serial=word(one, "serial").rstrip("."),
        transport=word(one, "bus").lower(),
        rotational=PLATTERS.get(word(one, "media").lower()),
        removable=word(one, "bus").lower() in {"usb", "sd", "mmc"},
        table=table_of(kind, identity, size, sector) if kind != "none" else Table(),
        volumes=volumes,
    )
    return as_mbr(made)


def _volume(part: dict[str, Any], locks: dict[str, dict[str, Any]], hibernates: bool | None) -> Volume:  # noqa: FBT001
    size, letter = number(part.get("bytes"), "partition size"), word(part, "letter").upper()
    mbr = number(part.get("mbr_type"), "partition type")
    kind = word(part, "type").strip("{}").upper()
    lock = word(locks.get(letter, {}), "lock").lower()
    made = Volume(
        call="",
        number=number(part.get("number"), "partition number"),
        start=number(part.get("start"), "partition start"),
        size=size,
        type_id=kind or (f"0x{mbr & 0xFF:02X}" if mbr else ""),
        guid=word(part, "guid").strip("{}").upper() if kind else "",
        attributes=_attributes(part, kind),
        active=part.get("active") is True and not kind,
        filesystem=FileSystem("nt-encrypted", size) if lock == "locked" else _filesystem(part, size),
    )
    if part.get("system") is not True or made.filesystem is None:
        return made
    system = replace(made.filesystem, hibernated=hibernates)
    return replace(made, filesystem=system, holds=SystemRoot("nt", "NT family", True, assumed=True))


def _attributes(part: dict[str, Any], kind: str) -> int:
    """The shell does not tell bit 0, "required", which its family sets on every recovery partition: to lose it would be a change."""
    told = sum(1 << bit for key, bit in ATTRIBUTES if part.get(key) is True)
    return 0 if not kind else told | REQUIRED if kind == gpt_type("nt_recovery") else told


def _filesystem(part: dict[str, Any], size: int) -> FileSystem | None:
    kind = KINDS.get(word(part, "file_system").lower())
    if kind is None:
        return None
    whole, free = number(part.get("volume_bytes"), "volume size"), part.get("free")
    used = max(0, whole - number(free, "free space")) if whole and free is not None else None
    least = part.get("smallest")
    smallest = number(least, "supported minimum") if least is not None else 0
    offers = kind == "ntfs" and 0 < smallest <= size
    return FileSystem(
        kind=kind,
        size_bytes=size,
        label=word(part, "label"),
        used_bytes=min(used, size) if used is not None else None,
        smallest_bytes=smallest if offers else None,
        smallest_why=AS_OFFERED if offers else "",
        cluster_bytes=4096,
        clusters=65_525 if kind == "fat32" else 0,
    )
