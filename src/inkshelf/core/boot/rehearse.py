"""The rehearsal: which systems start, whatever happens. It reads states; it changes none."""

from __future__ import annotations

from typing import Literal

from inkshelf.core.boot import legacy
from inkshelf.core.boot.mishaps import STANDING, Mishap, mishaps
from inkshelf.core.boot.routes import Route
from inkshelf.core.boot.uefi import entries_missing, routes
from inkshelf.core.machine.state import Machine, Volume, as_volume
from inkshelf.core.steps.fold import Fold
from inkshelf.core.value import Value, replace

Verdict = Literal["starts", "starts by hand", "perhaps by hand", "not known", "does not start"]


BY_ITSELF = "starts by itself"
PERHAPS = "by itself unless something before it starts, which is not known"


class Outcome(Value, frozen=True):
    """Whether one system starts after one mishap; ``by_hand``: only when a person chooses it in the firmware's one-time menu.

    ``stuck``: nothing starts by itself, because a loader before it waits at a prompt. ``sure``: no loader that nobody read has a say in it.
    """

    system: str
    mishap: str
    starts: bool
    by_hand: bool
    path: tuple[str, ...]
    why: str
    stuck: bool = False
    sure: bool = True

    @property
    def verdict(self) -> Verdict:
        """The outcome in the words that every reader uses."""
        if self.starts:
            return "starts" if not self.by_hand else "starts by hand" if self.sure else "perhaps by hand"
        return "does not start" if self.sure else "not known"


def systems(machine: Machine) -> tuple[Volume, ...]:
    """Return the volumes that hold an installed system, and the systems in files, in order of their call numbers."""
    found = [volume for _, volume in machine.volumes() if volume.holds]
    found += [as_volume(volume, file) for _, volume in machine.volumes() for file in volume.disk_files if file.holds]
    return tuple(sorted(found, key=lambda one: one.call))


def outcome(machine: Machine, call: str, mishap: Mishap) -> Outcome:
    """Say whether the system on ``call`` starts after ``mishap``, by which way, or why not."""
    after = mishap.befall(machine)
    return _outcome(machine, call, mishap, after, routes(after))


def _outcome(machine: Machine, call: str, mishap: Mishap, after: Machine, tried: tuple[Route, ...]) -> Outcome:
    """As ``outcome``, with the machine ``after`` the mishap and the ways that its firmware tries, which all its systems share."""
    place = after.system(call)
    if place is None:
        before = machine.system(call)
        dead = before is not None and any(one.id == before[0].id for one in after.disks)
        return Outcome(
            call, mishap.key, False, False, (), "nothing of its disk can be read" if dead else "its disk is not there"
        )
    if after.firmware.mode is None:
        return Outcome(call, mishap.key, False, False, (), "firmware mode is not known yet", sure=False)
    if after.firmware.mode == "legacy":
        starts, by_hand, why = legacy.starts(after, *place)
        return Outcome(
            call, mishap.key, starts, by_hand, ("firmware", f"sector 0 of disk {place[0].id}", call) if starts else (), why
        )
    judged = _judge(call, mishap.key, tried)
    if not judged.starts and legacy.only(*place):
        return replace(
            judged, sure=True, why=f"it starts the legacy way, from disk {place[0].id}, and the firmware starts through UEFI"
        )
    if not judged.starts and entries_missing(after):
        return replace(judged, sure=False, why="the firmware's entries were not captured, nor the files that they lead to")
    return judged


def _judge(call: str, mishap: str, tried: tuple[Route, ...]) -> Outcome:
    """The first way that does not pass on decides what happens by itself; every other one needs a person."""
    first = next((route for route in tried if not route.passes), None)
    unread = [route for route in tried[: tried.index(first) if first else None] if route.reached.unclear]
    if first and call in first.systems and unread:
        before = _listed(unread)
        return Outcome(call, mishap, True, True, path_words(first, call), f"{PERHAPS}: {before}", sure=False)
    if first and call in first.systems:
        alone = call == first.systems[0] and first.reached.by_itself
        why = BY_ITSELF if alone else "chosen in the menu"
        if call == first.systems[0] and not alone:
            why += f": {first.reached.asks}"
        return Outcome(call, mishap, True, False, path_words(first, call), why)
    stuck = first is not None and first.reached.waits
    for route in tried:
        if call in route.systems:
            ends = f"; by itself the start ends at {first.entry.title}: {first.broken}" if first and stuck else ""
            why = f"only from the firmware's one-time menu: {route.entry.title}{ends}"
            path = path_words(route, call)
            return Outcome(system=call, mishap=mishap, starts=True, by_hand=True, path=path, why=why, stuck=stuck)
    unread = [route for route in tried if route.reached.unclear]
    if unread:
        return Outcome(call, mishap, False, False, (), _listed(unread), stuck=stuck, sure=False)
    ended = [f"{route.entry.title}: {route.broken}" for route in tried if route.broken]
    reached = f"only {', '.join(first.systems)} can be reached" if first and first.systems else "nothing starts"
    return Outcome(call, mishap, False, False, (), "; ".join([reached, *ended]), stuck=stuck)


def _listed(routes: list[Route]) -> str:
    return "; ".join(f"{one.entry.title}: {one.broken}" for one in routes)


def path_words(route: Route, call: str) -> tuple[str, ...]:
    """Return a route's stations as words, ending with the system asked for."""
    stops = [f"{one.title} ({one.call})" if one.call else one.title for one in route.stations if one.place != "system"]
    return ("firmware", *stops, call)


def rehearse(machine: Machine, own: tuple[Mishap, ...] = ()) -> tuple[Outcome, ...]:
    """Return an outcome for every system and mishap, a person's ``own`` among them."""
    held = systems(machine)
    as_it_is: tuple[Route, ...] | None = None
    rows: list[list[Outcome]] = []
    for mishap in mishaps(machine, own):
        after = mishap.befall(machine)
        if after != machine:
            tried = routes(after)
        else:  # many a mishap concerns other machines only
            tried = as_it_is = routes(machine) if as_it_is is None else as_it_is
        rows.append([_outcome(machine, one.call, mishap, after, tried) for one in held])
    return tuple(of_one for of_system in zip(*rows, strict=True) for of_one in of_system)


def if_it_stops(plan: Fold) -> tuple[tuple[Outcome, ...], ...]:
    """Return, for the state found and after every step, whether each system starts then."""
    rows: list[tuple[Outcome, ...]] = []
    before: Machine | None = None
    for machine in plan.machines:
        rows.append(rows[-1] if machine == before else _standing(machine))  # many a step changes nothing of the machine
        before = machine
    return tuple(rows)


def _standing(machine: Machine) -> tuple[Outcome, ...]:
    after = STANDING[0].befall(machine)
    tried = routes(after)
    return tuple(_outcome(machine, one.call, STANDING[0], after, tried) for one in systems(machine))
