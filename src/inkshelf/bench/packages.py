"""Which package holds which base utility, and whether it is there. Quick to load: the window asks at every start."""

from __future__ import annotations

import os
from os import X_OK

PACKAGES = {
    "mkfs.fat": "dosfstools",
    "fsck.fat": "dosfstools",
    "mkfs.ntfs": "ntfs-3g",
    "ntfsresize": "ntfs-3g",
    "ntfscp": "ntfs-3g",
    "mkfs.ext4": "e2fsprogs",
    "e2fsck": "e2fsprogs",
    "debugfs": "e2fsprogs",
    "resize2fs": "e2fsprogs",
    "mcopy": "mtools",
    "mmd": "mtools",
    "mdel": "mtools",
    "mkswap": "util-linux",
    "sfdisk": "fdisk",
    "partx": "util-linux",
    "fatlabel": "dosfstools",
    "e2label": "e2fsprogs",
    "ntfslabel": "ntfs-3g",
    "swaplabel": "util-linux",
    "tune2fs": "e2fsprogs",
    "mkfs.exfat": "exfatprogs",
    "fsck.exfat": "exfatprogs",
    "exfatlabel": "exfatprogs",
    "mkfs.btrfs": "btrfs-progs",
    "btrfs": "btrfs-progs",
    "btrfstune": "btrfs-progs",
    "mkfs.xfs": "xfsprogs",
    "xfs_admin": "xfsprogs",
    "xfs_repair": "xfsprogs",
    "cryptsetup": "cryptsetup-bin",
}
FOLDERS = ("/usr/sbin", "/sbin", "/usr/local/sbin")


def where(name: str) -> str:
    """Return the path of a utility, or an empty string where it is not installed."""
    for folder in [*os.environ.get("PATH", "").split(os.pathsep), *FOLDERS]:
        path = os.path.join(folder, name)  # noqa: PTH118 - a hundred of them in a moment
        if folder and os.access(path, X_OK) and not os.path.isdir(path):  # noqa: PTH112
            return path
    return ""


def missing(names: set[str]) -> dict[str, str]:
    """Return the utilities that are not there, each with the package that holds it."""
    return {name: PACKAGES.get(name, name) for name in sorted(names) if not where(name)}
