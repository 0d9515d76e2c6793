"""The job as a document: one codec, with a version and a published schema, for job files, rescues and benches alike."""

from collections.abc import Callable
from typing import Any, Union

import msgspec
from msgspec import Struct

from inkshelf.core.aims import AimBase, every_aim, kind_of_aim
from inkshelf.core.errors import JobError
from inkshelf.core.machine.state import SECTORS
from inkshelf.core.plan.intents import Intent
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.tagged import at_place, converted, one_converted
from inkshelf.core.steps.base import StepBase
from inkshelf.core.steps.kinds import every_step, kind_of_step
from inkshelf.core.value import replace

FORMAT, VERSION = "inkshelf-job", 4
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
    any_aim = Union[every_aim()]  # type: ignore[valid-type]  # noqa: UP007 - made of the list
    any_step = Union[every_step()]  # type: ignore[valid-type]  # noqa: UP007 - made of the list
    (whole, aim, step), parts = msgspec.json.schema_components((Document, any_aim, any_step), ref_template="#/$defs/{name}")
    parts["Document"]["properties"] |= {"format": {"const": FORMAT}, "version": {"const": VERSION}}
    parts["Job"]["properties"]["aims"]["items"] = aim
    parts["Job"]["properties"]["steps"]["items"] = step
    parts["Intent"]["properties"]["exactly"]["anyOf"] = [step, {"type": "null"}]
    for base in (AimBase, StepBase):
        del parts[base.__name__]
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Ink Shelf job", **whole, "$defs": parts}


def dump(job: Job) -> bytes:
    """Return the job as the bytes of its document; raises ``JobError`` for a string that no document can hold."""
    try:
        return msgspec.json.format(msgspec.json.encode(Document(FORMAT, VERSION, job)), indent=1) + b"\n"
    except UnicodeEncodeError as error:
        bad = error.object[max(0, error.start - 20) : error.end]
        raise JobError(f"“{bad!r}” has characters that no document can hold.", "Rename what bears that name.") from None


def load(raw: bytes, name: str = "This file") -> Job:
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
    return _converted(_lifted(document, version, name), name)


def _lifted(document: dict[str, Any], version: int, name: str) -> dict[str, Any]:
    try:
        while version < VERSION:
            document = MIGRATIONS[version](document)
            version += 1
    except (KeyError, TypeError, ValueError, AttributeError, IndexError, msgspec.MsgspecError) as error:
        raise JobError(
            f"{name} is damaged: {error!r} is not as version {version} has it.", "Restore the last good copy."
        ) from None
    return document


def _converted(document: dict[str, Any], name: str) -> Job:
    raw = document.get("job")
    try:
        if not isinstance(raw, dict):
            msgspec.convert(document, Document)
        job = dict(raw) if isinstance(raw, dict) else {}
        apart = {part: job.pop(part) for part in ("aims", "steps", "by_hand") if part in job}
        plain = msgspec.convert({**document, "job": job}, Document).job
        aims = converted(apart.get("aims", []), kind_of_aim, "aim", "$.job.aims")
        steps = converted(apart.get("steps", []), kind_of_step, "step", "$.job.steps")
        return _checked(replace(plain, aims=aims, steps=steps, by_hand=_intents(apart.get("by_hand", []))), name)
    except (msgspec.ValidationError, RecursionError) as error:
        what, _, where = str(error).partition(" - at `$.")
        raise JobError(
            f"{name} is damaged at {where.rstrip('`') or 'its top'}: {what}.",
            "Restore the last good copy, or take the disk in again.",
        ) from None


def _intents(raw: object) -> tuple[Intent, ...]:
    """Return what was asked for by hand; a step that is taken as it stands is of its own kind, like those of the plan."""
    if not isinstance(raw, list | tuple):
        raise msgspec.ValidationError(f"Expected `array`, got `{type(raw).__name__}` - at `$.job.by_hand`")
    made = []
    for at, one in enumerate(raw):
        place = f"$.job.by_hand[{at}]"
        exactly = one.get("exactly") if isinstance(one, dict) else None
        intent = at_place({**one, "exactly": None} if exactly is not None else one, Intent, place)
        step = one_converted(exactly, kind_of_step, "step", f"{place}.exactly") if exactly is not None else None
        made.append(replace(intent, exactly=step))
    return tuple(made)


def _checked(job: Job, name: str) -> Job:
    """Refuse what no single field shows: a call number or a letter that two things bear, a sector of no size."""
    letters = [disk.id for disk in job.found.disks]
    calls = list(job.found.calls())
    fault = next((one for one in letters + calls if (letters + calls).count(one) > 1), "")
    if fault:
        raise JobError(f"{name} is damaged: two things in it are called {fault}.", "Restore the last good copy.")
    if any(disk.sector not in SECTORS for disk in job.found.disks):
        raise JobError(f"{name} is damaged: a disk has sectors of no possible size.", "Restore the last good copy.")
    return job


@migration(1)
def _aims_ticks_and_intents(document: dict[str, Any]) -> dict[str, Any]:
    """Version 2: a list of aims, steps with identities, ticks that hang on them, and what was made by hand as intents."""
    from inkshelf.core.steps.identity import identified, tick

    job = dict(document["job"])
    aim = job.pop("aim", None)
    job["aims"] = [aim] if aim else []
    by_hand = job.pop("by_hand", [])
    job["by_hand"] = [
        {
            "id": f"h{at}",
            "verb": "exactly",
            "call": step.get("call", ""),
            "made": _made(step),
            "exactly": {**step, "id": f"h{at}"},
        }
        for at, step in enumerate(by_hand, 1)
    ]
    steps = job.get("steps", [])
    planned = converted(steps[: len(steps) - len(by_hand)], kind_of_step, "step", "$.job.steps")
    named = [msgspec.to_builtins(one) for one in identified(planned, "a1")]
    job["steps"] = [*named, *(one["exactly"] for one in job["by_hand"])]
    whole = converted(job["steps"], kind_of_step, "step", "$.job.steps")
    job["ticked"] = [
        msgspec.to_builtins(tick(whole[number - 1])) for number in job.pop("ticked", []) if 0 < number <= len(whole)
    ]
    return {**document, "version": 2, "job": job}


def _made(step: dict[str, Any]) -> str:
    return str(step.get("call", "")) if step.get("kind") == "create" else ""


@migration(2)
def _told(document: dict[str, Any]) -> dict[str, Any]:
    """Version 3: what a person says of a volume beside what was read, why a file system keeps its size, captures of the kit. Nothing to lift."""
    return document


@migration(3)
def _aims_of_every_kind(document: dict[str, Any]) -> dict[str, Any]:
    """Version 4: aims of nine kinds where there was one, and the steps that they need. Nothing to lift: "beside" is as it was."""
    return document
