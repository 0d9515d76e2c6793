"""The job file: one open JSON document with a version and a published schema, written atomically."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
from msgspec import Struct

from inkshelf.atomic import write_atomically as put
from inkshelf.core.errors import JobError
from inkshelf.core.plan.job import Job
from inkshelf.data import text

FORMAT, VERSION = "inkshelf-job", 1
Migration = Callable[[dict[str, Any]], dict[str, Any]]
MIGRATIONS: dict[int, Migration] = {}


def migration(from_version: int) -> Callable[[Migration], Migration]:
    """Register a pure function that lifts a document from ``from_version`` to the next."""

    def register(function: Migration) -> Migration:
        MIGRATIONS[from_version] = function
        return function

    return register


class Document(Struct, forbid_unknown_fields=True):
    """The whole file: what it is, its version, the job."""

    format: str
    version: int
    job: Job


def schema() -> dict[str, Any]:
    """Return the JSON schema of the current version, as published in docs/job.schema.json."""
    made = msgspec.json.schema(Document)
    document = made["$defs"]["Document"]
    document["properties"] |= {"format": {"const": FORMAT}, "version": {"const": VERSION}}
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Ink Shelf job", **made}


def dump(job: Job) -> bytes:
    """Return the job as the bytes of its file."""
    return msgspec.json.format(msgspec.json.encode(Document(FORMAT, VERSION, job)), indent=1) + b"\n"


def load_bytes(raw: bytes, name: str = "This file") -> Job:
    """Return the job that ``raw`` holds; every fault is one line that names the field and what to do."""
    try:
        document = msgspec.json.decode(raw)
    except (ValueError, RecursionError):
        raise JobError(f"{name} is not JSON.", "Choose a job file that Ink Shelf saved.") from None
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise JobError(f"{name} is JSON, but not an Ink Shelf job.", "Choose a job file, or start a new job.")
    version = document.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise JobError(f"{name} does not say its version.", "It may have been edited by hand: restore the last good copy.")
    if version > VERSION:
        raise JobError(
            f"{name} was saved by a later Ink Shelf (version {version}; this one reads up to {VERSION}).",
            "Update Ink Shelf, then open it.",
        )
    while version < VERSION:
        document = MIGRATIONS[version](document)
        version += 1
    try:
        return msgspec.convert(document, Document).job
    except (msgspec.ValidationError, RecursionError) as error:
        what, _, where = str(error).partition(" - at `$.")
        raise JobError(
            f"{name} is damaged at {where.rstrip('`') or 'its top'}: {what}.",
            "Restore the last good copy, or take the disk in again.",
        ) from None


def load(path: Path) -> Job:
    """Return the job saved at ``path``."""
    try:
        raw = path.read_bytes()
    except FileNotFoundError:
        raise JobError(f"{path} is not there.", "Check the name, or start a new job.") from None
    except IsADirectoryError:
        raise JobError(f"{path} is a folder.", "Choose a job file.") from None
    except PermissionError:
        raise JobError(f"{path} may not be read by you.", "Change its permissions or copy it.") from None
    except OSError as error:
        raise JobError(f"{path} cannot be read: {error.strerror}.", "Check the disk that it is on.") from None
    return load_bytes(raw, str(path))


def save(job: Job, path: Path, *, make_folder: bool = False) -> None:
    """Write the job beside its place, flush it to the disk, then put it in place: a cut leaves the old one or the new one."""
    write_atomically(path, dump(job), make_folder=make_folder)


def write_atomically(path: Path, data: bytes, *, make_folder: bool = False) -> None:
    """Write ``data`` to ``path`` by way of a temporary file, with its folder flushed too."""
    try:
        if make_folder:
            path.parent.mkdir(parents=True, exist_ok=True)
        put(path, data)
    except PermissionError:
        raise JobError(f"{path} may not be written by you.", "Choose another folder.") from None
    except OSError as error:
        raise JobError(
            f"{path} cannot be written: {error.strerror}.", "Free some room or choose another folder; nothing was lost."
        ) from None


def published_schema() -> dict[str, Any]:
    """Return the schema file that ships with the program."""
    return dict(msgspec.json.decode(text("job.schema.json")))
