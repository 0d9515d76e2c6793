"""The step kinds: none is forgotten in the list that they are loaded by, none is without its traits, none is rehearsed with an old state."""

from __future__ import annotations

import ast
import pkgutil
from importlib import import_module
from pathlib import Path
from typing import ClassVar

import pytest

from inkshelf.core import steps
from inkshelf.core.boot.mishaps import STANDING
from inkshelf.core.boot.rehearse import if_it_stops, outcome, systems
from inkshelf.core.errors import StepError
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.steps import kinds
from inkshelf.core.steps.base import Actor, StepBase
from inkshelf.core.steps.fold import fold
from inkshelf.core.value import replace


def test_every_kind_of_the_folder_is_loaded_by_its_word_and_by_its_name() -> None:
    modules = [import_module(f"{steps.__name__}.{one.name}") for one in pkgutil.iter_modules(steps.__path__)]
    there = {
        one
        for module in modules
        for one in vars(module).values()
        if isinstance(one, type) and issubclass(one, StepBase) and one is not StepBase
    }
    assert there == set(kinds.every_step())
    for one in there:
        assert kinds.kind_of_step(str(one.__struct_config__.tag)) is one
        assert getattr(kinds, one.__name__) is one


def test_checkers_of_types_know_the_same_kinds() -> None:
    tree = ast.parse(Path(str(kinds.__file__)).read_text())
    told = next(one for one in tree.body if isinstance(one, ast.If))
    named = {alias.name for one in told.body if isinstance(one, ast.ImportFrom) for alias in one.names}
    assert named == {one.__name__ for one in kinds.every_step()}


def test_a_kind_that_is_not_there_is_refused() -> None:
    with pytest.raises(StepError, match="no step"):
        kinds.kind_of_step("shrnk")
    with pytest.raises(AttributeError, match="Shrnk"):
        kinds.__getattr__("Shrnk")


def test_a_kind_that_does_not_say_what_it_writes_cannot_be_made() -> None:
    with pytest.raises(TypeError, match="does not say its writes"):

        class Silent(StepBase, frozen=True, tag="silent"):
            actor: ClassVar[Actor] = "person"


def test_what_starts_after_a_step_is_that_of_its_own_state(job: Job) -> None:
    disk = replace(job.found.disks[0], table=replace(job.found.disks[0].table, protective=False))
    found = replace(job.found, disks=(disk, *job.found.disks[1:]))
    plan = fold(found, (kinds.RepairTable("A"),))
    rows = if_it_stops(plan)
    assert rows == tuple(tuple(outcome(one, two.call, STANDING[0]) for two in systems(one)) for one in plan.machines)
    assert [all(one.starts for one in row) for row in rows] == [False, True]


def test_every_state_of_a_plan_is_rehearsed(job: Job) -> None:
    reading = read(job)
    alone = [tuple(outcome(one, two.call, STANDING[0]) for two in systems(one)) for one in reading.plan.machines]
    assert list(reading.stops) == alone
