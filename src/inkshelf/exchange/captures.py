"""Captured text: what ``lsblk --json --bytes --output-all`` and ``sfdisk --json`` print, from old and new versions."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

from inkshelf.bounded import TooLargeError, read_bounded
from inkshelf.core.disk.kinds import LISTED
from inkshelf.core.disk.lvm_extents import DATA_START, EXTENT, extents_of
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.errors import CaptureError
from inkshelf.core.machine.assemble import assume_loaders
from inkshelf.core.machine.captured import same_disk
from inkshelf.core.machine.state import Disk, FileSystem, Inside, SystemRoot, Table, Volume
from inkshelf.core.value import replace
from inkshelf.exchange.fields import listed, number, word
from inkshelf.exchange.listed_mbr import MADE_UP, SYSTEM_LEAST, as_mbr, guid_of, with_old_system
from inkshelf.exchange.mounted import DEEPEST, Mounts, has_root, mounts, places, root

ROTATES = {"true": True, "1": True, "false": False, "0": False}
"""What versions of the utility say of platters; a bridge for sticks may say that they turn."""
CHIPS_OWN = re.compile(r"^mmcblk\d+(?:boot\d+|rpmb)$")  # areas of a soldered chip that hold its firmware's own
IN_MEMORY, EMPTY = ("zram", "ram"), (0, "0")

LARGEST = 1 << 24
"""Bytes of what a command printed."""


def read_text(path: Path) -> str:
    """Return a captured text; errors name the file."""
    try:
        return read_bounded(path, LARGEST).decode("utf-8", "replace")
    except FileNotFoundError:
        raise CaptureError(f"{path} is not there.", "Check the name, or capture it again.") from None
    except TooLargeError:
        raise CaptureError(
            f"{path} is too large to be what a command printed.", "A disk image is taken in with --disk."
        ) from None
    except OSError as error:
        raise CaptureError(f"{path} cannot be read: {error.strerror}.", "Copy it to a folder of yours.") from None


def _document(text: str, key: str, command: str) -> dict[str, Any]:
    try:
        document = json.loads(text)
    except (ValueError, RecursionError):
        raise CaptureError(f"This is not what {command} prints: it is not JSON.", "Capture it again, with --json.") from None
    if not isinstance(document, dict) or key not in document:
        raise CaptureError(f"This is JSON of something else: there is no “{key}” in it.", f"Capture {command} again.")
    return document


def read_lsblk(text: str) -> tuple[Disk, ...]:
    """Return the disks of a listing; loop devices, optical drives, the live medium, memory, a chip's own areas and readers without a card are ignored."""
    nodes = _document(text, "blockdevices", "lsblk --json --bytes --output-all")["blockdevices"]
    if not isinstance(nodes, list):
        raise CaptureError("The listing's “blockdevices” is not a list.", "Capture it again.")
    running = mounts(nodes)
    disks = [_lsblk_disk(node, running) for node in nodes if isinstance(node, dict) and _is_disk(node)]
    if not disks:
        raise CaptureError("No disk is in this listing.", "Capture lsblk --json --bytes --output-all on the machine itself.")
    return tuple(disks)


def _is_disk(node: dict[str, Any]) -> bool:
    """Compressed memory is listed as a disk, a card reader without a card as one of no bytes, and the medium the listing was made from too."""
    name = word(node, "name")
    if node.get("type") != "disk" or name.startswith(IN_MEMORY) or CHIPS_OWN.search(name) or node.get("size") in EMPTY:
        return False
    parts = [node, *(one for one in listed(node, "children") if isinstance(one, dict))]
    return not any(word(one, "fstype") == "iso9660" and places(one) for one in parts)


def _lsblk_disk(node: dict[str, Any], running: Mounts) -> Disk:
    size = number(node.get("size"), "disk size")
    sector = number(node.get("log-sec"), "sector size") or 512
    children = [one for one in listed(node, "children") if isinstance(one, dict) and one.get("type") == "part"]
    read = (_lsblk_volume(one, place, running) for place, one in enumerate(children, 1))
    volumes = tuple(sorted(read, key=lambda one: one.start))
    if not volumes and (holds := _filesystem(node, size)) is not None:
        volumes = (Volume("", 0, 0, size, "", filesystem=holds),)  # the whole disk is one file system or container
    kind, identity = _table_told(node, children)
    made = Disk(
        id="",
        size=size,
        sector=sector,
        physical_sector=number(node.get("phy-sec"), "sector size") or sector,
        model=word(node, "model"),
        serial=word(node, "serial"),
        transport=word(node, "tran"),
        removable=node.get("rm") in (True, "1"),
        rotational=ROTATES.get(str(node.get("rota")).lower()),
        device=word(node, "path") or f"/dev/{word(node, 'name')}",
        table=table_of({"gpt": "gpt", "dos": "mbr"}.get(kind, "none"), identity, size, sector),
        volumes=volumes,
    )
    return as_mbr(made)


def _table_told(node: dict[str, Any], children: list[dict[str, Any]]) -> tuple[str, str]:
    """The kind of table and what it is known by. Old versions say neither: what they say of the partitions tells, but for a GPT's own GUID."""
    kind, identity = (
        next((said for one in (node, *children) if (said := word(one, name))), "") for name in ("pttype", "ptuuid")
    )
    marks = [mark for one in children if (mark := word(one, "partuuid"))]
    made_up = [mark for mark in marks if MADE_UP.fullmatch(mark)]
    types = [word(one, "parttype") for one in children]
    if not kind and (made_up or any(one.lower().startswith("0x") for one in types)):
        kind = "dos"
    elif not kind and marks:
        kind = "gpt"
    return kind, identity or (made_up[0].partition("-")[0] if made_up else "")


def table_of(kind: str, identity: str, size: int, sector: int) -> Table:
    """Return a table as a listing knows it: its usual bounds, and nothing wrong with it."""
    if kind == "gpt":
        room = -(-128 * 128 // sector)
        sectors = size // sector
        return Table("gpt", identity.upper(), "", 2 + room, sectors - 2 - room, backup_lba=sectors - 1)
    return Table("mbr", signature=identity, entry_count=4, entry_bytes=16) if kind == "mbr" else Table()


def _type(said: str) -> str:
    """A partition type as it is kept: of an MBR the utility leaves a leading zero out."""
    short = re.fullmatch(r"0[xX]([0-9a-fA-F]{1,2})", said)
    return f"0x{short.group(1).zfill(2).upper()}" if short else said.upper()


def _lsblk_volume(node: dict[str, Any], place: int, running: Mounts) -> Volume:
    name = word(node, "name")
    digits = re.search(r"(\d+)$", name)
    own = number(node.get("partn"), "partition number") or (int(digits.group(1)) if digits else place)
    size = number(node.get("size"), "partition size")
    start = number(node.get("start"), "partition start") * 512  # always in 512-byte units, whatever the disk's own sector
    flags = word(node, "partflags")
    attributes = int(flags, 16) if re.fullmatch(r"0x[0-9a-fA-F]+", flags) else 0
    type_id = _type(word(node, "parttype"))
    return _with_role(
        Volume(
            "",
            own,
            start,
            size,
            type_id,
            name=word(node, "partlabel"),
            guid=guid_of(word(node, "partuuid")),
            attributes=attributes,
            filesystem=_filesystem(node, size),
            holds=root(running) if has_root(node) else None,
        )
    )


def _filesystem(node: dict[str, Any], size: int) -> FileSystem | None:
    used = node.get("fsused")
    known = number(used, "used space") if used not in (None, "") else None
    kind = LISTED.get(word(node, "fstype"))
    if kind is None:
        return FileSystem("unknown", size, used_bytes=known) if _in_use(node) else None
    if kind == "fat32" and word(node, "fsver").upper() in {"FAT12", "FAT16"}:
        kind = word(node, "fsver").lower()
    if kind in {"lvm", "luks"}:
        return _container(node, kind, size, known)
    clusters = 65_525 if kind == "fat32" else 0  # enough to be mounted; the image tells the true figure
    return FileSystem(
        kind=kind,
        size_bytes=size,
        label=word(node, "label"),
        uuid=word(node, "uuid"),
        used_bytes=known,
        smallest_bytes=None,
        smallest_why="",
        cluster_bytes=4096,
        clusters=clusters,
    )


def _container(node: dict[str, Any], kind: str, size: int, known: int | None) -> FileSystem:
    """What a group holds, and what an unlocked container shows: the listing has it below the partition."""
    logical = _below(node, "lvm")
    group = next((_parted(word(one, "name"))[0] for one in logical), word(node, "label"))
    opened = [one for one in _below(node, "crypt") if LISTED.get(word(one, "fstype")) not in {None, "lvm"}]
    inside = tuple(_inside(one, _parted(word(one, "name"))[1]) for one in logical) or tuple(
        _inside(one, "root") for one in opened
    )
    used = known if known is not None or kind != "lvm" or not logical else DATA_START + sum(one.size_bytes for one in inside)
    return FileSystem(
        kind,
        size,
        label=group if kind == "lvm" else word(node, "label"),
        uuid=word(node, "uuid"),
        used_bytes=used,
        cluster_bytes=EXTENT if kind == "lvm" else 0,
        clusters=extents_of(size) if kind == "lvm" else 0,
        inside=inside,
    )


def _below(node: dict[str, Any], kind: str, depth: int = 0) -> list[dict[str, Any]]:
    """Everything of one type that lies below a node, however many layers are between, each once."""
    if depth > DEEPEST:
        raise CaptureError("The listing nests deeper than any machine does.", "Capture it again.")
    children = [one for one in listed(node, "children") if isinstance(one, dict)]
    found = [two for one in children for two in ([one] if one.get("type") == kind else _below(one, kind, depth + 1))]
    return list({word(one, "name"): one for one in found}.values())


def _parted(name: str) -> tuple[str, str]:
    """The group's name and the volume's own: between them stands one hyphen, and their own are doubled."""
    group, _, own = re.sub(r"(?<!-)-(?!-)", "\0", name, count=1).partition("\0")
    return group.replace("--", "-"), own.replace("--", "-") or name


def _inside(node: dict[str, Any], name: str) -> Inside:
    used = node.get("fsused")
    return Inside(
        name,
        number(node.get("size"), "size"),
        LISTED.get(word(node, "fstype"), ""),
        word(node, "label"),
        word(node, "uuid"),
        number(used, "used space") if used not in (None, "") else None,
    )


def _in_use(node: dict[str, Any]) -> bool:
    """Something is there that is not known by name: it is mounted, bears a kind nobody here knows, or something lies on top of it."""
    on_top = [one for one in listed(node, "children") if isinstance(one, dict) and one.get("type") != "part"]
    return bool(places(node) or word(node, "fstype") or on_top)


def _with_role(volume: Volume) -> Volume:
    """Captured text shows no files: what a family always puts there is assumed, and marked as assumed."""
    kind = volume.filesystem.kind if volume.filesystem else ""
    if volume.type_id == gpt_type("basic_data") and kind in {"ntfs", "nt-encrypted"} and volume.size >= SYSTEM_LEAST:
        return replace(volume, holds=SystemRoot("nt", "NT family", True, assumed=True))
    return volume


def read_sfdisk(text: str) -> Disk:
    """Return the disk of one table listing."""
    table = _document(text, "partitiontable", "sfdisk --json")["partitiontable"]
    if not isinstance(table, dict):
        raise CaptureError("The listing's “partitiontable” is not an object.", "Capture it again.")
    sector = number(table.get("sectorsize"), "sector size") or 512
    gpt = table.get("label") == "gpt"
    if table.get("unit", "sectors") != "sectors":
        raise CaptureError("The listing's unit is not sectors.", "Capture sfdisk --json without other options.")
    last = number(table.get("lastlba"), "last usable LBA")
    rows = [one for one in listed(table, "partitions") if isinstance(one, dict)]
    volumes = tuple(
        sorted((_sfdisk_volume(one, place, sector) for place, one in enumerate(rows, 1)), key=lambda one: one.start)
    )
    size = _disk_size(last, sector, volumes) if gpt else max((one.end for one in volumes), default=0)
    made = table_of("gpt" if gpt else "mbr", word(table, "id").removeprefix("0x"), size, sector)
    if gpt:
        made = replace(made, first_usable=number(table.get("firstlba"), "first usable LBA"), last_usable=last)
    return as_mbr(Disk("", size, sector, sector, device=word(table, "device"), table=made, volumes=volumes))


def _disk_size(last_usable: int, sector: int, volumes: tuple[Volume, ...]) -> int:
    """The listing does not say the size; behind the last usable LBA come the entries and the header."""
    return max((last_usable + 2 + -(-128 * 128 // sector)) * sector, max((one.end for one in volumes), default=0))


def _sfdisk_volume(row: dict[str, Any], place: int, sector: int) -> Volume:
    digits = re.search(r"(\d+)$", word(row, "node"))
    kind = word(row, "type")
    attributes = 0
    for said in word(row, "attrs").replace(",", " ").split():
        if said in {"RequiredPartition", "LegacyBIOSBootable"}:
            attributes |= {"RequiredPartition": 1, "LegacyBIOSBootable": 4}[said]
        elif said.startswith("GUID:"):
            attributes |= sum(1 << int(bit) for bit in said[5:].split(",") if bit.isdigit() and int(bit) < 64)
        elif said.isdigit() and int(said) < 64:
            attributes |= 1 << int(said)
    return Volume(
        "",
        int(digits.group(1)) if digits else place,
        number(row.get("start"), "start") * sector,
        number(row.get("size"), "size") * sector,
        kind.upper() if len(kind) == 36 else f"0x{kind.zfill(2).upper()}",
        name=word(row, "name"),
        guid=word(row, "uuid").upper(),
        attributes=attributes,
        active=row.get("bootable") is True,
        filesystem=_not_told(kind, number(row.get("size"), "size") * sector),
    )


def _not_told(kind: str, size: int) -> FileSystem | None:
    """A table listing does not say what a volume holds; a few types hold no file system by their nature."""
    bare = {gpt_type("nt_reserved"), gpt_type("bios_boot")}
    return None if kind.upper() in bare else FileSystem("unknown", size)


def combine(lsblk: tuple[Disk, ...], sfdisk: tuple[Disk, ...]) -> tuple[Disk, ...]:
    """Join captures of the same disks, and assume what a family always puts there."""
    return assume(join(lsblk, sfdisk))


def assume(disks: tuple[Disk, ...]) -> tuple[Disk, ...]:
    """Assume systems and loaders where captured text shows no files; all of it is marked as assumed."""
    marked = tuple(replace(disk, volumes=tuple(_with_role(volume) for volume in disk.volumes)) for disk in disks)
    return tuple(assume_loaders(with_old_system(disk)) for disk in marked)


def join(lsblk: tuple[Disk, ...], sfdisk: tuple[Disk, ...]) -> tuple[Disk, ...]:
    """Join captures of the same disks: the table from ``sfdisk``, contents and identity from ``lsblk``.

    Raises ``CaptureError`` where they contradict each other, naming both values.
    """
    joined = list(lsblk)
    for table in sfdisk:
        place = next(
            (at for at, disk in enumerate(joined) if same_disk(disk, table) or disk.device == table.device != ""), None
        )
        if place is None:
            joined.append(table)
            continue
        joined[place] = _joined(joined[place], table)
    return tuple(joined)


def _joined(disk: Disk, table: Disk) -> Disk:
    volumes = []
    for row in table.volumes:
        other = next((one for one in disk.volumes if one.number == row.number), None)
        if other is None:
            raise CaptureError(
                f"The captures contradict each other: partition {row.number} is in sfdisk's only.",
                "Capture both again, one after the other.",
            )
        if other.size != row.size or (other.start and other.start != row.start):
            raise CaptureError(
                f"The captures contradict each other: partition {row.number} has {other.size} bytes in lsblk's and {row.size} in sfdisk's.",
                "Capture both again, one after the other.",
            )
        volumes.append(
            _with_role(
                replace(
                    other,
                    start=row.start,
                    type_id=row.type_id,
                    guid=row.guid or other.guid,
                    name=row.name or other.name,
                    attributes=row.attributes | other.attributes,
                    active=row.active,
                )
            )
        )
    kept = replace(table.table, backup_lba=disk.size // disk.sector - 1)
    return replace(disk, table=kept, sector=table.sector, volumes=tuple(sorted(volumes, key=lambda one: one.start)))
