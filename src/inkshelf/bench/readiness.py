"""What this machine lacks for inking: utilities that the plan needs and that are not installed. Planning goes on without them."""

from __future__ import annotations

from functools import cache

from inkshelf.bench import packages
from inkshelf.core.checks.registry import Finding, Show
from inkshelf.core.plan.job import Job
from inkshelf.core.steps.kinds import Format, Grow, Install, Label, Renew, Shrink

MAKERS = {
    "fat32": "mkfs.fat",
    "exfat": "mkfs.exfat",
    "ntfs": "mkfs.ntfs",
    "ext4": "mkfs.ext4",
    "xfs": "mkfs.xfs",
    "btrfs": "mkfs.btrfs",
    "swap": "mkswap",
    "luks": "cryptsetup",
}
CHANGERS = {
    "ntfs": {"ntfsresize", "ntfslabel"},
    "ext4": {"resize2fs", "e2fsck", "tune2fs"},
    "ext3": {"resize2fs", "e2fsck", "tune2fs"},
    "ext2": {"resize2fs", "e2fsck", "tune2fs"},
    "fat32": {"fatlabel"},
    "exfat": {"exfatlabel"},
    "xfs": {"xfs_admin"},
    "btrfs": {"btrfs"},
    "swap": {"swaplabel"},
    "luks": {"cryptsetup"},
}


def needed(job: Job) -> set[str]:
    """Return the utilities that inking the job runs."""
    names = {"sfdisk"} if job.steps else set()
    kinds = {volume.call: volume.filesystem.kind for _, volume in job.found.volumes() if volume.filesystem}
    for step in job.steps:
        if isinstance(step, Format):
            kinds[step.call] = step.filesystem
            names |= {MAKERS[step.filesystem]} if step.filesystem in MAKERS else set()
        elif isinstance(step, Shrink | Grow | Label | Renew):
            names |= CHANGERS.get(kinds.get(step.call, ""), set())
        elif isinstance(step, Install):
            names |= {"debugfs", "mcopy", "mmd"}
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
