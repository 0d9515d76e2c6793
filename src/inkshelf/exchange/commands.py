"""The commands of the partition script: what a person would type for each step, on the machine itself."""

from __future__ import annotations

import shlex
from collections.abc import Iterator

from inkshelf.core.disk.fresh import exfat_cluster
from inkshelf.core.steps.kinds import Format, MakeLogical

UTILITIES = {
    "fat32": ("mkfs.fat",),
    "exfat": ("mkfs.exfat",),
    "ntfs": ("mkfs.ntfs", "ntfslabel"),
    "ext4": ("mkfs.ext4",),
    "xfs": ("mkfs.xfs",),
    "btrfs": ("mkfs.btrfs", "btrfs"),
    "swap": ("mkswap",),
    "luks": ("cryptsetup",),
    "lvm": ("pvcreate", "vgcreate", "lvcreate"),
}


def format_lines(step: Format, part: str, start: int, size: int, sector: int) -> Iterator[str]:
    """Yield the commands that make a file system on ``part`` (a shell expression); ``start`` and ``size`` in bytes."""
    label, name = shlex.quote(step.label), f" -L {shlex.quote(step.label)}" if step.label else ""
    place = start // sector
    if step.filesystem == "fat32":
        fat = f" -n {label}" if step.label else ""
        yield f"mkfs.fat -F 32 -S {sector}{fat} -i {step.uuid.replace('-', '')} -h {place} {part}"
    elif step.filesystem == "exfat":
        yield f"mkfs.exfat -c {exfat_cluster(size)}{name} {part}  # its utility draws the serial itself: note it on the sheet"
    elif step.filesystem == "ntfs":
        yield f"mkfs.ntfs -Q -q -s {sector} -c 4096 -p {place}{name} {part}"
        yield f"ntfslabel --new-serial={step.uuid} {part}"
    elif step.filesystem == "ext4":
        yield f"mkfs.ext4 -q -U {step.uuid}{name} {part}"
    elif step.filesystem == "xfs":
        yield f"mkfs.xfs -q -m uuid={step.uuid}{name} {part}"
    elif step.filesystem == "btrfs":
        yield f"mkfs.btrfs -q -U {step.uuid}{name} {part}"
        yield from _subvolumes(step, part)
    elif step.filesystem == "luks":
        option = f" --label {label}" if step.label else ""
        yield f"cryptsetup luksFormat --type luks2 --uuid {step.uuid}{option} {part}  # asks for the owner's passphrase, twice"
    elif step.filesystem == "lvm":
        yield f"pvcreate --uuid {step.uuid} --norestorefile {part}"
        yield f"vgcreate {label} {part}"
    else:
        yield f"mkswap -U {step.uuid}{name} {part}"


def _subvolumes(step: Format, part: str) -> Iterator[str]:
    if step.subvolumes:
        yield f'MOUNTED=$(mktemp -d) && mount {part} "$MOUNTED"'
        for one in step.subvolumes:
            yield f'btrfs subvolume create "$MOUNTED"/{shlex.quote(one)}'
        yield 'umount "$MOUNTED" && rmdir "$MOUNTED"'


def logical_line(step: MakeLogical, group: str) -> str:
    """Return the command that makes a logical volume."""
    return f"lvcreate -n {shlex.quote(step.name)} -L {step.size}b {shlex.quote(group)}"
