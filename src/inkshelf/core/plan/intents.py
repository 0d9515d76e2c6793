"""What a person asked for by hand, kept as it was said and resolved anew at each replan, behind what the aims plan."""

from inkshelf.core.errors import InkshelfError
from inkshelf.core.machine.state import Machine
from inkshelf.core.steps.fold import fold
from inkshelf.core.steps.kinds import Create, Step
from inkshelf.core.texts import Key, KeyOrNone, Line
from inkshelf.core.value import Value, replace


class Intent(Value, frozen=True):
    """One thing asked for: a verb of ``plan.byhand``, what it is about, and its words as (name, text) pairs.

    ``id`` is drawn once; the steps it comes to are named after it. ``made``: the call number that it gave away, which stays its own.
    ``exactly``: a step that is taken as it stands, for the verb of that name.
    """

    id: Key
    verb: Key
    call: Line
    words: tuple[tuple[Key, Line], ...] = ()
    made: KeyOrNone = ""
    exactly: Step | None = None


class Idle(Value, frozen=True):
    """An intent that does not apply to the plan as it is now, and why; it applies again when it can."""

    intent: Key
    why: Line


def resolve(
    found: Machine, planned: tuple[Step, ...], intents: tuple[Intent, ...], seed: str
) -> tuple[tuple[Step, ...], tuple[Intent, ...], tuple[Idle, ...]]:
    """Return the steps that the intents come to behind ``planned``, the intents with the call numbers they made, and the idle ones."""
    if not intents:
        return (), (), ()
    from inkshelf.core.plan.byhand import steps_of

    state = fold(found, planned)
    if state.fault:
        why = f"Step {state.fault[0]} cannot be done yet: {state.fault[1].what}"
        return (), intents, tuple(Idle(one.id, why) for one in intents)
    machine = state.planned
    # a call number never comes back: neither one that was found, nor one that an intent gave away
    taken = [*found.calls(), *(one.made for one in intents if one.made)]
    taken += [call for step in planned for call in step.gives_calls()]
    steps: list[Step] = []
    kept: list[Intent] = []
    idle: list[Idle] = []
    for intent in intents:
        try:
            own = named(steps_of(machine, intent, tuple(taken), seed), intent.id)
            done = fold(machine, own)
            if done.fault:
                raise done.fault[1]
        except InkshelfError as error:
            idle.append(Idle(intent.id, str(error)))
            kept.append(intent)
            continue
        machine = done.planned
        made = next((step.call for step in own if isinstance(step, Create)), intent.made)
        taken.append(made)
        kept.append(replace(intent, made=made))
        steps += own
    return tuple(steps), tuple(kept), tuple(idle)


def named(steps: tuple[Step, ...], identity: str) -> tuple[Step, ...]:
    """Return the steps of an intent with identities after it."""
    return tuple(replace(step, id=identity if not at else f"{identity}.{at + 1}") for at, step in enumerate(steps))
