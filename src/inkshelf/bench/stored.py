"""How many bytes of each volume an image really stores: what inking will carry, where much of an image is holes."""

from __future__ import annotations

import os
from pathlib import Path

from inkshelf.bench.image import open_checked
from inkshelf.bench.sparse import data_bytes
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.job import Job


def stored(job: Job) -> dict[str, int]:
    """Return bytes that are not holes by call number; a disk whose image cannot be read is left out."""
    found: dict[str, int] = {}
    for source in job.sources:
        disk = next((one for one in job.found.disks if one.id == source.disk), None)
        if source.kind != "image" or disk is None:
            continue
        try:
            fd = open_checked(Path(source.path), os.O_RDONLY)
        except (InkshelfError, OSError):
            continue
        try:
            found |= {one.call: data_bytes(fd, one.start, one.end) for one in disk.volumes}
        finally:
            os.close(fd)
    return found
