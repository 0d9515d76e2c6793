"""The reckoner: for what is selected, exact bytes, both units, sectors, and the number to type."""

from __future__ import annotations

from inkshelf.core.machine.calls import WORDS
from inkshelf.core.machine.state import Machine
from inkshelf.core.plan.reading import Reading
from inkshelf.core.size import GIB, MIB, Typed, binary, decimal, grouped, mib_to_type, to_type
from inkshelf.core.steps.ledger import Ledger, Narrowing
from inkshelf.core.value import Value


class Reckoning(Value, frozen=True):
    """What the strip at the foot shows. ``typed`` starts with the box that matters here; ``after`` is what screens say then.
    ``shrinks``: the plan takes room away from its end, and that amount is what is typed first."""

    subject: str
    detail: str
    exact: str
    decimal: str
    binary: str
    sectors: str
    sector_words: str
    typed: tuple[Typed, ...]
    after: tuple[tuple[str, str], ...] = ()
    shrinks: bool = False


def byte_figures(ledger: Ledger) -> tuple[tuple[str, str], ...]:
    """Return what becomes of every byte as five pairs of words and figure; they add up to the ledger."""
    return (
        ("kept in place", binary(ledger.kept_bytes)),
        ("moved", binary(ledger.moved_bytes)),
        ("erased", binary(ledger.erased_bytes)),
        ("new", binary(ledger.new_bytes)),
        ("lost", ", ".join(ledger.lost) or "nothing"),
    )


def _behind(found: Machine, call: str) -> int:
    """Room that was free behind a volume already: the screen counts it into the gap."""
    place = found.find(call)
    if place is None:
        return 0
    disk, volume = place
    return next((gap.size for gap in disk.gaps(1) if gap.start == volume.end), 0)


def _shrink_boxes(times: list[Narrowing]) -> tuple[Typed, ...]:
    """One box for each time that a volume shrinks."""
    hint = "MiB to take away, whatever the label says"
    alone = ("type into the shrink box (MB)",)
    named = alone if len(times) == 1 else tuple(f"shrink box (MB), step {one.step}" for one in times)
    return tuple(Typed(what, str(one.type_mib), hint) for what, one in zip(named, times, strict=True))


def reckon(reading: Reading, call: str) -> Reckoning | None:
    """Return the figures for a volume, or for the shrink where nothing is selected; ``None`` where there is nothing to say."""
    shrinks = reading.ledger.shrinks
    if not call and shrinks:
        call = shrinks[0].call
    found = reading.plan.planned.find(call) or reading.plan.found.find(call)
    if found is None:
        return None
    disk, volume = found
    times = [one for one in shrinks if one.call == call]
    narrowed = times[-1] if times else None
    boxes = to_type(volume.size, disk.size, disk.sector)
    after: tuple[tuple[str, str], ...] = (
        ("a box in MB shows", grouped(volume.size // MIB)),
        ("a box in GB shows", f"{volume.size / GIB:.2f}"),
    )
    detail = f"{WORDS[volume.role]}, partition {volume.number}"
    if narrowed:
        boxes = (*_shrink_boxes(times), *boxes)
        gap = narrowed.from_bytes - narrowed.to_bytes + (_behind(reading.plan.found, call) if len(times) == 1 else 0)
        screen = ("afterwards the screen says", f"{grouped(volume.size // MIB)} MB")
        after = (screen, ("and a gap (binary, called GB) of", f"{gap / GIB:.2f} GB"))
        detail = f"end of {call}, after the shrink"
    elif volume.planned:
        boxes = (Typed("type into the size box (MiB)", str(mib_to_type(volume.size)), boxes[0].hint), *boxes)
    else:
        boxes = (Typed("for a size box (MiB), at least", str(mib_to_type(volume.size)), boxes[0].hint), *boxes)
    return Reckoning(
        subject=call,
        detail=detail,
        exact=f"{grouped(volume.size)} B",
        decimal=decimal(volume.size, 2),
        binary=binary(volume.size, 2),
        sectors=grouped(volume.size // disk.sector),
        sector_words=f"sectors of {disk.sector}",
        typed=boxes,
        after=after,
        shrinks=narrowed is not None,
    )
