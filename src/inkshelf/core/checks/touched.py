"""What a plan touches: nothing at all, sticks only, or the machine itself. What people must know hangs on that."""

from __future__ import annotations

from inkshelf.core.plan.reading import Reading
from inkshelf.core.steps.kinds import Step


def stick_letters(reading: Reading) -> frozenset[str]:
    """Return the letters of the sticks that the job makes."""
    return frozenset(letter for aim in reading.job.aims for letter in aim.makes_first())


def leaves_alone(reading: Reading) -> bool:
    """Tell whether a plan writes nothing on the machine itself: then nobody can lose anything on it."""
    letters = stick_letters(reading)
    return bool(reading.job.steps) and all(step.writes == "none" or _on(step, reading, letters) for step in reading.job.steps)


def _on(step: Step, reading: Reading, letters: frozenset[str]) -> bool:
    """Whether a step writes on one of these disks and nowhere else."""
    if step.writes == "variables":
        return False
    letter = getattr(step, "disk", "")
    if letter:
        return letter in letters
    calls = step.inside() or (str(getattr(step, "call", "")),)
    places = [reading.plan.planned.find(call) or reading.plan.found.find(call) for call in calls]
    return bool(places) and all(place is not None and place[0].id in letters for place in places)
