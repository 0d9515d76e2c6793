"""Waiting that is used: nothing is done twice, nothing that the machine is needed for, and the minutes add up."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from inkshelf.core.machine.state import Conditions, Machine
from inkshelf.core.plan.job import Job, with_found
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.meanwhile import used
from inkshelf.core.sheet.scene import scenes
from inkshelf.core.sheet.sessions import ANYWHERE, FIRMWARE, places
from inkshelf.core.sheet.sheet import sheet, with_margin
from inkshelf.core.steps.kinds import Confirm
from inkshelf.core.value import replace
from strategies import machines, wishes


@given(st.data(), machines())
def test_waits_are_used_once_and_the_minutes_of_a_sheet_add_up(data: st.DataObject, machine: Machine) -> None:
    reading = read(data.draw(wishes(machine)))
    made = sheet(reading)
    rows = tuple((number, step, made.rows[at].minutes) for at, (number, step, _) in enumerate(scenes(reading)))
    waits = used(rows)
    known = {number: (step, scene) for number, step, scene in scenes(reading)}
    done = [number for one in waits for number in one.done]
    assert len(done) == len(set(done)), "done once"
    for one in waits:
        spent = {number: minutes for number, _, minutes in rows}
        assert 0 < one.minutes <= spent[one.wait]
        assert one.minutes <= sum(spent[number] for number in one.done)
        for number in one.done:
            step, scene = known[number]
            assert isinstance(step, Confirm)
            stick = known[one.wait][0].subject != "material"
            assert places(step, scene) in ({ANYWHERE, (FIRMWARE,)} if stick else {ANYWHERE})
    assert abs(made.saved - sum(one.minutes for one in waits)) < 1e-6
    assert abs(made.minutes - with_margin(sum(row.minutes for row in made.rows) - made.saved)) < 1e-6


def test_the_sheet_says_what_to_begin_with(job: Job) -> None:
    rows = sheet(read(with_found(job, replace(job.found, conditions=Conditions())))).rows
    image = next(row for row in rows if row.words.title.startswith("Image from"))
    stick = next(row for row in rows if row.words.title.startswith("Installer stick"))
    said = dict(image.words.values)["while it comes"]
    assert said.endswith("begin with this one")
    assert str(image.number) not in said.split(":")[0].replace("steps", "").replace(" ", "").split(",")
    firmware = next(row.number for row in rows if row.words.title.startswith("Write down what the firmware"))
    assert str(firmware) in dict(stick.words.values)["while it is written and checked"]
