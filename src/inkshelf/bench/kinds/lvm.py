"""LVM physical volumes on the bench: their metadata is written by our own code."""

from __future__ import annotations

import os
from pathlib import Path

from inkshelf.bench.image import ImageFile
from inkshelf.bench.kinds.base import Tools
from inkshelf.bench.sparse import write_all
from inkshelf.core.disk import lvm, lvm_write
from inkshelf.core.errors import BenchError, FormatError
from inkshelf.core.machine.state import Disk, Volume
from inkshelf.core.steps.kinds import Format


def make(path: Path, disk: Disk, volume: Volume, step: Format) -> None:
    write_pv(path, lvm_write.fresh_pv(volume.size, step.uuid, step.label))


def resize(path: Path, volume: Volume, to_bytes: int) -> None:
    write_pv(path, lvm_write.with_size(read_pv(path), to_bytes))


def write_pv(path: Path, pv: lvm.Pv) -> None:
    """Write a physical volume's label and metadata into the file that holds its bytes."""
    fd = os.open(path, os.O_RDWR | os.O_CLOEXEC)
    try:
        for offset, data in lvm_write.encode(pv):
            write_all(fd, data, offset)
    except FormatError as error:
        raise BenchError(error.what, error.remedy) from error
    finally:
        os.close(fd)


def read_pv(path: Path) -> lvm.Pv:
    """Return the physical volume in a file; raises ``BenchError`` where its group cannot be changed here."""
    with ImageFile(path) as source:
        pv = lvm.open_pv(source)
    fault = lvm_write.fault(pv) if pv else "it is not a physical volume any more"
    if pv is None or fault:
        raise BenchError(f"The volume group cannot be changed here: {fault}.", "Change it with its own tools.")
    return pv


def add_logical(path: Path, name: str, size: int) -> None:
    """Add a logical volume to the group in a file."""
    try:
        write_pv(path, lvm_write.with_logical(read_pv(path), name, size))
    except FormatError as error:
        raise BenchError(error.what, error.remedy) from error


TOOLS = Tools(("lvm",), make=make, resize=resize)
