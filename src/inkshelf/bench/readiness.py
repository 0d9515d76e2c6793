"""What this machine lacks for inking: utilities that the plan needs and that are not installed. Planning goes on without them."""

from __future__ import annotations

from functools import cache

from inkshelf.bench import packages
from inkshelf.core.checks.registry import Finding, Show
from inkshelf.core.plan.job import Job
from inkshelf.core.steps.kinds import Format, Install, Regenerate


def needed(job: Job) -> set[str]:
    """Return the utilities that inking the job runs."""
    if not job.steps:
        return set()
    from inkshelf.bench.kinds import TOOLS  # late: the window is ready sooner

    names = {"sfdisk"}
    kinds = {volume.call: volume.filesystem.kind for _, volume in job.found.volumes() if volume.filesystem}
    for step in job.steps:
        if isinstance(step, Format):
            kinds[step.call] = step.filesystem
        tools = [TOOLS[kinds[call]] for call in step.inside() if kinds.get(call) in TOOLS]
        for one in tools:
            names |= set(one.makes_with if isinstance(step, Format) else one.changes_with)
        names |= {"debugfs", "mcopy", "mmd"} if isinstance(step, Install | Regenerate) else set()
    return names


@cache
def _missing(names: frozenset[str]) -> dict[str, str]:
    return packages.missing(set(names))


def findings(job: Job) -> tuple[Finding, ...]:
    """Return one finding for each package that inking would need and that is not installed."""
    lacking: dict[str, list[str]] = {}
    for name, package in _missing(frozenset(needed(job))).items():
        lacking.setdefault(package, []).append(name)
    return tuple(
        Finding(
            f"bench.missing.{package}",
            "warn",
            f"The package {package} is not installed",
            f"Inking on the bench would need {', '.join(names)}. Planning, rehearsing and the sheet do not: install it before you ink.",
            (),
            (Show("shelf", "Go on planning"),),
        )
        for package, names in lacking.items()
    )
