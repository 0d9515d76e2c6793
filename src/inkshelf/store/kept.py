"""Files that somebody attaches to a step: copied beside the job's file, under their sums, so that none is kept twice or changed unseen."""

from __future__ import annotations

import hashlib
import os
import stat
from pathlib import Path

from inkshelf.atomic import write_atomically
from inkshelf.core.errors import JobError
from inkshelf.core.size import MIB, binary
from inkshelf.core.texts import shown

MOST = 64 * MIB
"""Bytes of one file: a photograph or a log, not a film."""


def folder_of(job: Path) -> Path:
    """Return where the files of a job are kept."""
    return job.with_name(f"{job.stem}.kept")


def keep_file(job: Path, source: Path) -> tuple[str, int, str]:
    """Copy a file, and return its name, its size in bytes and its sum; raises ``JobError`` with what to do."""
    try:
        fd = os.open(source, os.O_RDONLY | os.O_CLOEXEC | os.O_NONBLOCK)
    except OSError as error:
        raise JobError(f"{source} cannot be read: {error.strerror}.", "Choose the file again.") from None
    try:
        told = os.fstat(fd)
        if not stat.S_ISREG(told.st_mode):
            raise JobError(f"{source} is not an ordinary file.", "Choose a photograph, or a text.")
        if told.st_size > MOST:
            raise JobError(
                f"{source.name} has {binary(told.st_size)}; up to {binary(MOST)} are kept.",
                "Make it smaller, or note where it lies.",
            )
        with os.fdopen(os.dup(fd), "rb") as opened:
            return keep_bytes(job, opened.read(MOST), source.name)
    finally:
        os.close(fd)


def keep_bytes(job: Path, raw: bytes, name: str) -> tuple[str, int, str]:
    """Keep bytes under their sum; what is there already stays."""
    digest = hashlib.sha256(raw).hexdigest()
    place = path_of(job, digest, name)
    try:
        place.parent.mkdir(exist_ok=True)
        if not place.exists():
            write_atomically(place, raw)
    except OSError as error:
        raise JobError(f"{place} cannot be written: {error.strerror}.", "Make room there, or save the job elsewhere.") from None
    return shown(name)[:200] or "file", len(raw), digest


def path_of(job: Path, digest: str, name: str) -> Path:
    """Return where a kept file lies; of its own name only a plain ending is used."""
    ending = Path(name).suffix.lower()
    plain = ending if ending[1:].isascii() and ending[1:].isalnum() and len(ending) < 9 else ""
    return folder_of(job) / f"{digest[:32]}{plain}"
