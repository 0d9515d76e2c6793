"""The firmware as planned and as read, and what starts by it."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.boot.mishaps import STANDING
from inkshelf.core.boot.rehearse import Outcome, outcome, systems
from inkshelf.core.built.line import NOBODY, Line, Matters, same
from inkshelf.core.machine.entries import named_by
from inkshelf.core.machine.state import BootEntry, Machine
from inkshelf.core.steps.fold import Fold
from inkshelf.core.value import replace


def firmware_lines(plan: Fold, now: Machine) -> Iterator[Line]:
    """Yield every line of the firmware: how it starts, its switches, entries and order."""
    planned, built, found = plan.planned.firmware, now.firmware, plan.found.firmware
    yield same(
        "mode",
        "firmware",
        "starts by",
        planned.mode or "not known",
        built.mode,
        "stop",
        "systems of one way do not start the other way",
    )
    worked = planned.secure_boot == found.secure_boot and built.secure_boot != planned.secure_boot
    line = same(
        "secure",
        "firmware",
        "Secure Boot",
        planned.secure_boot or "not known",
        built.secure_boot,
        "warn",
        "it was changed for the work only" if worked else "",
    )
    yield replace(
        line, left=line.stands == "differs" and any(one.firmware.secure_boot == built.secure_boot for one in plan.machines)
    )
    if planned.mode != "uefi":
        return
    if not built.entries_known:
        yield Line("firmware.entries", "firmware", "boot entries", f"{len(planned.entries)} entries", NOBODY, "unknown")
        return
    yield from _entry_lines(plan, now)


def _entry_lines(plan: Fold, now: Machine) -> Iterator[Line]:
    """Each entry of the plan, each that it does not have, who comes first, and what is meant for once."""
    planned, built = plan.planned.firmware, now.firmware
    there = {one.number: twin_of(one, built.entries) for one in planned.entries if not one.automatic}
    for entry in (one for one in planned.entries if one.number in there):
        yield _entry(entry, there[entry.number])
    known = [one for one in there.values() if one]
    for other in built.entries:
        if other not in known and not other.automatic:
            yield _other(plan, other)
    if planned.order:
        first = planned.entry(planned.order[0])
        now_first = built.entry(built.order[0]) if built.order else None
        why = "another system starts by itself"
        yield same("order", "firmware", "first in the order", _entry_words(first), _entry_words(now_first), "warn", why)
    if built.next is not None:
        yield Line(
            "firmware.next",
            "firmware",
            "meant for once",
            "nothing",
            f"Boot{built.next:04X}",
            "differs",
            "note",
            "the next start takes it",
            left=True,
        )


def twin_of(entry: BootEntry, built: tuple[BootEntry, ...]) -> BootEntry | None:
    """Return the entry that starts the same file of the same partition, whatever its number (``None``: none does).

    One that names neither, such as the network's, is known by its title.
    """
    return next((one for one in built if _means(one) == _means(entry)), None)


def _means(entry: BootEntry) -> tuple[str, str, str]:
    partition, path = named_by(entry), entry.path.lower()
    return partition, path, "" if partition or path else f"{entry.title} {entry.device}"


def _entry_words(entry: BootEntry | None) -> str:
    return f"“{entry.title}” {entry.path}".strip() if entry else "nothing"


def _entry(planned: BootEntry, now: BootEntry | None) -> Line:
    about, what = f"firmware.{planned.variable}", f"entry “{planned.title}”"
    if now is None:
        return Line(
            about,
            "firmware",
            what,
            _entry_words(planned),
            "not there",
            "differs",
            "warn",
            "what it starts may start no other way",
        )
    if planned.active != now.active:
        return Line(
            about,
            "firmware",
            what,
            "on" if planned.active else "off",
            "on" if now.active else "off",
            "differs",
            "warn",
            "it is switched",
        )
    if planned.title != now.title:
        return Line(about, "firmware", what, planned.title, now.title, "differs", "note", "only its name")
    return Line(about, "firmware", what, _entry_words(planned), _entry_words(now), "same")


def _other(plan: Fold, entry: BootEntry) -> Line:
    """An entry that the plan does not leave: found before and taken away, made for the work, or new."""
    before = twin_of(entry, plan.found.firmware.entries) is not None
    between = any(twin_of(entry, one.firmware.entries) for one in plan.machines)
    left = before or between
    why = "it was to be taken away" if left else "the plan does not know it"
    return Line(
        f"firmware.{entry.variable}",
        "firmware",
        f"entry “{entry.title}”",
        "none",
        _entry_words(entry),
        "differs",
        "warn" if left else "note",
        why,
        left=left,
    )


def start_lines(planned: Machine, now: Machine) -> Iterator[Line]:
    """Yield for each system of the plan whether it starts as planned."""
    for one in systems(planned):
        was = outcome(planned, one.call, STANDING[0])
        if now.system(one.call) is None:
            continue
        held = now.system(one.call)
        seen = outcome(now, one.call, STANDING[0]) if held and held[1].holds else None
        yield _start(one.call, was, seen)


def _start(call: str, was: Outcome, seen: Outcome | None) -> Line:
    if seen is None or not seen.sure:
        return Line(
            f"{call}.starts",
            call,
            "starts",
            was.verdict,
            NOBODY if seen is None else "not known",
            "unknown",
            why=seen.why if seen else "",
        )
    worse = was.starts and (not seen.starts or (seen.by_hand and not was.by_hand))
    matters: Matters = "stop" if was.starts and not seen.starts else "warn" if worse else "note"
    return same("starts", call, "starts", was.verdict, seen.verdict, matters, seen.why)
