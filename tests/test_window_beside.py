"""What goes on beside the window: saving, closing, rescues; what is made is freed again; nothing is mixed up with another job."""

from __future__ import annotations

import sys
import threading
import time
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from inkshelf.bench import tools
from inkshelf.bench.inker import ink
from inkshelf.cli import run
from inkshelf.core.errors import CancelledError
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.job import Job
from inkshelf.core.size import GIB
from inkshelf.core.value import replace
from inkshelf.store import jobfile
from inkshelf.ui import rescue
from inkshelf.ui.background import Saver
from inkshelf.ui.desk import Desk, Notice
from inkshelf.ui.frame.inkruns import bench_name
from inkshelf.ui.frame.overlays import CommandPalette
from inkshelf.ui.frame.settings import data_folder
from inkshelf.ui.frame.window import Window
from inkshelf.ui.shelf.board import Board
from inkshelf.ui.shelf.hand import HandMenu
from windows import click, settled


def test_an_edit_never_waits_for_the_disk(window: Window, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    go = threading.Event()
    real = jobfile.save
    monkeypatch.setattr(jobfile, "save", lambda *given, **more: (go.wait(20), real(*given, **more)))
    begun = time.monotonic()
    for owner in ("one", "two", "three"):
        window.desk.rename("desk", owner)
    assert time.monotonic() - begun < 15, "the disk was not waited for"
    go.set()
    settled(window)
    assert jobfile.load(window.desk.path).owner == "three"


def test_what_cannot_be_saved_is_said_by_the_saver(window: Window, tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    window.desk.path = tmp_path / "file" / "job.json"
    window.desk.rename("desk", "nobody")
    settled(window)
    assert "cannot be written" in window.desk.notice.what
    assert window.desk.saved_at == ""


def test_of_several_versions_the_last_is_on_the_disk_and_every_file_is_written(
    qapp: QApplication, job: Job, tmp_path: Path
) -> None:
    saver = Saver()
    for number in range(30):
        saver.save(replace(job, title=f"version {number}"), tmp_path / f"{number % 2}.json")
    saver.stop()
    assert jobfile.load(tmp_path / "1.json").title == "version 29"
    assert jobfile.load(tmp_path / "0.json").title == "version 28"


def test_closing_does_not_wait_for_a_utility_that_hangs(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A cancel ends the utility: it works on a copy."""
    (tmp_path / "bin").mkdir()
    (tmp_path / "bin" / "hangs").write_text("#!/bin/sh\nexec sleep 600\n")
    (tmp_path / "bin" / "hangs").chmod(0o755)
    monkeypatch.setenv("PATH", f"{tmp_path / 'bin'}:/usr/bin:/bin")
    with tools.stopped_by(lambda: True), pytest.raises(CancelledError):
        tools.run("hangs")
    assert tools.run("cat", feed="x" * 200_000, only_output=True).output == "x" * 200_000


def test_a_utility_that_is_slow_to_read_gets_all_that_it_is_fed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """On a busy machine it may begin to read after it was looked after several times; what did not fit a pipe was never sent then."""
    (tmp_path / "slow").write_text("#!/bin/sh\nsleep 1\nexec cat\n")
    (tmp_path / "slow").chmod(0o755)
    monkeypatch.setenv("PATH", f"{tmp_path}:/usr/bin:/bin")
    until = time.monotonic() + 30
    with tools.stopped_by(lambda: time.monotonic() > until):
        assert tools.run("slow", feed="x" * 200_000, only_output=True).output == "x" * 200_000


def test_a_window_that_cannot_stop_yet_stays_and_says_so(window: Window, qtbot: QtBot) -> None:
    class Stuck:
        running = True

        def isRunning(self) -> bool:
            return self.running

        def cancel(self) -> None:
            pass

        def wait(self, limit: int) -> bool:
            return not self.running

    stuck = window.worker = Stuck()  # type: ignore[assignment]
    window.close()
    assert window.isVisible()
    assert "being stopped still" in window.desk.notice.what
    stuck.running = False
    window.close()
    assert not window.isVisible()


def test_what_is_not_saved_is_not_left_without_a_word(window: Window, tmp_path: Path, job: Job) -> None:
    desk, (full, other) = window.desk, (tmp_path / "full", tmp_path / "other.json")
    full.write_text("no folder")
    jobfile.save(replace(job, title="other"), other)
    desk.path = full / "job.json"
    desk.rename("the last word", "Saltmarsh")
    for leave in (window.files.new_job, lambda: window.files.open_job(other), lambda: window.files.take_dropped(other)):
        desk.rename(f"{desk.job.title}, and more", "Saltmarsh")
        leave()
        QApplication.processEvents()  # that writing failed is heard of afterwards
        assert desk.job.title.startswith("the last word")
        assert desk.notice is not None
        assert "not saved. " in desk.notice.what
    desk.rename("said again", "Saltmarsh")
    window.close()
    QApplication.processEvents()
    assert window.isVisible()
    assert "Do this again to go on without it." in desk.notice.remedy
    assert window.saved.text() == "not saved"
    full.unlink()
    desk.rename("said again", "Marrow & Finch")
    settled(window)
    assert window.saved.text().startswith("saved ")
    window.close()
    assert not window.isVisible()
    assert jobfile.load(full / "job.json").title == "said again"


def test_who_is_told_goes_on_without_it(window: Window, tmp_path: Path, job: Job) -> None:
    full, other = tmp_path / "full", tmp_path / "other.json"
    full.write_text("no folder")
    jobfile.save(replace(job, title="other"), other)
    window.desk.path = full / "job.json"
    window.desk.rename("the last word", "Saltmarsh")
    window.files.open_job(other)
    window.files.open_job(other)
    assert window.desk.job.title == "other"
    window.files.new_job()
    assert not window.desk.job.title, "it is not asked for again behind the next one"
    window.desk.path = full / "job.json"
    window.desk.rename("and again", "Saltmarsh")
    window.close()
    assert window.isVisible()
    window.close()
    assert not window.isVisible()


def test_a_file_that_is_being_written_is_opened_as_it_will_be(
    window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    real = jobfile.save

    def slowly(*given: Any, **more: Any) -> None:
        time.sleep(0.3)
        real(*given, **more)

    monkeypatch.setattr(jobfile, "save", slowly)
    window.desk.rename("the last word", "Saltmarsh")
    assert window.desk.path is not None
    window.files.open_job(window.desk.path)
    assert window.desk.job.title == "the last word"


def test_nothing_waits_once_it_is_said_so(job: Job, tmp_path: Path) -> None:
    saver, place = Saver(), tmp_path / "job.json"
    for number in range(40):
        saver.save(replace(job, title=f"version {number}"), place)
        if number % 7 == 0:
            assert saver.flush()
            assert jobfile.load(place).title == f"version {number}"
    saver.stop()
    saver.save(replace(job, title="later"), place)
    assert saver.flush()
    assert jobfile.load(place).title == "later"
    saver.stop()


@pytest.mark.parametrize("what", ["image", "capture", "add"])
def test_what_was_read_for_one_job_is_not_put_into_another_that_was_opened_meanwhile(
    window: Window, demo_files: tuple[Path, Path], qtbot: QtBot, what: str
) -> None:
    image, capture = demo_files
    files, mine = window.files, window.desk.job
    {
        "image": lambda: files.built.compare_image(image),
        "capture": lambda: files.built.compare_capture(capture),
        "add": lambda: files.media.add([image]),
    }[what]()
    other = replace(mine, seed="another", title="second")
    window.desk.replace_job(other, None)
    qtbot.waitUntil(lambda: not files.busy, timeout=60_000)
    qtbot.waitUntil(lambda: window.desk.notice is not None and "another job was opened" in window.desk.notice.what)
    assert window.desk.job is other


def test_a_job_of_captured_text_alone_has_a_file_and_outlives_the_next_one(
    window: Window, demo_files: tuple[Path, Path]
) -> None:
    window.run("job.new")
    assert window.desk.path is None
    window.files.add_capture(demo_files[1])
    settled(window)
    first, place = window.desk.job, window.desk.path
    assert first.found.disks
    assert place is not None
    window.desk.change(replace(first, owner="Halden Turning"), "owner")
    window.run("job.new")
    settled(window)
    assert jobfile.load(place).owner == "Halden Turning"


def test_a_rescued_job_goes_on_in_a_file_of_its_own(window: Window, job: Job) -> None:
    folder = data_folder() / "rescued"
    rescued = folder / "rescued-20260101-000000-000000.job.json"
    jobfile.save(replace(job, title="cut"), rescued, make_folder=True)
    window.files.open_rescued()
    settled(window)
    place = window.desk.path
    assert place not in {None, rescued}
    window.desk.change(replace(window.desk.job, owner="Halden Turning"), "owner")
    window.run("job.new")
    settled(window)
    assert jobfile.load(place).owner == "Halden Turning"  # type: ignore[arg-type]
    assert jobfile.load(rescued).owner == job.owner


def test_a_red_notice_does_not_outlive_what_was_done_since(window: Window) -> None:
    window.desk.say(Notice("something is wrong"))
    window.desk.rename("desk", "owner")
    assert window.desk.notice is None
    window.desk.say(Notice("all is well", bad=False))
    window.desk.rename("desk", "other owner")
    assert window.desk.notice is not None


def test_menus_and_palettes_are_freed(window: Window) -> None:
    board = window.findChild(Board)
    for _ in range(5):
        event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, QPoint(300, 300), board.mapToGlobal(QPoint(300, 300)))
        QApplication.sendEvent(board, event)
        for menu in window.findChildren(HandMenu):
            menu.close()
        window.open_palette()
        for palette in window.findChildren(CommandPalette):
            palette.close()
        window.reckoner.other_boxes()
        popup = QApplication.activePopupWidget()
        if popup is not None:
            popup.close()
        QApplication.sendPostedEvents(None, 52)  # what was asked to be deleted later
        QApplication.processEvents()
    assert window.findChildren(HandMenu) == []
    assert window.findChildren(CommandPalette) == []
    assert len(window.reckoner.findChildren(type(popup))) == 0 if popup is not None else True


def test_a_rescue_never_overwrites_another_and_is_offered_again(
    window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    folder = tmp_path / "rescued"
    rescue.install(window.desk, folder)
    for words in ("first", "second"):
        error = ZeroDivisionError(words)
        sys.excepthook(type(error), error, None)
    assert len(list(folder.glob("*.job.json"))) == 2
    assert len(list(folder.glob("*.txt"))) == 2
    assert rescue.newest(folder).name > sorted(one.name for one in folder.glob("*.job.json"))[0]
    from inkshelf.ui.start import _offer_rescued

    window.desk.say(None)
    _offer_rescued(window, folder)
    assert "ended unexpectedly" in window.desk.notice.what
    window.desk.say(None)
    _offer_rescued(window, folder)
    assert window.desk.notice is None, "once is enough"


def test_a_fault_while_rescuing_is_printed_and_ends_nothing(
    job: Job, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    desk = Desk(job)
    rescue.install(desk, tmp_path)
    calls = []

    def again(subject: str) -> None:
        calls.append(subject)
        error = ValueError("while it was told")
        sys.excepthook(type(error), error, None)

    desk.subscribe(again)
    error = ZeroDivisionError("first")
    sys.excepthook(type(error), error, None)
    assert calls == ["notice"]
    assert "while it was told" in capsys.readouterr().err


def test_a_fault_below_python_has_a_file_to_be_written_to(tmp_path: Path) -> None:
    import faulthandler

    kept = rescue.watch_below(tmp_path / "rescued")
    try:
        assert kept is not None
        assert faulthandler.is_enabled()
        assert kept.name == str(tmp_path / "rescued" / "faults.txt")
        faulthandler.dump_traceback(kept)
        assert "has_a_file_to_be_written_to" in Path(kept.name).read_text(encoding="utf-8")
    finally:
        faulthandler.disable()
        if kept is not None:
            kept.close()
        faulthandler.enable(sys.__stderr__)
    (tmp_path / "no folder").write_text("", encoding="utf-8")
    assert rescue.watch_below(tmp_path / "no folder") is None, "a folder that cannot be made ends nothing"


def test_benches_are_named_by_the_jobs_identity(
    found_job: Job, window: Window, tmp_path: Path, demo_files: tuple[Path, Path]
) -> None:
    """Two jobs with the image's stem as their title were inked in one folder, and going on agreed with the other's plan."""
    one, other = (replace(change(found_job, "label", "R1", label="X"), seed=seed) for seed in ("1111", "2222"))
    assert bench_name(one) != bench_name(other)
    assert "/" not in bench_name(replace(one, title="../a/b"))
    bench = tmp_path / "shared"
    assert ink(one, bench).verified
    window.bench_folder = bench
    window.desk.replace_job(other, None)
    assert not window.unfinished


def test_a_plan_that_is_stopped_says_why_it_cannot_be_inked(window: Window) -> None:
    window.desk.know("backup", "none", "no back-up")
    window.run("plan.ink")
    assert "stopped by “No back-up”" in window.desk.notice.what
    assert not window.inking
    QTimer.singleShot(0, lambda: None)


def test_the_bench_is_asked_once_the_window_is_there(job: Job, monkeypatch: pytest.MonkeyPatch) -> None:
    from inkshelf.bench import readiness

    monkeypatch.setattr(readiness, "_missing", lambda names: {"mkfs.fat": "dosfstools"})
    desk = Desk(job, asks_bench=False)
    assert not [one for one in desk.findings if one.key.startswith("bench.")]
    desk.ask_bench()
    assert [one for one in desk.findings if one.key.startswith("bench.")]


def test_another_system_is_chosen_with_its_own_room(window: Window, qtbot: QtBot) -> None:
    window.desk.show("aim")
    page = window.chapters["aim"]
    click(page, page.questions.fold.text())
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=5000)
    qtbot.waitUntil(page.questions.rows["system"].isVisible)
    page.questions.rows["system"].setFocus()
    while window.desk.job.aim.system != "linux-rolling":
        before = window.desk.job.aim.system
        assert page.questions.rows["system"].hasFocus(), "the keyboard stays in the list that it chooses in"
        qtbot.keyClick(page.questions.rows["system"], Qt.Key.Key_Down)
        assert window.desk.job.aim.system != before
    assert "at least 40 GiB" in page.questions.costs["system"].text()
    assert "Rolling Linux with snapshots" in page.sentence.text()
    window.run("edit.undo")
    assert window.desk.job.aim.system != "linux-rolling"


# -- two programs with one job -----------------------------------------------------------------------------------------
@pytest.fixture
def opened(window: Window, job: Job, tmp_path: Path) -> Path:
    """A job that lies in a file and is open in the window, with nothing changed."""
    path = tmp_path / "shared.json"
    jobfile.save(job, path)
    window.files.open_job(path)
    return path


def test_what_another_program_wrote_is_not_written_over_by_a_window_that_changed_nothing(opened: Path, window: Window) -> None:
    assert run(["know", str(opened), "ram", "64GiB"]) == 0
    assert window.close()
    assert jobfile.load(opened).found.ram_bytes == 64 * GIB


def test_an_edit_is_not_written_over_what_another_program_wrote(opened: Path, window: Window, tmp_path: Path) -> None:
    window.desk.rename("desk", "first")
    settled(window)
    assert jobfile.load(opened).owner == "first", "one's own writing is no other's"
    window.desk.rename("desk", "second")
    settled(window)
    assert run(["know", str(opened), "ram", "64GiB"]) == 0
    window.desk.rename("desk", "third")
    settled(window)
    assert "was changed by another program" in window.desk.notice.what
    assert window.desk.unsaved
    there = jobfile.load(opened)
    assert (there.owner, there.found.ram_bytes) == ("second", 64 * GIB)
    assert not window.close(), "nobody leaves without having been told"
    window.files.open_job(opened)
    window.files.open_job(opened)
    assert window.desk.job.found.ram_bytes == 64 * GIB
    window.desk.rename("desk", "fourth")
    settled(window)
    assert jobfile.load(opened).owner == "fourth"


def test_under_another_name_it_is_saved_and_a_chosen_file_is_written_over(
    opened: Path, window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert run(["know", str(opened), "ram", "64GiB"]) == 0
    window.desk.rename("desk", "third")
    settled(window)
    assert window.desk.unsaved
    for chosen in (tmp_path / "another.json", opened):
        monkeypatch.setattr(window.files, "ask_save", lambda *_, chosen=chosen: chosen)
        window.files.save_as()
        settled(window)
        assert not window.desk.unsaved
        assert jobfile.load(chosen).owner == "third"


def test_a_file_that_is_gone_is_written_anew(opened: Path, window: Window) -> None:
    opened.unlink()
    assert window.close()
    assert jobfile.load(opened) == window.desk.job


def test_ones_own_job_after_a_drill_is_not_written_over_what_came_meanwhile(opened: Path, window: Window) -> None:
    window.desk.rename("desk", "own")
    settled(window)
    own = window.desk.job
    window.desk.replace_job(Job(), None)
    assert run(["know", str(opened), "ram", "64GiB"]) == 0
    window.desk.go_back_to(own, opened)
    window.desk.rename("desk", "later")
    settled(window)
    assert jobfile.load(opened).found.ram_bytes == 64 * GIB
    assert window.desk.unsaved


def test_a_command_does_not_write_over_what_came_while_it_worked(
    job: Job, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "job.json"
    jobfile.save(job, path)
    real = jobfile.load

    def slow(file: Path) -> Job:
        held = real(file)
        jobfile.save(replace(held, owner="somebody else"), file)
        return held

    monkeypatch.setattr(jobfile, "load", slow)
    assert run(["know", str(path), "ram", "64GiB"]) == 2
    assert "changed by another program" in capsys.readouterr().err
    assert real(path).owner == "somebody else"
