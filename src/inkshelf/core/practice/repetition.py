"""When a drill comes again: what went badly soon, what went well later each time (spaced repetition, after Wozniak's SM-2, in days)."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from inkshelf.core.value import Value, replace

DAY = 86_400
EASE, LEAST_EASE = 2.5, 1.3
SOON, AGAIN = 10 * 60, 1 * DAY
PASSED = 60  # points
MOST = 365 * DAY


class Card(Value, frozen=True):
    """How somebody stands with a kind of drill. ``due`` and ``last``: seconds since the epoch; ``gap``: seconds between the last two;
    ``ease``: how fast gaps grow; ``level``: the one that comes next; ``best`` and ``latest``: points."""

    due: int = 0
    last: int = 0
    gap: int = 0
    ease: float = EASE
    level: int = 1
    times: int = 0
    best: int = 0
    latest: int = 0


def after(card: Card, points: int, now: int, levels: int = 3) -> Card:
    """Return the card after a drill with so many points (0 to 100): failed, it comes again within minutes; done well, ever later."""
    ease = max(LEAST_EASE, card.ease + (0.1 if points >= 90 else 0.0 if points >= PASSED else -0.2 if points else -0.3))
    if points < PASSED:
        gap, level = SOON if points == 0 else AGAIN // 2, max(1, card.level - (1 if points == 0 else 0))
    else:
        gap = AGAIN if card.gap < AGAIN else min(MOST, round(card.gap * ease))
        level = min(levels, card.level + (1 if points >= 85 else 0))
    return replace(
        card,
        due=now + gap,
        last=now,
        gap=gap,
        ease=ease,
        level=level,
        times=card.times + 1,
        best=max(card.best, points),
        latest=points,
    )


def in_order(cards: Mapping[str, Card], kinds: Iterable[str], now: int) -> tuple[str, ...]:
    """Return the kinds in the order in which they come: what is due, the weakest first; then what was never tried; then the rest by their day."""

    def place(kind: str) -> tuple[int, float, int]:
        card = cards.get(kind)
        if card is None:
            return (1, 0.0, known[kind])
        if card.due <= now:
            return (0, float(card.latest), card.due)
        return (2, float(card.due), 0)

    known = {kind: at for at, kind in enumerate(kinds)}
    return tuple(sorted(known, key=place))
