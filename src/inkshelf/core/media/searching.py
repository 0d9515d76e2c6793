"""Whether a packing is the best one, by trying in whole bytes what could be better: where the solver's arithmetic is too coarse to say so."""

from __future__ import annotations

from collections.abc import Sequence

NODES = 50_000  # so many tries are a blink; what is not done by then is not proved


class Search:
    """Looks for more weight than is known, every image on every stick or on none, the best by weight for its bytes first.

    ``sizes`` and ``weights`` by image; ``rooms``: bytes of each stick, and the images that it takes. ``found``: the better packing, as
    stick by image (empty: there is none); ``complete``: nothing was left untried.
    """

    def __init__(
        self, sizes: Sequence[int], weights: Sequence[int], rooms: Sequence[tuple[int, frozenset[int]]], known: int
    ) -> None:
        self._sizes, self._weights, self._takes = sizes, weights, [takes for _, takes in rooms]
        wanted = [at for at in range(len(sizes)) if weights[at]]
        self._order = sorted(wanted, key=lambda at: (-weights[at] / sizes[at], sizes[at]))
        self._left = [room for room, _ in rooms]
        self._best, self._nodes = known, NODES
        self._put: dict[int, int] = {}
        self.found: dict[int, int] = {}
        self._go(0, 0)
        self.complete = self._nodes > 0

    def _bound(self, place: int) -> float:
        """What the images from ``place`` on could add at most: all the room as one, the last image in part."""
        room, more = sum(self._left), 0.0
        for at in self._order[place:]:
            if self._sizes[at] > room:
                return more + self._weights[at] * room / self._sizes[at]
            room -= self._sizes[at]
            more += self._weights[at]
        return more

    def _go(self, place: int, weight: int) -> None:
        self._nodes -= 1
        if weight > self._best:
            self._best, self.found = weight, dict(self._put)
        if self._nodes <= 0 or place == len(self._order) or weight + self._bound(place) + 1e-6 < self._best + 1:
            return
        at = self._order[place]
        tried = set[tuple[int, frozenset[int]]]()
        for number, takes in enumerate(self._takes):
            like = (self._left[number], takes)
            if at not in takes or self._sizes[at] > self._left[number] or like in tried:
                continue
            tried.add(like)
            self._left[number] -= self._sizes[at]
            self._put[at] = number
            self._go(place + 1, weight + self._weights[at])
            del self._put[at]
            self._left[number] += self._sizes[at]
        self._go(place + 1, weight)
