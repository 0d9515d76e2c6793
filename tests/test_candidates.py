"""Ways side by side: none is worse in everything than another, nobody loses more in one, and the one taken is planned as shown."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.core.aims import Beside
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.state import Machine
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.candidates import HERE, MOST, candidates, choose, dominates, figures, worked_out
from inkshelf.core.value import replace
from inkshelf.exchange import render
from strategies import machines, wishes


@given(st.data(), machines())
def test_no_way_is_dominated_and_none_loses_more(data: st.DataObject, machine: Machine) -> None:
    job = data.draw(wishes(machine))
    found = candidates(job)
    if not found:
        assert job.plan_fault or not job.aims
        return
    assert found[0].key == HERE
    assert found[0].job == job
    assert len(found) <= MOST
    assert len({one.key for one in found}) == len(found)
    everything = tuple(worked_out(job))
    lost = set(read(job).ledger.lost)
    for one in found[1:]:
        assert not any(dominates(other.figures, one.figures) for other in everything)
        assert set(read(one.job).ledger.lost) <= lost
        assert one.job.steps
        assert not one.job.plan_fault
        assert figures(read(one.job)) == one.figures
        assert choose(job, one.key, "because").steps == one.job.steps, "the way that is taken is the one that was shown"


def test_the_way_that_was_taken_keeps_its_reason(found_job: Job) -> None:
    job = with_aim(found_job, Beside(esp="own"))
    taken = choose(job, "esp=shared", "the firmware forgets entries")
    assert taken.aims[0].esp == "shared"
    assert taken.reasons == ("EFI system partition: shared: the firmware forgets entries",)
    again = choose(taken, "home=apart", "she reinstalls")
    assert len(again.reasons) == 2
    for written in (render.markdown(read(again)), render.html(read(again))):
        assert "she reinstalls" in written
        assert "A Linux desktop beside S1 on disk A" in written
    with pytest.raises(PlanError, match=r"Did you mean esp=own\?"):
        choose(taken, "esp=onw", "x")


def test_what_is_nowhere_worse_and_somewhere_better_dominates(found_job: Job) -> None:
    one = candidates(with_aim(found_job, Beside()))[0].figures
    for name, better, worse in (
        ("moved", -1, 1),
        ("minutes", -5, 5),
        ("by_hand", -1, 1),
        ("put_back", -1, 1),
        ("stops", -1, 1),
        ("warns", -1, 1),
        ("survives", 1, -1),
    ):
        value = getattr(one, name)
        assert dominates(replace(one, **{name: value + better}), one), name
        assert not dominates(replace(one, **{name: value + worse}), one), name
    roomier = replace(one, free={call: size + 1 for call, size in one.free.items()})
    assert dominates(roomier, one)
    assert not dominates(one, one)
    assert not dominates(replace(roomier, moved=one.moved + 1), one)
