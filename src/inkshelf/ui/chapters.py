"""The chapters in the order of the work, one value each: the contents, the keys, the palette, the pictures read this one list."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from inkshelf.core.value import Value
from inkshelf.ui.page import Page

if TYPE_CHECKING:
    from inkshelf.ui.desk import Desk
    from inkshelf.ui.frame.window import Window

Hint = tuple[str, bool]
"""How it stands with a chapter in a word or two, and whether a question in it is open."""


class Chapter(Value, frozen=True):
    """One chapter. ``make`` builds its page when it is first opened, so that the window is there sooner; ``hint`` reads the desk."""

    key: str
    title: str
    make: Callable[[Window], Page]
    hint: Callable[[Desk], Hint]


def _intake(window: Window) -> Page:
    from inkshelf.ui.intake.begin import Ways
    from inkshelf.ui.intake.chapter import IntakeChapter

    files = window.files
    return IntakeChapter(window.desk, Ways(files.add_image, files.add_capture, files.save_kit, files.open_job, files.open_demo))


def _intake_hint(desk: Desk) -> Hint:
    known = desk.job.found
    people = known.conditions
    answers = (known.firmware.mode, known.firmware.secure_boot, known.ram_bytes, people.mains, people.backup, people.encrypted)
    unanswered = sum(one is None for one in answers)
    if not known.disks:
        return "no disk yet", True
    return (f"{unanswered} open", True) if unanswered else ("complete", False)


def _aim(window: Window) -> Page:
    from inkshelf.ui.aim.chapter import AimChapter

    return AimChapter(window.desk, window.run)


def _aim_hint(desk: Desk) -> Hint:
    if not desk.job.aims:
        return "open", True
    count = len(desk.job.aims)
    return ("cannot be", True) if desk.job.plan_fault else (f"{count} aims" if count > 1 else "settled", False)


def _media(window: Window) -> Page:
    from inkshelf.ui.media.chapter import MediaChapter

    return MediaChapter(window.desk, window.run, window.files.media.look_at)


def _media_hint(desk: Desk) -> Hint:
    if not any(one.makes_first() for one in desk.job.aims):
        from inkshelf.core.plan.merging import medium_asked

        return "stick to make" if medium_asked(desk.job.steps) else "", False
    from inkshelf.core.aims.sticks import StickAim

    aims = [one for one in desk.job.aims if isinstance(one, StickAim)]
    whole = sum(len(one.images) for one in aims)
    if desk.job.plan_fault or not desk.job.steps:
        return "open", True
    from inkshelf.core.sheet.media import media

    on = sum(one.fits for plan in media(desk.reading) for one in plan.images)
    return (f"{on} of {whole} fit" if on < whole else f"{whole} image{'s' if whole > 1 else ''}"), False


def _shelf(window: Window) -> Page:
    from inkshelf.ui.shelf.chapter import ShelfChapter

    return ShelfChapter(window.desk)


def _shelf_hint(desk: Desk) -> Hint:
    stops = sum(one.severity == "stop" for one in desk.findings)
    return (f"{stops} stop{'s' if stops > 1 else ''}", True) if stops else ("", False)


def _start(window: Window) -> Page:
    from inkshelf.ui.startmap.chapter import StartChapter

    return StartChapter(window.desk, lambda: window.bench_place)


def _start_hint(desk: Desk) -> Hint:
    now = [one for one in desk.reading.after if one.mishap == "none"]
    starting = sum(one.starts for one in now)
    return (f"{starting} of {len(now)}" if now else ""), any(one.sure and not one.starts for one in now)


def _sheet(window: Window) -> Page:
    from inkshelf.ui.sheetview.chapter import SheetChapter

    return SheetChapter(window.desk, window.run)


def _sheet_hint(desk: Desk) -> Hint:
    job = desk.job
    if not job.steps:
        return "", False
    return (f"{len(job.done)} of {len(job.steps)} done" if job.done else f"{len(job.steps)} steps"), False


def _proof(window: Window) -> Page:
    from inkshelf.ui.proof.chapter import ProofChapter

    return ProofChapter(window.desk, window.run)


def _proof_hint(desk: Desk) -> Hint:
    if desk.job.built is None:
        return "", False
    stops = [one for one in desk.findings if one.key.startswith("built.") and one.severity == "stop"]
    return (f"{len(stops)} to put right", True) if stops else ("compared", False)


def _logbook(window: Window) -> Page:
    from inkshelf.ui.logbook.chapter import LogbookChapter

    return LogbookChapter(window.desk, window.keeper, window.run, window.files.open_logged)


def _logbook_hint(desk: Desk) -> Hint:
    before = sum(one.key.startswith("logbook.before") for one in desk.findings)
    return ("here before", False) if before else ("", False)


def _practice(window: Window) -> Page:
    from inkshelf.ui.practice.chapter import PracticeChapter

    return PracticeChapter(window.desk, lambda: window.settings.who or window.keeper.who)


def _practice_hint(desk: Desk) -> Hint:
    return ("at work", False) if desk.job.seed.startswith("drill-") else ("", False)


CHAPTERS = (
    Chapter("intake", "Intake", _intake, _intake_hint),
    Chapter("aim", "Aim", _aim, _aim_hint),
    Chapter("media", "Media", _media, _media_hint),
    Chapter("shelf", "Shelf", _shelf, _shelf_hint),
    Chapter("start", "Start", _start, _start_hint),
    Chapter("sheet", "Sheet", _sheet, _sheet_hint),
    Chapter("proof", "Proof", _proof, _proof_hint),
    Chapter("logbook", "Logbook", _logbook, _logbook_hint),
    Chapter("practice", "Practice", _practice, _practice_hint),
)
KEYS = tuple(one.key for one in CHAPTERS)


def chapter_of(key: str) -> Chapter:
    """Return a chapter; raises ``KeyError`` for one that is not there, so that nothing leads nowhere in silence."""
    if key not in KEYS:
        raise KeyError(f"There is no chapter “{key}”.")
    return CHAPTERS[KEYS.index(key)]
