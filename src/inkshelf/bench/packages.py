"""Which package holds which base utility, and whether it is there. Quick to load: the window asks at every start."""

from __future__ import annotations

import os
from os import X_OK
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from inkshelf.bench.kinds import Tools

BASE = {
    "debugfs": "e2fsprogs",
    "mcopy": "mtools",
    "mmd": "mtools",
    "mdel": "mtools",
    "ntfscp": "ntfs-3g",
    "fusermount": "fuse3",
    "sfdisk": "fdisk",
    "partx": "util-linux",
}


def package_of(name: str) -> str:
    """Return the package that holds a utility: of those the bench always needs, or of a kind of file system."""
    if name in BASE:
        return BASE[name]
    from inkshelf.bench.kinds import TOOLS

    known = (one for tools in TOOLS.values() for one in (tools.makes_with, tools.changes_with, _checker(tools)) if name in one)
    return next(known, {name: name})[name]


def _checker(tools: Tools) -> dict[str, str]:
    return {tools.check[0]: next(iter(tools.makes_with.values()), tools.check[0])} if tools.check else {}


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
    return {name: package_of(name) for name in sorted(names) if not where(name)}
