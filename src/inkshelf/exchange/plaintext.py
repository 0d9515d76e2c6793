"""Captured plain text: the dump that ``sfdisk --dump`` prints, and the key=value blocks of ``blkid -o export``."""

from __future__ import annotations

import json
import re

from inkshelf.core.disk.kinds import LISTED
from inkshelf.core.errors import CaptureError
from inkshelf.core.machine.state import Disk, FileSystem
from inkshelf.core.value import replace
from inkshelf.exchange.captures import read_sfdisk
from inkshelf.exchange.listed_mbr import made_up

HEAD = re.compile(r"^(label|label-id|device|unit|first-lba|last-lba|sector-size):\s*(.*)$")
ROW = re.compile(r"^(\S+)\s*:\s*(start=.*)$")
FIELD = re.compile(r'(\w+)=\s*("[^"]*"|[^,]*)|(bootable)')


def read_dump(text: str) -> Disk:
    """Return the disk of an ``sfdisk --dump``; it says the same as the JSON listing, so it is read by way of that."""
    heads: dict[str, str] = {}
    rows: list[dict[str, object]] = []
    for line in text.splitlines():
        head, row = HEAD.match(line.strip()), ROW.match(line.strip())
        if head:
            heads[head.group(1)] = head.group(2).strip()
        elif row:
            rows.append(_row(row.group(1), row.group(2)))
    if "label" not in heads or "unit" not in heads:
        raise CaptureError(
            "This is not what sfdisk --dump prints.", "Capture it on the machine, as root: sfdisk --dump /dev/DISK > table.txt"
        )
    table: dict[str, object] = {
        "label": heads["label"],
        "id": heads.get("label-id", ""),
        "device": heads.get("device", ""),
        "unit": heads["unit"],
        "sectorsize": heads.get("sector-size", "512"),
        "partitions": rows,
    }
    for key, name in (("first-lba", "firstlba"), ("last-lba", "lastlba")):
        if key in heads:
            table[name] = heads[key]
    return read_sfdisk(json.dumps({"partitiontable": table}))


def _row(node: str, text: str) -> dict[str, object]:
    fields: dict[str, object] = {"node": node}
    for name, value, bootable in FIELD.findall(text):
        if bootable:
            fields["bootable"] = True
        elif name:
            fields[name] = value.strip().strip('"')
    return fields


def read_blkid(text: str) -> dict[str, FileSystem]:
    """Return what each partition holds, by what names its partition (``made_up``); whole disks and swap files are left out."""
    blocks = [
        dict(line.split("=", 1) for line in block.splitlines() if "=" in line) for block in re.split(r"\n\s*\n", text.strip())
    ]
    known = [one for one in blocks if "DEVNAME" in one]
    if not known:
        raise CaptureError(
            "This is not what blkid -o export prints.", "Capture it on the machine, as root: blkid -o export > blkid.txt"
        )
    found = {}
    for one in known:
        kind = LISTED.get(one.get("TYPE", ""))
        if kind and one.get("PARTUUID"):
            label = one.get("LABEL_FATBOOT", one.get("LABEL", "")) if kind == "fat32" else one.get("LABEL", "")
            found[one["PARTUUID"].upper()] = FileSystem(
                kind,
                0,
                label.replace("\\ ", " "),
                one.get("UUID", ""),
                cluster_bytes=4096,
                clusters=65_525 if kind == "fat32" else 0,
            )
    return found


def with_contents(disks: tuple[Disk, ...], held: dict[str, FileSystem]) -> tuple[Disk, ...]:
    """Return disks whose volumes of unknown contents hold what ``blkid`` saw in them."""
    changed = []
    for disk in disks:
        volumes = []
        for volume in disk.volumes:
            seen = held.get(made_up(disk, volume))
            blind = volume.filesystem is None or volume.filesystem.kind == "unknown"
            volumes.append(replace(volume, filesystem=replace(seen, size_bytes=volume.size)) if seen and blind else volume)
        changed.append(replace(disk, volumes=tuple(volumes)))
    return tuple(changed)
