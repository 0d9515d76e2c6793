"""A second opinion on a table: what the base utilities read of a bench image, held against the plan."""

from __future__ import annotations

import json
import re
from pathlib import Path

from inkshelf.bench import tools
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Disk

Rows = set[tuple[int, int, int]]  # number, first byte, bytes


def agrees(path: Path, planned: Disk) -> tuple[bool, str]:
    """Return whether the other reader sees the planned volumes at their places, and what was seen."""
    if planned.table.kind == "none":
        return _no_table(path, planned)
    wanted = {(one.number, one.start, one.size) for one in planned.volumes}
    inside = planned.table.extended
    wanted |= {(inside.number, inside.start, inside.size)} if inside else set()
    try:
        seen = _with_sfdisk(path) if planned.sector == 512 else _with_partx(path, planned.sector)
    except (BenchError, ValueError, KeyError) as error:
        return False, f"the other reader did not take it: {error}"
    if planned.sector != 512 and planned.table.kind == "mbr":
        return True, "the base utilities read an MBR at 512-byte sectors only; not compared"
    differ = wanted ^ seen
    return not differ, f"{len(seen)} partitions at the same places" if not differ else f"differ: {sorted(differ)[:4]}"


def _no_table(path: Path, planned: Disk) -> tuple[bool, str]:
    """Where no table is planned, the other reader must not take anything for one; a file system on the whole disk is none."""
    if planned.volumes:
        return True, "one volume on the whole disk; there is no table to compare"
    said = tools.run("sfdisk", "--json", path, accept=(0, 1)).output
    return "does not contain a recognized partition table" in said, "no table there, as planned"


def _with_sfdisk(path: Path) -> Rows:
    said = json.loads(tools.run("sfdisk", "--json", path, only_output=True).output)["partitiontable"]
    rows = said.get("partitions", [])
    return {(_number(row["node"]), row["start"] * 512, row["size"] * 512) for row in rows}


def _number(node: str) -> int:
    found = re.search(r"(\d+)$", node)
    return int(found.group(1)) if found else 0


def _with_partx(path: Path, sector: int) -> Rows:
    """It counts in 512 bytes whatever the sector size is."""
    listing = ("--raw", "--noheadings", "--output", "NR,START,SECTORS")
    said = tools.run("partx", *listing, "--sector-size", str(sector), path, accept=(0, 1), only_output=True).output
    rows = [tuple(map(int, line.split())) for line in said.splitlines() if line.strip()]
    return {(number, start * 512, count * 512) for number, start, count in rows}
