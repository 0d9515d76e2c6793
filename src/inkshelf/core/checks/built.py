"""The machine as built differs from its plan: a finding each where it matters, one for all that is small."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from inkshelf.core.checks.registry import Finding, Remedy, RightAgain, Severity, Show, check
from inkshelf.core.plan.reading import Reading
from inkshelf.core.texts import few

if TYPE_CHECKING:
    from inkshelf.core.built.line import Line

SEVERITIES: dict[str, Severity] = {"stop": "stop", "warn": "warn", "note": "note"}


@check
def differs(reading: Reading) -> Iterator[Finding]:
    """What was read afresh is not what was planned."""
    if reading.job.built is None:
        return
    from inkshelf.core.built.compare import compared  # late: most jobs are not done yet
    from inkshelf.core.plan.asbuilt import accepted

    lines = [one for one in compared(reading.plan, reading.job.built) if one.stands == "differs"]
    small = [one for one in lines if one.matters == "note"]
    for one in lines:
        if one not in small:
            yield _finding(reading, one)
    left = [one for one in small if not accepted(reading.job, one)]
    if left:
        yield Finding(
            "built.small",
            "note",
            f"{len(left)} small difference{'s' if len(left) > 1 else ''} from the plan",
            few((f"{one.about} {one.what}" for one in left), 4, "; ") + ".",
            remedies=(Show("proof", "Look at them"),),
        )


def _finding(reading: Reading, line: Line) -> Finding:
    from inkshelf.core.plan.asbuilt import accepted, repair_of

    why = f"Planned: {line.planned}. Read: {line.built}.{' ' + line.why[0].upper() + line.why[1:] + '.' if line.why else ''}"
    written = accepted(reading.job, line)
    remedies: tuple[Remedy, ...] = (Show("proof", "Look at it"),)
    if repair_of(line):
        remedies = (RightAgain(line.key, "Put it right"), *remedies)
    return Finding(
        f"built.{line.key}",
        "note" if written else SEVERITIES[line.matters],
        f"{line.about}: {line.what} {'is left over' if line.left else 'is not as planned'}",
        why,
        (line.about,) if reading.plan.planned.find(line.about) else (),
        () if written else remedies,
        written,
        final=line.matters == "stop",
    )
