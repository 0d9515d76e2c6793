"""The sheet as a page on a phone, without the program: a real browser ticks, times and notes; the small file that it saves is taken in."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import zxingcpp
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication

from browser import Browser, browser
from inkshelf.cli.main import run
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.papercode import of_this_job, paper_code
from inkshelf.core.size import GIB
from inkshelf.core.value import replace
from inkshelf.core.work.worked import worked
from inkshelf.exchange import render, squares
from inkshelf.exchange.worknotes import read_work, take_work, write_work
from inkshelf.store import jobfile
from inkshelf.ui.pictures import take_paper

SHRINK = "a1.shrink.S1"


@pytest.fixture(scope="module")
def pages(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Browser]:
    with browser(tmp_path_factory.mktemp("profile")) as one:
        yield one


def saved(page: Browser, folder: Path) -> bytes:
    page.downloads_to(folder)
    page.press("#keep")
    for _ in range(600):
        found = [one for one in folder.iterdir() if one.name.endswith(".work.json")]
        if found and found[0].stat().st_size:
            return found[0].read_bytes()
        time.sleep(0.1)
    raise AssertionError("nothing was saved")


def test_a_phone_ticks_times_and_notes_and_the_program_takes_it_in(job: Job, pages: Browser, tmp_path: Path) -> None:
    page = tmp_path / "sheet.html"
    page.write_text(render.html(read(job)), encoding="utf-8")
    pages.as_phone()
    pages.open(page)
    wide, room = pages.run("[document.documentElement.scrollWidth, window.innerWidth]")
    assert wide <= room, "nothing has to be pushed sideways"
    first, second = job.steps[0].id, job.steps[1].id
    pages.press(f'tr[data-step="{first}"] .begin')
    pages.press(f'tr[data-step="{first}"] .box span')
    pages.answer = 'she says: "no <b>back-up</b> yet"'
    pages.press(f'tr[data-step="{second}"] .note')
    pages.answer = "the box was grey"
    pages.run(
        f"""(() => {{ const how = document.querySelector('tr[data-step="{SHRINK}"] .how');
        how.value = 'failed'; how.dispatchEvent(new Event('change')); }})()"""
    )
    pages.run(
        f"""(() => {{ const box = document.querySelector('tr[data-step="{SHRINK}"] [data-found]');
        box.value = '229 112'; box.dispatchEvent(new Event('change')); }})()"""
    )
    raw = saved(pages, tmp_path)
    pages.open(page)  # it is still there when the page is opened again
    assert pages.run("document.getElementById('about').textContent").startswith(f"1 of {len(job.steps)} steps")
    assert pages.run("document.querySelectorAll('.noted b').length") == 0, "what is written is text"
    taken, new, same = take_work(job, raw)
    state = worked(taken.work)
    assert (new, same) == (6, True)
    assert first in taken.done
    assert state.running == second
    assert state.step(second).notes == ('she says: "no <b>back-up</b> yet"',)
    assert (state.step(SHRINK).stands, state.step(SHRINK).why) == ("failed", "the box was grey")
    assert state.step(SHRINK).measured == (("offered", "229 112"),)
    assert take_work(taken, raw)[:2] == (taken, 0), "twice is once"


def test_the_page_counts_as_the_program_does(job: Job, pages: Browser, tmp_path: Path) -> None:
    page = tmp_path / "sheet.html"
    page.write_text(render.html(read(job)), encoding="utf-8")
    pages.open(page)
    one, two = job.steps[0].id, job.steps[1].id
    at = 1_764_590_000
    told = [
        {"kind": "began", "at": at, "step": one},
        {"kind": "paused", "at": at + 60, "step": one, "why": "download"},
        {"kind": "noted", "at": at + 100, "step": two, "text": "x"},
        {"kind": "resumed", "at": at + 300, "step": one},
        {"kind": "ended", "at": at + 333, "step": one, "how": "done", "why": "", "of": "0", "minutes": None},
        {"kind": "began", "at": at + 340, "step": two},
        {"kind": "noted", "at": at + 300, "step": two, "text": "the clock was set back"},
        {"kind": "reopened", "at": at + 401, "step": one},
    ]
    pages.run(f"events = {json.dumps(told)}; draw()")
    seconds = pages.run(f"Object.fromEntries([...worked({at + 500}).steps].map(([id, one]) => [id, one.seconds]))")
    raw = json.dumps({"format": "inkshelf-work", "version": 1, "code": paper_code(job), "events": told}).encode()
    state = worked(read_work(raw, job)[0], at + 500)
    assert seconds == {id_: state.step(id_).seconds for id_ in seconds}
    assert seconds[one] == 93


def test_a_file_of_another_job_or_plan_is_said(job: Job) -> None:
    other = replace(job, seed="other")
    with pytest.raises(InkshelfError, match="another job"):
        take_work(other, write_work(paper_code(job), ()))
    changed = with_aim(job, replace(job.aim, size_bytes=100 * GIB))
    assert of_this_job(job, f" {paper_code(job)} ")
    assert not of_this_job(changed, paper_code(job)), "an earlier plan's paper is known as one"
    strange = b'{"kind": "noted", "at": 1, "step": "a9.x", "text": "?"}'
    with pytest.raises(InkshelfError, match="never had"):
        take_work(
            job, b'{"format":"inkshelf-work","version":1,"code":"%s","events":[%s]}' % (paper_code(job).encode(), strange)
        )


@given(st.binary(max_size=300) | st.text(max_size=200).map(str.encode))
def test_any_file_is_taken_or_refused_in_words(raw: bytes) -> None:
    with pytest.raises(InkshelfError):
        read_work(raw, Job(seed="one"))


def test_the_printed_square_is_read_by_another_program(job: Job, tmp_path: Path, qapp: QApplication) -> None:
    """A reader of such codes, which is not ours, finds the job's code on the first page as it is printed."""
    assert qapp
    page = QImage(str(take_paper(read(job), tmp_path / "page.png"))).convertToFormat(QImage.Format.Format_Grayscale8)
    raw = page.constBits()
    assert raw is not None
    raw.setsize(page.sizeInBytes())
    grey = np.frombuffer(raw, np.uint8).reshape(page.height(), page.bytesPerLine())[:, : page.width()]
    assert [one.text for one in zxingcpp.read_barcodes(grey)] == [paper_code(job)]
    assert squares.svg(paper_code(job)) in render.html(read(job))


def test_a_filled_paper_is_entered_line_by_line(
    job: Job, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """Twenty-nine steps take twenty-nine lines and a word where something was otherwise: two minutes."""
    import io

    path = tmp_path / "job.json"
    jobfile.save(job, path)
    place = next(number for number, step in enumerate(job.steps) if step.id == SHRINK)
    lines = [
        "12",
        *[""] * (place - 1),
        "what is this",
        "=229112",
        "n it took long",
        "f the box was grey",
        "l the owner has no time",
        "-",
    ]
    monkeypatch.setattr("sys.stdin", io.StringIO("\n".join(lines) + "\n"))
    assert run(["work", str(path), "--paper", "--code", paper_code(job)]) == 0
    kept = jobfile.load(path)
    state = worked(kept.work)
    assert state.step(job.steps[0].id).took == 12
    assert [state.step(step.id).stands for step in job.steps[: place + 3]] == [*["done"] * place, "failed", "skipped", "open"]
    assert state.step(SHRINK).measured == (("offered", "229112"),)
    assert state.step(SHRINK).notes == ("it took long",)
    assert len(kept.done) == place
    assert run(["work", str(path), "--code", "inkshelf:1:someone:00000000:3"]) == 2
    capsys.readouterr()
    assert run(["work", str(path), "--step", str(place + 1), "--enter", "=1000"]) == 0
    assert "less than needed" in capsys.readouterr().err, "a value on paper is judged like one at the machine"
    assert run(["work", str(path), "--step", str(place + 1), "--enter", "=many"]) == 2
    assert worked(jobfile.load(path).work).step(SHRINK).measured == (("offered", "1000"),)
