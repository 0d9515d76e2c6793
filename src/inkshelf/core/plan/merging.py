"""Several aims in one job, carried out in one go: what was made sure of once is not asked for again, what is put away is put away last."""

from __future__ import annotations

from collections.abc import Iterable

from inkshelf.core.steps.kinds import Confirm, CopyFiles, Prepare, PutImage, Step, WriteImage

ONCE = {
    *("consent", "backup", "recovery_key", "mains", "firmware_values", "material", "medium", "live_stick", "ports"),
    *("host_fit", "material_newest"),
}
"""What a person makes sure of for the whole job."""
BROUGHT = {"material", "material_newest", "medium", "live_stick"}
"""What a stick that the same job makes before brings along, with its image."""
LAST = {"clock", "clock_back", "tidy"}
"""What is done when everything else is."""
STAYS = {"fast_startup_off", "suspend_encryption"}
"""What was switched off in a system stays off for the whole job."""
BACK = {"resume_encryption"}
"""What is switched on again when everything else is done."""


def merged(steps: Iterable[Step]) -> tuple[Step, ...]:
    """Return the steps of several aims without what is said twice: the first time of what is made sure of, the last of what is tidied."""
    kept: list[Step] = []
    seen: set[tuple[str, str]] = set()
    made = False
    for step in steps:
        made = made or isinstance(step, WriteImage | CopyFiles | PutImage)
        if made and isinstance(step, Confirm) and step.subject in BROUGHT:
            continue
        if isinstance(step, Confirm) and step.subject in ONCE:
            key: tuple[str, str] = ("confirm", step.subject)
        elif isinstance(step, Prepare) and step.what in STAYS:
            key = (step.what, step.call)
        else:
            kept.append(step)
            continue
        if key not in seen:
            kept.append(step)
        seen.add(key)
    last = {_late(step): number for number, step in enumerate(kept) if _late(step)}
    return tuple(step for number, step in enumerate(kept) if not _late(step) or last[_late(step)] == number)


def _late(step: Step) -> tuple[str, str] | None:
    """What a step is the last of, where only the last of its sort is done."""
    if isinstance(step, Confirm) and step.subject in LAST:
        return "confirm", step.subject
    return (step.what, step.call) if isinstance(step, Prepare) and step.what in BACK else None
