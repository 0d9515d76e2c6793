"""Rule-based sequences on the desk: change, preview, drop, undo, redo; the history is what a person did."""

from __future__ import annotations

import tempfile
from pathlib import Path

from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from inkshelf.bench import demo
from inkshelf.bench.intake import take_in
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB
from inkshelf.store import jobfile
from inkshelf.ui.desk import Desk
from strategies import drawn

_FOLDER = tempfile.TemporaryDirectory()
_FIRST: list[Job] = []


def first_job() -> Job:
    if not _FIRST:
        image, _ = demo.build(Path(_FOLDER.name))
        _FIRST.append(take_in([image], mode="uefi", secure_boot="on", ram_bytes=16 * GIB, seed="desk"))
    return _FIRST[0]


class DeskMachine(RuleBasedStateMachine):
    """A model of the history beside the real desk."""

    @initialize()
    def begin(self) -> None:
        self.path = Path(_FOLDER.name) / "desk.job.json"
        self.desk = Desk(first_job(), self.path)
        self.past: list[Job] = [self.desk.job]
        self.at = 0
        self.previewing = False
        self.heard: list[str] = []
        self.desk.subscribe(self.heard.append)

    def _moved(self, before: Job) -> None:
        self.previewing = False
        if self.desk.job != before:
            self.past = [*self.past[: self.at + 1], self.desk.job]
            self.at += 1

    @rule(gib=st.integers(20, 230), esp=st.sampled_from(["own", "shared"]))
    def change_the_aim(self, gib: int, esp: str) -> None:
        before = self.past[self.at]
        self.desk.set_aim("aim", size_bytes=gib * GIB, esp=esp)
        self._moved(before)

    @rule(field=st.sampled_from(["mains", "consent", "encrypted"]), value=st.sampled_from([True, False, None]))
    def answer(self, field: str, value: bool | None) -> None:
        if self.previewing:
            self.desk.drop()
        before = self.past[self.at]
        self.desk.know(field, value, "answer")
        self._moved(before)

    @rule(gib=st.integers(20, 230))
    def drag(self, gib: int) -> None:
        self.desk.set_aim("drag", preview=True, size_bytes=gib * GIB)
        self.previewing = True

    @precondition(lambda self: self.previewing)
    @rule()
    def let_go(self) -> None:
        before = self.past[self.at]
        self.desk.change(self.desk.job, "drag")
        self._moved(before)

    @precondition(lambda self: self.previewing)
    @rule()
    def give_up(self) -> None:
        self.desk.drop()
        self.previewing = False
        assert self.desk.job == self.past[self.at]

    @rule()
    def undo(self) -> None:
        self.desk.undo()
        self.previewing = False
        self.at = max(0, self.at - 1)
        assert self.desk.job == self.past[self.at]

    @rule()
    def redo(self) -> None:
        self.desk.redo()
        self.previewing = False
        self.at = min(len(self.past) - 1, self.at + 1)
        assert self.desk.job == self.past[self.at]

    @invariant()
    def what_is_shown_belongs_to_the_job(self) -> None:
        assert self.desk.reading == read(self.desk.job)
        assert bool(self.desk.undo_words) == (self.at > 0)
        assert bool(self.desk.redo_words) == (self.at < len(self.past) - 1)

    @invariant()
    def the_file_holds_the_last_thing_done(self) -> None:
        if "saved" in self.heard:
            assert jobfile.load(self.path) == (self.past[self.at])


DeskMachine.TestCase.settings = settings(drawn(25), stateful_step_count=18)
TestDesk = DeskMachine.TestCase
