"""Which causes fit what is seen, what was captured and what was looked at; which look tells most of what is left; the smallest repair."""

from __future__ import annotations

from importlib import import_module

from inkshelf.core.boot.mishaps import STANDING
from inkshelf.core.boot.rehearse import BY_ITSELF, Outcome, outcome, systems
from inkshelf.core.machine.state import Machine
from inkshelf.core.mending.base import CAUSES, Case, Cause
from inkshelf.core.mending.sights import BY_KEY as SIGHT
from inkshelf.core.mending.sights import LOOKS, Look
from inkshelf.core.mending.view import View
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.kinds import Step
from inkshelf.core.value import Value

MODULES = ("of_entries", "of_files", "of_switches", "of_systems", "of_legacy")
SHOWN = 6  # a cause that the capture shows weighs so many times one that it merely does not rule out
SELDOM = 3
LISTS = "not-listed"
DEPTH = {"none": 0, "variables": 1, "table": 3, "inside": 2}
LEAST_GAIN = 0.15  # causes fewer that a look leaves on average; what tells less is not offered
Looked = tuple[tuple[str, str], ...]


class Fitting(Value, frozen=True):
    """A cause that fits. ``mends``: after its repair the system starts, as far as can be rehearsed; ``after``: what is said of it then.

    ``seldom``: what is seen mostly comes of something else.
    """

    cause: Cause
    case: Case
    mends: bool
    after: str
    seldom: bool = False

    @property
    def weight(self) -> float:
        """How likely it is beside the others; a capture that shows it counts most, and a repair that helps."""
        often = self.cause.often / (SELDOM if self.seldom else 1)
        return often * (SHOWN if self.case.shown else 1) * (2 if self.case.shown and self.mends else 1)

    @property
    def depth(self) -> tuple[int, int]:
        """How deep its repair writes, and how many steps that takes: the smallest comes first among equals."""
        return max((DEPTH[one.writes] for one in self.case.steps), default=0), len(self.case.steps)


def every_cause() -> dict[str, Cause]:
    """Return every cause by its key, in the order of their modules."""
    for name in MODULES:
        import_module(f"inkshelf.core.mending.{name}")
    return {key: made for key, (made, _) in CAUSES.items()}


def fitting(
    machine: Machine, call: str, seen: str = "", looked: Looked = (), seed: str = "", taken: tuple[str, ...] = ()
) -> tuple[Fitting, ...]:
    """Return the causes that fit, the likeliest first. ``seen``: a sight (empty: whatever is seen); ``looked``: (look, answer) pairs."""
    view = View(machine, call, seed, taken)
    found: list[Fitting] = []
    for made in every_cause().values():
        if (seen and seen not in made.sights) or not _agrees(made, looked):
            continue
        case = next(CAUSES[made.key][1](view), None)
        if case is not None:
            after = _after(machine, call, case.steps)
            found.append(Fitting(made, case, after.starts and not after.by_hand and after.sure, after.why, seen in made.seldom))
    return tuple(sorted(found, key=lambda one: (-one.weight, one.depth)))


def ruled_out(left: tuple[Fitting, ...]) -> tuple[Cause, ...]:
    """Return the causes that do not fit any more."""
    fit = {one.cause.key for one in left}
    return tuple(one for one in every_cause().values() if one.key not in fit)


def _agrees(made: Cause, looked: Looked) -> bool:
    return all(look not in made.tells or answer in made.tells[look] for look, answer in looked)


def _after(machine: Machine, call: str, steps: tuple[Step, ...]) -> Outcome:
    done = fold(machine, steps)
    if done.fault:
        return Outcome(call, "none", False, False, (), str(done.fault[1]))
    return outcome(done.planned, call, STANDING[0])


def next_looks(left: tuple[Fitting, ...], seen: str, looked: Looked = ()) -> tuple[Look, ...]:
    """Return the looks that are worth their minutes, the best first: what leaves the fewest causes, for the time that it takes."""
    asked = {look for look, _ in looked}
    open_ones = [one for one in LOOKS if one.key not in asked and makes_sense(one, seen)]
    rated = [(gain(one, left) / one.minutes, one) for one in open_ones if gain(one, left) >= LEAST_GAIN]
    return tuple(one for _, one in sorted(rated, key=lambda pair: -pair[0]))


def makes_sense(look: Look, seen: str) -> bool:
    """Tell whether a look makes sense where this is seen; where nothing is said of that, every one does."""
    return not look.sights or seen in look.sights or seen not in SIGHT


def gain(look: Look, left: tuple[Fitting, ...]) -> float:
    """Return by how much weight of causes, in shares of all of it, a look leaves fewer on average."""
    whole = sum(one.weight for one in left)
    if not whole:
        return 0.0
    answers = [one.key for one in look.answers]
    expected = 0.0
    for answer in answers:
        fit = [one for one in left if answer in one.cause.tells.get(look.key, tuple(answers))]
        likely = sum(one.weight / len(one.cause.tells.get(look.key, tuple(answers))) for one in fit) / whole
        expected += likely * sum(one.weight for one in fit) / whole
    return 1.0 - expected


def contradiction(machine: Machine, call: str, seen: str) -> str:
    """Return in words where the capture says another thing than what is seen: it is older than the fault, or lacks something. Empty: it agrees."""
    view = View(machine, call)
    if not view.judged.sure or not seen or seen in {"recovery-key", "black", "loop", "emergency", "system-screen"}:
        return ""
    if view.well and view.judged.why == BY_ITSELF:
        return f"As captured, {call} {BY_ITSELF}: the capture is older than the fault, or what fails is in no capture."
    return ""


def ailing(machine: Machine) -> str:
    """Return the call number of the system that is most in need: one that does not start, else the first that starts by hand only, else the last; empty where none is there."""
    there = systems(machine)
    seen = {one.call: outcome(machine, one.call, STANDING[0]) for one in there}
    by_hand = [call for call, one in seen.items() if not one.starts or one.by_hand]
    not_at_all = [call for call in by_hand if not seen[call].starts]
    return (not_at_all or by_hand or [one.call for one in there[-1:]] or [""])[0]


def smallest(machine: Machine, call: str) -> Fitting | None:
    """Return the smallest repair after which a system starts by itself, of the causes that are shown; ``None`` where it does, or none is known.

    A system that a person chose to start by hand is left so, unless a menu that comes first could list it.
    """
    seen = outcome(machine, call, STANDING[0])
    if not seen.sure or (seen.starts and not seen.by_hand):
        return None
    helps = [one for one in fitting(machine, call) if one.case.shown and one.mends and one.case.steps]
    if seen.starts and not seen.stuck:
        place = machine.system(call)
        travels = place is not None and place[0].removable  # no menu should hang on a disk that can be out
        helps = [one for one in helps if one.cause.key == LISTS and not travels]
    return min(helps, key=lambda one: one.depth, default=None)


def mended(machine: Machine, call: str, first: Fitting, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
    """Return the steps of a repair, and of what the capture shows beside it, until the system starts or nothing more is shown."""
    steps: tuple[Step, ...] = first.case.steps
    used = {first.cause.key}
    for _ in range(len(CAUSES)):
        done = fold(machine, steps)
        if done.fault or outcome(done.planned, call, STANDING[0]).verdict == "starts":
            break
        more = [
            one
            for one in fitting(done.planned, call, seed=seed, taken=taken)
            if one.case.shown and one.case.steps and one.cause.key not in used
        ]
        if not more:
            break
        used.add(more[0].cause.key)
        steps = (*steps, *more[0].case.steps)
    return steps
