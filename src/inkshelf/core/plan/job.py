"""A job: the one document that everything reads. Immutable; an edit makes a new one."""

from typing import TYPE_CHECKING, Literal

from inkshelf.core.aims.base import AimBase
from inkshelf.core.boot.mishaps import Mishap, mishaps
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.contradiction import Contradiction
from inkshelf.core.machine.state import Machine
from inkshelf.core.plan.intents import Idle, Intent, resolve
from inkshelf.core.plan.merging import First, merged, seen_by
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.identity import Tick, done
from inkshelf.core.steps.kinds import Step
from inkshelf.core.texts import Key, KeyOrNone, LetterOrNone, Line
from inkshelf.core.value import Value, field, replace
from inkshelf.core.work.events import Work

if TYPE_CHECKING:
    from inkshelf.core.aims.beside import Beside

FIRST = "a1"


class Source(Value, frozen=True):
    """Where a disk was read from: an image file, or captured text."""

    kind: Literal["image", "lsblk", "sfdisk", "sfdisk-dump", "blkid", "efibootmgr", "efivars", "bcdedit", "capture"]
    path: Line
    disk: LetterOrNone = ""


class Override(Value, frozen=True):
    """A stop that somebody answers for, in writing."""

    finding: Key
    reason: Line


class Job(Value, frozen=True):
    """Who it is for, the machine as found, the aims, the steps, and the seed that random values are drawn from.

    ``seed`` is also the job's identity: benches and journals bear it. ``by_hand`` holds what a person asked for beside the aims, as
    intents; ``steps`` are those that follow from the aims, then those that the intents come to. ``idle``: intents that do not apply now;
    ``contradictions``: where two readings of a disk disagree. ``unproved``: aims whose plan was not proved to be the best.
    ``reasons``: why one way was taken and not another, in writing. ``mishaps``: what a person wants to see rehearsed, beside those that always are.
    ``work``: what was done, found and noted while the sheet was worked. ``built``: the machine as it was read afresh afterwards, with the
    plan's letters and call numbers.
    """

    title: Line = ""
    owner: Line = ""
    found: Machine = field(default_factory=Machine)
    sources: tuple[Source, ...] = ()
    aims: tuple[AimBase, ...] = ()
    steps: tuple[Step, ...] = ()
    by_hand: tuple[Intent, ...] = ()
    seed: KeyOrNone = ""
    unit: Literal["GiB", "GB"] = "GiB"
    overrides: tuple[Override, ...] = ()
    ticked: tuple[Tick, ...] = ()
    plan_fault: Line = ""
    idle: tuple[Idle, ...] = ()
    contradictions: tuple[Contradiction, ...] = ()
    reasons: tuple[Line, ...] = ()
    unproved: tuple[Key, ...] = ()
    mishaps: tuple[Mishap, ...] = ()
    work: Work = ()
    built: Machine | None = None

    @property
    def aim(self) -> "Beside | None":
        """The first aim of the kind "beside", or ``None``."""
        if not self.aims:
            return None
        from inkshelf.core.aims.beside import Beside  # an aim's module is loaded where a job holds the kind

        return next((one for one in self.aims if isinstance(one, Beside)), None)

    @property
    def done(self) -> frozenset[str]:
        """The identities of the steps that are ticked, and have not changed since."""
        return done(self.steps, self.ticked)

    @property
    def planned(self) -> tuple[Step, ...]:
        """The steps that follow from the aims."""
        hand = {one.id for one in self.by_hand}
        return tuple(step for step in self.steps if step.id.split(".")[0] not in hand)


def replan(job: Job) -> Job:
    """Return the job with steps that follow from what was found, the aims and the intents by hand.

    A plan that cannot be is said in ``plan_fault``, an intent that does not apply in ``idle``; neither is an error.
    """
    planned: tuple[Step, ...] = ()
    fault = ""
    # a call number never comes back, neither one that was found nor one that an aim or an intent gave away
    taken = [*job.found.calls(), *(one.made for one in job.by_hand if one.made)]
    state, unproved = job.found, list[str]()
    sticks = First(job.found)
    for number, aim in enumerate(job.aims, 1):
        try:
            own = aim.steps(seen_by(job.aims, aim, state), seed_of(job, aim), tuple(taken))
        except PlanError as error:
            fault = str(error) if len(job.aims) == 1 else f"Aim {number} ({aim.kind}): {error}"
            planned, sticks = (), First(job.found)
            break
        done = fold(state, own)
        if done.fault:
            fault = f"{done.fault[1]}" if len(job.aims) == 1 else f"Aim {number} ({aim.kind}): {done.fault[1]}"
            planned, sticks = (), First(job.found)
            break
        unproved += [] if aim.proven(state, seed_of(job, aim)) else [aim.id]
        taken += [call for step in own for call in step.gives_calls()]
        if not (aim.makes_first() and sticks.takes(state, aim.makes_first(), own)):
            planned += own
        state = done.planned
    planned = merged((*sticks.steps, *planned)) if len(job.aims) > 1 else (*sticks.steps, *planned)
    steps, intents, idle = resolve(job.found, planned, job.by_hand, job.seed)
    return replace(job, steps=(*planned, *steps), by_hand=intents, plan_fault=fault, idle=idle, unproved=tuple(unproved))


def seed_of(job: Job, aim: AimBase) -> str:
    """Return what an aim draws its random values from: those of two aims differ."""
    return job.seed if aim.id == FIRST else f"{job.seed}/{aim.id}"


def with_aim(job: Job, aim: AimBase | None) -> Job:
    """Return the job with this one aim (``None``: with none), planned."""
    return replan(replace(job, aims=(aim,) if aim is not None else ()))


def and_aim(job: Job, aim: AimBase) -> Job:
    """Return the job with one more aim behind those it has, planned on the state that they leave; its identity is drawn here."""
    number = max((int(one.id[1:]) for one in job.aims if one.id[1:].isdigit()), default=0) + 1
    return replan(replace(job, aims=(*job.aims, replace(aim, id=f"a{number}"))))


def changed_aim(job: Job, changed: AimBase) -> Job:
    """Return the job with an aim in the place of the one of its identity; the first one where it has none yet."""
    if not job.aims:
        return with_aim(job, changed)
    return replan(replace(job, aims=tuple(changed if one.id == changed.id else one for one in job.aims)))


def without_aim(job: Job, identity: str) -> Job:
    """Return the job without one aim; what it made goes, the others are planned anew."""
    return replan(replace(job, aims=tuple(one for one in job.aims if one.id != identity)))


def left_by(job: Job) -> Machine:
    """Return the machine as the aims of a job leave it: what one more aim finds."""
    return fold(job.found, job.planned).planned


def found_by(job: Job, identity: str) -> Machine:
    """Return the machine as an aim finds it: what was found, and what the aims before it leave."""
    state = job.found
    for aim in job.aims:
        if aim.id == identity:
            break
        state = fold(state, tuple(one for one in job.planned if one.id.split(".")[0] == aim.id)).planned
    return state


def with_mishap(job: Job, mishap: Mishap) -> Job:
    """Return the job with one more mishap to rehearse, in the place of one of its key; raises ``PlanError`` for the key of one that always is."""
    if mishap.key in {one.key for one in mishaps(fold(job.found, job.steps).planned)}:
        raise PlanError(f"“{mishap.key}” is rehearsed anyway.", "Give yours another key.")
    if not mishap.parts:
        raise PlanError("Nothing happens in that mishap.", "Say at least one part of it.")
    return replace(job, mishaps=(*(one for one in job.mishaps if one.key != mishap.key), mishap))


def without_mishap(job: Job, key: str) -> Job:
    """Return the job without a mishap that a person made; raises ``PlanError`` where there is none of that key."""
    if key not in {one.key for one in job.mishaps}:
        known = ", ".join(one.key for one in job.mishaps)
        raise PlanError(f"There is no mishap “{key}” of this job's own.", f"It has: {known}." if known else "It has none.")
    return replace(job, mishaps=tuple(one for one in job.mishaps if one.key != key))


def with_found(job: Job, found: Machine) -> Job:
    """Return the job with other facts about the machine, planned again."""
    return replan(replace(job, found=found))
