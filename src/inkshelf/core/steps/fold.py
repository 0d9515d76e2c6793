"""The fold: the state found, and the state after each step."""

from __future__ import annotations

from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import Machine
from inkshelf.core.steps.kinds import Step
from inkshelf.core.value import Value


class Fold(Value, frozen=True):
    """``machines[n]`` is the state after step *n*; ``machines[0]`` the one found. ``fault`` ends it early."""

    machines: tuple[Machine, ...]
    fault: tuple[int, StepError] | None = None

    @property
    def found(self) -> Machine:
        """The state before the first step."""
        return self.machines[0]

    @property
    def planned(self) -> Machine:
        """The state after the last step that could be applied."""
        return self.machines[-1]


def fold(found: Machine, steps: tuple[Step, ...]) -> Fold:
    """Apply every step in order; a step that refuses ends the fold and is kept with its number (from 1)."""
    machines = [found]
    for number, step in enumerate(steps, 1):
        try:
            machines.append(step.apply(machines[-1]))
        except StepError as error:
            return Fold(tuple(machines), (number, error))
    return Fold(tuple(machines))
