"""Steps made by hand: words from a person become one step behind those that are planned, drawn and checked like any other."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import cast, get_args

from inkshelf.core.disk.kinds import kind_of, makeable
from inkshelf.core.disk.types import gpt_type, mbr_type
from inkshelf.core.draw import guid
from inkshelf.core.errors import PlanError
from inkshelf.core.fit.order import order
from inkshelf.core.fit.room import before_record, usable
from inkshelf.core.machine.calls import next_call
from inkshelf.core.machine.state import Disk, Gap, Machine, Role, Volume
from inkshelf.core.plan.arrange import targets
from inkshelf.core.plan.entries_by_hand import entry, menu, ordered
from inkshelf.core.plan.intents import Intent
from inkshelf.core.plan.job import Job, replan
from inkshelf.core.size import MIB, align_down, align_up, binary, parse_size
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.kinds import (
    Create,
    Delete,
    Enclose,
    Format,
    Grow,
    Label,
    MakeLogical,
    Move,
    NewTable,
    Prepare,
    Renew,
    RepairTable,
    Retype,
    Shrink,
    Step,
)
from inkshelf.core.steps.people import Preparation
from inkshelf.core.texts import one_line
from inkshelf.core.value import replace
from inkshelf.data import table

FLAGS = {"required": 0, "read-only": 60, "hidden": 62, "no-letter": 63}
ROLES: dict[str, Role] = {
    "efi_system": "startup",
    "linux_swap": "swap",
    "linux_root_x64": "system",
    "nt_recovery": "recovery",
    "nt_reserved": "reserved",
    "linux_lvm": "container",
    "linux_luks": "container",
}


def change(job: Job, verb: str, call: str, **words: str | None) -> Job:
    """Return the job with one more intent by hand; raises ``InkshelfError`` with what to do, and changes nothing then.

    ``verb``: create, delete, move, resize, format, label, type, flag, renew, repair, prepare, order or entry. ``call``: the volume (for create: the
    disk's letter; for order and entry: a variable such as Boot0001). ``words``: size, after, at, type, fs, label, name, flag, state, table,
    what, place, title, as the verb needs them. On an MBR the
    extended partition is made as a volume of type ``extended``, and is called ``A:EXTENDED`` for resize and delete.
    """
    if verb not in VERBS:
        raise PlanError(f"“{verb}” is not a change.", f"Choose one of: {', '.join(VERBS)}.")
    given = {key: value for key, value in words.items() if value}
    said = tuple((key, one_line(value, f"The {key}")) for key, value in given.items())
    return _with_intent(job, Intent(_next_id(job), verb, call, said))


def arrange(job: Job, letter: str, line: str) -> Job:
    """Return the job with the steps that arrange a disk as ``line`` says (``arrange.targets``), in an order that loses nothing."""
    return _with_intent(job, Intent(_next_id(job), "arrange", letter, (("line", one_line(line, "The line")),)))


def exactly(job: Job, step: Step) -> Job:
    """Return the job with a step that is taken as it stands."""
    return _with_intent(job, Intent(_next_id(job), "exactly", getattr(step, "call", ""), exactly=step))


def take_back(job: Job) -> Job:
    """Return the job without its last intent by hand."""
    return replan(replace(job, by_hand=job.by_hand[:-1]))


def _next_id(job: Job) -> str:
    """An identity that no intent of the job has, or had while it was counted."""
    return f"h{max((int(one.id[1:]) for one in job.by_hand if one.id[1:].isdigit()), default=0) + 1}"


def _with_intent(job: Job, intent: Intent) -> Job:
    """Refuse what does not apply now; later it may come to apply again, and is shown as idle until then."""
    state = fold(job.found, job.steps)
    if state.fault:
        raise PlanError(f"Step {state.fault[0]} cannot be done yet: {state.fault[1].what}", "Undo it first.")
    changed = replan(replace(job, by_hand=(*job.by_hand, intent)))
    if any(one.intent == intent.id for one in changed.idle):
        taken = tuple(one.made for one in job.by_hand if one.made)
        calls = (*job.found.calls(), *taken)
        done = fold(state.planned, steps_of(state.planned, intent, calls, job.seed))  # raises what is wrong with it
        raise done.fault[1] if done.fault else PlanError("This cannot be done here.", "Undo the step before it.")
    return changed


def steps_of(machine: Machine, intent: Intent, taken: tuple[str, ...], seed: str) -> tuple[Step, ...]:
    """Return the steps that an intent comes to on a machine; raises ``InkshelfError`` where it does not apply."""
    said = dict(intent.words)
    if intent.verb == "exactly" and intent.exactly is not None:
        return (intent.exactly,)
    if intent.verb == "arrange":
        disk = _disk(machine, intent.call)
        steps = order(disk, targets(disk, said.get("line", "")))
        if not steps:
            raise PlanError("The disk is arranged so already.", "There is nothing to change.")
        return steps
    if intent.verb not in VERBS:
        raise PlanError(f"“{intent.verb}” is not a change.", f"Choose one of: {', '.join(VERBS)}.")
    said["taken"] = " ".join(one for one in taken if one != intent.made)
    said["made"] = intent.made
    return (VERBS[intent.verb](machine, intent.call, said, f"{seed}/{intent.id}"),)


def _volume(machine: Machine, call: str) -> tuple[Disk, Volume]:
    found = machine.find(call)
    if found is None:
        known = ", ".join(volume.call for _, volume in machine.volumes())
        raise PlanError(f"There is no volume {call}.", f"Choose one of: {known}." if known else "Create one first: create A.")
    return found


def _gap(machine: Machine, disk: Disk, words: dict[str, str], own: Volume | None = None) -> Gap:
    """Return the free stretch that a place names: behind a volume, at a byte, or the largest. A volume's own room counts as free."""
    others = tuple(one for one in disk.volumes if own is None or one.call != own.call)
    gaps = [one for one in (before_record(disk, usable(gap)) for gap in replace(disk, volumes=others).gaps()) if one.size]
    if own is not None:
        gaps = [one for one in gaps if one.logical == own.logical]
    if "after" in words:
        end = _volume(machine, words["after"].upper())[1].end
        found = next((gap for gap in gaps if gap.start - (MIB if gap.logical else 0) == align_up(end, MIB)), None)
        if found is None:
            raise PlanError(f"There is no free room right behind {words['after'].upper()}.", "Choose another place.")
        return found
    if "at" in words:
        place = align_up(parse_size(words["at"]), MIB)
        found = next((gap for gap in gaps if gap.start - (MIB if gap.logical else 0) <= place < gap.end), None)
        if found is None:
            raise PlanError(f"There is no free room at {words['at']}.", "Choose another place.")
        place = max(place, found.start)
        return Gap(place, found.end - place, found.logical)
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


def _type_id(words: dict[str, str], disk: Disk) -> tuple[str, str]:
    """Return the key and the identifier of a type on this disk; a raw identifier is taken as it is."""
    said = words.get("type", "linux_data")
    key = said.replace("-", "_").lower()
    known = table("exact_strings")["gpt_types" if disk.table.kind == "gpt" else "mbr_equals"]
    raw = r"[0-9a-f]{8}-([0-9a-f]{4}-){3}[0-9a-f]{12}" if disk.table.kind == "gpt" else r"0x(?!00|05|0f|85|ee)[0-9a-f]{2}"
    if re.fullmatch(raw, said.lower()):
        return "", said.upper().replace("0X", "0x")
    if key not in known:
        raise PlanError(f"“{said}” is not a partition type here.", f"Choose one of: {', '.join(known)}.")
    return key, gpt_type(key) if disk.table.kind == "gpt" else mbr_type(key)


def _disk(machine: Machine, letter: str) -> Disk:
    try:
        return machine.disk(letter.upper())
    except KeyError:
        raise PlanError(
            f"There is no disk {letter}.", f"Choose one of: {', '.join(one.id for one in machine.disks)}."
        ) from None


def _create(machine: Machine, letter: str, words: dict[str, str], seed: str) -> Step:
    container = machine.find(letter.upper())
    if container:
        return _logical_volume(machine, container[1], words)
    disk = _disk(machine, letter)
    if "table" in words:
        return _new_table(disk, words["table"].lower(), seed)
    if disk.table.kind == "none":
        raise PlanError(f"Disk {disk.id} has no partition table.", f"Make one first: create {disk.id} --table gpt.")
    if words.get("type", "").lower() == "extended":
        return _enclose(machine, disk, words)
    gap = _gap(machine, _with_numbers(disk), words)
    key, type_id = _type_id(words, disk)
    role: Role = ROLES.get(key, "data")
    call = words["made"] or next_call(role, [*words["taken"].split(), *machine.calls()])
    own = guid(seed, call) if disk.table.kind == "gpt" else ""
    name = words.get("name", "") if own else ""
    size = _size(words, gap.size)
    return Create(
        disk=disk.id,
        call=call,
        number=_number(disk, gap),
        start=gap.start,
        size=size,
        type_id=type_id,
        guid=own,
        role=role,
        name=name,
        logical=gap.logical,
    )


def _number(disk: Disk, gap: Gap) -> int:
    """The lowest free number of a GPT or a primary; a logical volume comes behind the others."""
    taken = {volume.number for volume in disk.volumes}
    if gap.logical:
        return 5 + sum(one.logical for one in disk.volumes)
    taken |= {disk.table.extended.number} if disk.table.extended else set()
    return next(one for one in range(1, 1024) if one not in taken)


def _with_numbers(disk: Disk) -> Disk:
    """The disk as it looks to a new volume: an MBR that has no primary number left has room for logical volumes only."""
    primaries = sum(not one.logical for one in disk.volumes) + 1
    if disk.table.kind != "mbr" or disk.table.extended is None or primaries < 4:
        return disk
    inside = disk.table.extended
    return replace(disk, table=replace(disk.table, first_usable=inside.start // disk.sector), size=min(disk.size, inside.end))


def _new_table(disk: Disk, kind: str, seed: str) -> Step:
    if kind == "gpt":
        return NewTable(disk.id, "gpt", guid(seed, f"table {disk.id}"))
    if kind == "mbr":
        return NewTable(disk.id, "mbr", guid(seed, f"table {disk.id}")[:8].lower())
    raise PlanError(f"“{kind}” is not a table.", "Choose gpt or mbr.")


def _enclose(machine: Machine, disk: Disk, words: dict[str, str]) -> Step:
    if disk.table.extended:
        raise PlanError(f"Disk {disk.id} has an extended partition.", f"Resize it: resize {disk.id}:extended --size 40GiB.")
    gap = _gap(machine, disk, words)
    return Enclose(disk.id, _number(disk, gap), gap.start, _size(words, gap.size))


def _delete(machine: Machine, call: str, words: dict[str, str], seed: str) -> Step:
    return Delete(_volume(machine, call)[1].call)


def _resize_extended(machine: Machine, call: str, words: dict[str, str]) -> Step:
    disk = _disk(machine, call.split(":", maxsplit=1)[0])
    inside = disk.table.extended
    if inside is None:
        raise PlanError(f"Disk {disk.id} has no extended partition.", f"Make one: create {disk.id} --type extended.")
    behind = next((gap.end for gap in disk.gaps(1) if gap.start == inside.end and not gap.logical), inside.end)
    return Enclose(disk.id, inside.number, inside.start, _size(words, align_down(behind, MIB) - inside.start))


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
    if "size" not in words:
        raise PlanError("Say how large it becomes.", "Use --size 120GiB, or --size rest.")
    if call.endswith(":EXTENDED"):
        return _resize_extended(machine, call, words)
    disk, volume = _volume(machine, call)
    behind = next((gap.end for gap in disk.gaps(1) if gap.start == volume.end), volume.end)
    if volume.logical and any(one.logical and one.start == behind for one in disk.volumes):
        behind = max(volume.end, behind - MIB)  # the next one's record stands there
    room = align_down(behind, MIB) - volume.start
    size = _size(words, max(room, volume.size))
    if size == volume.size:
        raise PlanError(f"{call} has that size already.", "Choose another size.")
    return Grow(call, size) if size > volume.size else Shrink(call, size)


def _format(machine: Machine, call: str, words: dict[str, str], seed: str) -> Step:
    kind = words.get("fs", "ext4")
    if kind not in makeable():
        raise PlanError(f"“{kind}” is not a file system that is known here.", f"Choose one of: {', '.join(makeable())}.")
    label = words.get("label", "group" if kind == "lvm" else "")
    subvolumes = tuple(words["subvolumes"].split(",")) if "subvolumes" in words else ()
    return Format(_volume(machine, call)[1].call, kind, label, _drawn(seed, call, kind), subvolumes)


def _drawn(seed: str, call: str, key: str) -> str:
    """The identity that a file system of a kind bears, drawn once."""
    kind = kind_of(key)
    return kind.identity(seed, call) if kind.identity else ""


def _repair(machine: Machine, letter: str, words: dict[str, str], seed: str) -> Step:
    return RepairTable(_disk(machine, letter).id)


def _renew(machine: Machine, call: str, words: dict[str, str], seed: str) -> Step:
    disk, volume = _volume(machine, call)
    own = guid(seed, call) if disk.table.kind == "gpt" else ""
    return Renew(call, _drawn(seed, call, volume.filesystem.kind) if volume.filesystem else "", own)


def _logical_volume(machine: Machine, volume: Volume, words: dict[str, str]) -> Step:
    """A container takes logical volumes: ``create K1 --label root --size 20GiB``."""
    system = volume.filesystem
    if system is None or system.kind != "lvm" or not system.cluster_bytes:
        raise PlanError(f"{volume.call} holds no volume group.", "Name a disk's letter, or format it as lvm first.")
    free = system.cluster_bytes * system.clusters - sum(one.size_bytes for one in system.inside)
    text = words.get("size", "rest").lower()
    size = free if text == "rest" else align_up(parse_size(text), system.cluster_bytes)
    return MakeLogical(volume.call, words.get("label", words.get("name", f"volume{len(system.inside) + 1}")), size)


def _label(machine: Machine, call: str, words: dict[str, str], seed: str) -> Step:
    return Label(_volume(machine, call)[1].call, words.get("label", ""))


def _type(machine: Machine, call: str, words: dict[str, str], seed: str) -> Step:
    disk, volume = _volume(machine, call)
    if "type" not in words:
        raise PlanError("Say which type.", f"Choose one of: {', '.join(table('exact_strings')['gpt_types'])}.")
    return Retype(call, _type_id(words, disk)[1], volume.attributes)


def _flag(machine: Machine, call: str, words: dict[str, str], seed: str) -> Step:
    disk, volume = _volume(machine, call)
    flag = words.get("flag", "")
    if flag == "active":
        wanted = words.get("state") != "off"
        if wanted == volume.active:
            raise PlanError(f"{call} has that flag so already.", "There is nothing to change.")
        return Retype(call, volume.type_id, volume.attributes, wanted)
    if disk.table.kind == "mbr":
        raise PlanError(f"“{flag}” is a flag of GPT volumes.", "On an MBR the one flag is: active.")
    if flag not in FLAGS:
        raise PlanError(f"“{flag}” is not a flag.", f"Choose one of: {', '.join(FLAGS)}.")
    bit = 1 << FLAGS[flag]
    changed = volume.attributes & ~bit if words.get("state") == "off" else volume.attributes | bit
    if changed == volume.attributes:
        raise PlanError(f"{call} has that flag so already.", "There is nothing to change.")
    return Retype(call, volume.type_id, changed)


def _prepare(machine: Machine, call: str, words: dict[str, str], seed: str) -> Step:
    what = words.get("what", "").replace("-", "_")
    if what not in get_args(Preparation):
        raise PlanError(
            f"“{words.get('what', '')}” is nothing to prepare.", f"Choose one of: {', '.join(get_args(Preparation))}."
        )
    return Prepare(_volume(machine, call)[1].call, cast("Preparation", what))


VERBS: dict[str, Callable[[Machine, str, dict[str, str], str], Step]] = {
    "create": _create,
    "delete": _delete,
    "move": _move,
    "resize": _resize,
    "format": _format,
    "label": _label,
    "type": _type,
    "flag": _flag,
    "renew": _renew,
    "repair": _repair,
    "prepare": _prepare,
    "order": lambda machine, call, words, _: ordered(machine, call, words),
    "entry": lambda machine, call, words, _: entry(machine, call, words),
    "menu": lambda machine, call, words, _: menu(machine, call, words),
}
