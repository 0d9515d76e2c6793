"""Findings about what aims ask for: a scene that raises each, one that does not, and a remedy that takes it away."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

import machines
from inkshelf.bench.recipes import wanting
from inkshelf.core.checks import apply_remedy, findings
from inkshelf.core.checks.registry import ChangeAim, Finding
from inkshelf.core.errors import PlanError
from inkshelf.core.plan.job import Job, replan
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB
from inkshelf.core.value import replace


def seen(job: Job) -> dict[str, Finding]:
    return {one.key: one for one in findings(read(job))}


def memory(job: Job, gib: int) -> Job:
    return replan(replace(job, found=replace(job.found, ram_bytes=gib * GIB)))


def external(job: Job) -> Job:
    disks = tuple(replace(disk, removable=disk.id == "B") for disk in job.found.disks)
    return replan(replace(job, found=replace(job.found, disks=disks)))


def coming_and_going(job: Job, **said: str) -> Job:
    return wanting(job, ("beside", {"size": "80GiB"}), ("remove", {"system": "S2", **said}))


Scene = Callable[[Job], Job]
SCENES: list[tuple[str, Scene, Scene]] = [
    ("wish.automatic.S2", lambda j: wanting(j, ("own-disk", {"system": "linux-rolling", "home": "apart"})), lambda j: wanting(j, ("own-disk", {"system": "linux-rolling"}))),
    ("wish.automatic.S2", lambda j: wanting(j, ("own-disk", {"system": "linux-server", "home": "together"})), lambda j: wanting(j, ("own-disk", {"system": "linux-server"}))),
    ("wish.automatic.S2", lambda j: wanting(j, ("beside", {"system": "linux-rolling", "home": "apart"})), lambda j: wanting(j, ("beside", {}))),
    ("people.memory.S2", lambda j: memory(wanting(j, ("beside", {})), 2), lambda j: memory(wanting(j, ("beside", {})), 4)),
    ("people.memory.S2", lambda j: memory(wanting(j, ("own-disk", {"system": "linux-heavy"})), 4), lambda j: wanting(j, ("own-disk", {"system": "linux-heavy"}))),
    ("room.staging.a1", lambda j: wanting(j, ("no-stick", {"staging": "no"})), lambda j: wanting(j, ("no-stick", {}))),
    ("people.travels.a1", lambda j: wanting(j, ("travelling", {})), lambda j: wanting(j, ("own-disk", {}))),
    ("people.external.a1", lambda j: external(wanting(j, ("own-disk", {}))), lambda j: wanting(j, ("own-disk", {}))),
    ("room.kept.a2", lambda j: coming_and_going(j, room="keep"), coming_and_going),
    ("people.backup", lambda j: wanting(j, ("beside", {})), lambda j: wanting(j, ("try", {}))),
    ("people.mains", lambda j: wanting(j, ("beside", {})), lambda j: wanting(j, ("try", {}))),
    ("people.encrypted", lambda j: wanting(j, ("beside", {})), lambda j: wanting(j, ("try", {}))),
    ("people.consent", lambda j: wanting(j, ("beside", {})), lambda j: wanting(j, ("try", {}))),
]  # fmt: skip


@pytest.mark.parametrize(("key", "raises", "does_not"), SCENES, ids=[f"{at}-{one[0]}" for at, one in enumerate(SCENES)])
def test_a_finding_stands_in_its_scene_and_in_no_other(two: Job, key: str, raises: Scene, does_not: Scene) -> None:
    found, quiet = seen(raises(two)), seen(does_not(two))
    assert key in found
    assert key not in quiet
    assert found[key].why.endswith(".")
    assert found[key].remedies


@pytest.mark.parametrize("at", [0, 1, 2, 5])
def test_its_remedy_takes_it_away(two: Job, at: int) -> None:
    key, raises, _ = SCENES[at]
    job = raises(two)
    remedy = next(one for one in seen(job)[key].remedies if isinstance(one, ChangeAim))
    mended = apply_remedy(job, remedy)
    assert not mended.plan_fault
    assert key not in seen(mended)
    assert mended.aims != job.aims


def test_a_remedy_for_an_aim_that_is_gone_is_refused(two: Job) -> None:
    job = wanting(two, ("no-stick", {"staging": "no"}))
    for remedy in (ChangeAim("staging", "yes", "x", "a9"), ChangeAim("esp", "own", "x")):
        with pytest.raises(PlanError, match="not in the job"):
            apply_remedy(job, remedy)


def test_swap_for_hibernation_is_said_of_every_aim_with_secure_boot_on(tmp_path: Path) -> None:
    job = machines.one_disk(tmp_path)
    one = wanting(job, ("beside", {"swap": "hibernate", "size": "70GiB"}))
    assert "firmware.lockdown" in seen(one)
    both = wanting(one, ("beside", {"swap": "hibernate", "size": "70GiB"}))
    assert {"firmware.lockdown.a1", "firmware.lockdown.a2"} <= seen(both).keys()
    remedy = next(iter(seen(both)["firmware.lockdown.a2"].remedies))
    assert [aim.swap for aim in apply_remedy(both, remedy).aims] == ["hibernate", "sqrt"]


@pytest.mark.parametrize(
    "said",
    [
        {"system": "linux-server"},
        {"system": "linux-server", "encryption": "all", "home": "apart"},
        {"system": "linux-rolling"},
        {"system": "linux-rolling", "encryption": "root"},
    ],
)
def test_what_is_laid_out_as_the_system_would_is_not_said_to_be_lost(two: Job, said: dict[str, str]) -> None:
    job = wanting(two, ("own-disk", said))
    assert not job.plan_fault
    assert not [key for key in seen(job) if key.startswith("wish.automatic")]
