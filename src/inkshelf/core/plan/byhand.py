"""Steps made by hand: words from a person become one step behind those that are planned, drawn and checked like any other."""

from __future__ import annotations

from typing import Any

from inkshelf.core.disk.filesystems import FACTS
from inkshelf.core.disk.types import gpt_type
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.calls import next_call
from inkshelf.core.machine.state import Disk, Gap, Machine, Role, Volume
from inkshelf.core.plan.draw import fat_serial, file_system_uuid, guid
from inkshelf.core.plan.fit import aligned
from inkshelf.core.plan.job import Job, replan
from inkshelf.core.size import MIB, align_down, align_up, binary, parse_size
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.kinds import Create, Delete, Format, Grow, Label, Move, Retype, Shrink, Step
from inkshelf.core.value import replace
from inkshelf.data import table

FLAGS = {"required": 0, "read-only": 60, "hidden": 62, "no-letter": 63}
ROLES: dict[str, Role] = {
    "efi_system": "startup",
    "linux_swap": "swap",
    "linux_root_x64": "system",
    "nt_recovery": "recovery",
    "nt_reserved": "reserved",
}


def change(job: Job, verb: str, call: str, **words: str | None) -> Job:
    """Return the job with one more step by hand; raises ``PlanError`` or ``StepError`` with what to do, and changes nothing then.

    ``verb``: create, delete, move, resize, format, label, type or flag. ``call``: the volume (for create: the disk's letter).
    ``words``: size, after, at, type, fs, label, name, flag, state, as the verb needs them.
    """
    makers = {
        "create": _create,
        "delete": _delete,
        "move": _move,
        "resize": _resize,
        "format": _format,
        "label": _label,
        "type": _type,
        "flag": _flag,
    }
    if verb not in makers:
        raise PlanError(f"“{verb}” is not a change.", f"Choose one of: {', '.join(makers)}.")
    state = fold(job.found, job.steps)
    if state.fault:
        raise PlanError(f"Step {state.fault[0]} cannot be done yet: {state.fault[1].what}", "Undo it first.")
    step = makers[verb](
        state.planned, call, {key: value for key, value in words.items() if value}, f"{job.seed}/{len(job.by_hand)}"
    )
    step.apply(state.planned)  # refuses here, before anything is changed
    return replan(replace(job, by_hand=(*job.by_hand, step)))


def take_back(job: Job) -> Job:
    """Return the job without its last step by hand."""
    return replan(replace(job, by_hand=job.by_hand[:-1]))


def _volume(machine: Machine, call: str) -> tuple[Disk, Volume]:
    found = machine.find(call)
    if found is None:
        raise PlanError(
            f"There is no volume {call}.", f"Choose one of: {', '.join(volume.call for _, volume in machine.volumes())}."
        )
    return found


def _gap(machine: Machine, disk: Disk, words: dict[str, str], own: Volume | None = None) -> Gap:
    """Return the free stretch that a place names: behind a volume, at a byte, or the largest. A volume's own room counts as free."""
    others = tuple(one for one in disk.volumes if own is None or one.call != own.call)
    gaps = [one for one in map(aligned, replace(disk, volumes=others).gaps()) if one.size]
    if "after" in words:
        end = _volume(machine, words["after"].upper())[1].end
        found = next((gap for gap in gaps if gap.start == align_up(end, MIB)), None)
        if found is None:
            raise PlanError(f"There is no free room right behind {words['after'].upper()}.", "Choose another place.")
        return found
    if "at" in words:
        place = align_up(parse_size(words["at"]), MIB)
        found = next((gap for gap in gaps if gap.start <= place < gap.end), None)
        if found is None:
            raise PlanError(f"There is no free room at {words['at']}.", "Choose another place.")
        return Gap(place, found.end - place)
    if not gaps:
        raise PlanError(f"Disk {disk.id} has no free room.", "Shrink or remove a volume first.")
    return max(gaps, key=lambda one: one.size)


def _size(words: dict[str, str], room: int) -> int:
    text = words.get("size", "rest")
    size = room if text.lower() == "rest" else align_up(parse_size(text), MIB)
    if size > room:
        raise PlanError(
            f"{binary(size)} do not fit: {binary(room)} are free there.", f"Choose {binary(room)} or less, or “rest”."
        )
    return align_down(size, MIB)


def _type_id(words: dict[str, str]) -> tuple[str, str]:
    key = words.get("type", "linux_data").replace("-", "_")
    known = table("exact_strings")["gpt_types"]
    if key not in known:
        raise PlanError(f"“{key}” is not a partition type.", f"Choose one of: {', '.join(known)}.")
    return key, gpt_type(key)


def _create(machine: Machine, letter: str, words: dict[str, str], seed: str) -> Step:
    try:
        disk = machine.disk(letter.upper())
    except KeyError:
        raise PlanError(
            f"There is no disk {letter}.", f"Choose one of: {', '.join(one.id for one in machine.disks)}."
        ) from None
    if disk.table.kind != "gpt":
        raise PlanError(f"Disk {disk.id} has no GPT.", "Volumes are made by hand on GPT disks only, for now.")
    gap = _gap(machine, disk, words)
    key, type_id = _type_id(words)
    role: Role = ROLES.get(key, "data")
    number = next(one for one in range(1, 1024) if one not in {volume.number for volume in disk.volumes})
    call = next_call(role, [volume.call for _, volume in machine.volumes()])
    return Create(
        disk.id, call, number, gap.start, _size(words, gap.size), type_id, guid(seed, call), role, words.get("name", "")
    )


def _delete(machine: Machine, call: str, words: dict[str, str], seed: str) -> Step:
    return Delete(_volume(machine, call)[1].call)


def _move(machine: Machine, call: str, words: dict[str, str], seed: str) -> Step:
    disk, volume = _volume(machine, call)
    if "after" not in words and "at" not in words:
        raise PlanError("Say where it goes.", "Use --after S1 or --at 40GiB.")
    gap = _gap(machine, disk, words, volume)
    if gap.size < volume.size:
        raise PlanError(
            f"{call} needs {binary(volume.size)}; {binary(gap.size)} are free there.",
            "Choose another place, or shrink it first.",
        )
    return Move(call, gap.start)


def _resize(machine: Machine, call: str, words: dict[str, str], seed: str) -> Step:
    disk, volume = _volume(machine, call)
    behind = next((gap.end for gap in disk.gaps(1) if gap.start == volume.end), volume.end)
    room = align_down(behind, MIB) - volume.start
    if "size" not in words:
        raise PlanError("Say how large it becomes.", "Use --size 120GiB, or --size rest.")
    size = _size(words, max(room, volume.size))
    if size == volume.size:
        raise PlanError(f"{call} has that size already.", "Choose another size.")
    return Grow(call, size) if size > volume.size else Shrink(call, size)


def _format(machine: Machine, call: str, words: dict[str, str], seed: str) -> Step:
    kind = words.get("fs", "ext4")
    if kind not in FACTS:
        raise PlanError(f"“{kind}” is not a file system that is known here.", "Choose fat32, ext4 or swap.")
    identity = fat_serial(seed, call) if kind == "fat32" else file_system_uuid(seed, call)
    return Format(_volume(machine, call)[1].call, kind, words.get("label", ""), identity)


def _label(machine: Machine, call: str, words: dict[str, str], seed: str) -> Step:
    return Label(_volume(machine, call)[1].call, words.get("label", ""))


def _type(machine: Machine, call: str, words: dict[str, str], seed: str) -> Step:
    _, volume = _volume(machine, call)
    if "type" not in words:
        raise PlanError("Say which type.", f"Choose one of: {', '.join(table('exact_strings')['gpt_types'])}.")
    return Retype(call, _type_id(words)[1], volume.attributes)


def _flag(machine: Machine, call: str, words: dict[str, str], seed: str) -> Step:
    _, volume = _volume(machine, call)
    flag: Any = words.get("flag", "")
    if flag not in FLAGS:
        raise PlanError(f"“{flag}” is not a flag.", f"Choose one of: {', '.join(FLAGS)}.")
    bit = 1 << FLAGS[flag]
    changed = volume.attributes & ~bit if words.get("state") == "off" else volume.attributes | bit
    if changed == volume.attributes:
        raise PlanError(f"{call} has that flag so already.", "There is nothing to change.")
    return Retype(call, volume.type_id, changed)
