"""Actions as data: menus, buttons, the palette and the shortcuts overlay read this one list."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from inkshelf.core.value import Value
from inkshelf.ui.chapters import CHAPTERS
from inkshelf.ui.demo import DEMOS

if TYPE_CHECKING:
    from inkshelf.ui.frame.window import Window


class Action(Value, frozen=True):
    """One thing the program does. ``why_not`` returns an empty string where it can be done now, else the reason."""

    id: str
    title: str
    group: str
    keys: str
    do: Callable[[Window], object]
    why_not: Callable[[Window], str] = lambda _: ""


def _needs_disk(window: Window) -> str:
    return "" if window.desk.job.found.disks else "take a disk in first"


def _needs_plan(window: Window) -> str:
    return "" if window.desk.job.steps else (window.desk.job.plan_fault or "choose an aim first")


def _needs_built(window: Window) -> str:
    return "" if window.desk.job.built is not None else "compare a fresh reading of the machine first"


def _can_ink(window: Window) -> str:
    if window.inking:
        return "inking is going on"
    if not any(one.kind == "image" for one in window.desk.job.sources):
        return "needs a disk image: captured text cannot be inked"
    stops = [one.title for one in window.desk.findings if one.severity == "stop"]
    if window.desk.job.steps and stops:
        more = f", and {len(stops) - 1} more" if len(stops) > 1 else ""
        return f"stopped by “{stops[0]}”{more}: put it right, or answer for it in writing"
    return _needs_plan(window)


def _can_resume(window: Window) -> str:
    if window.inking:
        return "inking is going on"
    return "" if window.unfinished else "nothing was cut or cancelled on this job's bench"


def _rescued(window: Window) -> str:
    return "" if window.files.rescued() else "nothing was rescued"


def _needs_file_aim(window: Window) -> str:
    return "" if any(one.kind == "in-file" for one in window.desk.job.aims) else "no aim puts a system into a file"


def _needs_shop(window: Window) -> str:
    return "" if window.keeper.shop else "no shop's logbook is named yet"


def _undo(window: Window) -> str:
    return "" if window.desk.undo_words else "nothing to undo"


def _redo(window: Window) -> str:
    return "" if window.desk.redo_words else "nothing to redo"


_GO = tuple(
    Action(f"go.{one.key}", one.title, "Go", f"Ctrl+{place}", lambda w, key=one.key: w.desk.show(key))  # type: ignore[misc]
    for place, one in enumerate(CHAPTERS, 1)
)
_DEMOS = tuple(
    Action(
        f"job.{one.key}" if one.key == "demo" else f"job.demo-{one.key}",
        "Open the demo job" if one.key == "demo" else f"Open the demo job: {one.title}",
        "Job",
        "",
        lambda w, key=one.key: w.files.open_demo(key),  # type: ignore[misc]
    )
    for one in DEMOS
)
ACTIONS: tuple[Action, ...] = (
    Action("job.new", "New job", "Job", "Ctrl+N", lambda w: w.files.new_job()),
    Action("job.open", "Open job…", "Job", "Ctrl+O", lambda w: w.files.open_job()),
    Action("job.save-as", "Save job as…", "Job", "Ctrl+Shift+S", lambda w: w.files.save_as(), _needs_disk),
    *_DEMOS,
    Action("job.rescued", "Open the rescued job", "Job", "", lambda w: w.files.open_rescued(), _rescued),
    Action("job.quit", "Quit", "Job", "Ctrl+Q", lambda w: w.close()),
    Action("edit.undo", "Undo", "Edit", "Ctrl+Z", lambda w: w.desk.undo(), _undo),
    Action("edit.redo", "Redo", "Edit", "Ctrl+Shift+Z", lambda w: w.desk.redo(), _redo),
    Action(
        "edit.copy-number", "Copy the number to type", "Edit", "Ctrl+Shift+C", lambda w: w.reckoner.copy_first(), _needs_disk
    ),
    Action(
        "edit.boxes", "What to type, and what did I type?", "Edit", "Ctrl+R", lambda w: w.reckoner.other_boxes(), _needs_disk
    ),
    Action("edit.unit", "Tape in GB or GiB", "Edit", "Ctrl+U", lambda w: w.toggle_unit(), _needs_disk),
    Action("take.image", "Take in a disk image…", "Intake", "Ctrl+I", lambda w: w.files.add_image()),
    Action("take.kit", "Write the capture kit…", "Intake", "", lambda w: w.files.save_kit()),
    Action("take.capture", "Take in captured text…", "Intake", "Ctrl+Shift+I", lambda w: w.files.add_capture()),
    Action("take.look", "Look into an image file…", "Intake", "Ctrl+L", lambda w: w.files.look_into()),
    Action(
        "take.editions",
        "Read the editions of an install image…",
        "Intake",
        "",
        lambda w: w.files.read_editions(),
        _needs_file_aim,
    ),
    Action("media.add", "Add images to a stick…", "Media", "Ctrl+Shift+L", lambda w: w.files.media.add()),
    Action("media.stick", "Plug a stick in…", "Media", "Ctrl+Shift+U", lambda w: w.files.media.plug()),
    *_GO,
    Action("plan.rehearse", "Rehearse", "Plan", "F5", lambda w: w.rehearse(), _needs_disk),
    Action("plan.ink", "Ink on the bench", "Plan", "Ctrl+B", lambda w: w.start_inking(), _can_ink),
    Action("plan.resume", "Go on with inking", "Plan", "Ctrl+Shift+B", lambda w: w.resume_inking(), _can_resume),
    Action("sheet.work", "Bench mode: work on it", "Sheet", "F9", lambda w: w.work_on_it(), _needs_plan),
    Action("sheet.paper", "Enter a filled paper…", "Sheet", "Shift+F9", lambda w: w.enter_paper(), _needs_plan),
    Action("sheet.page", "Take in what the sheet's page saved…", "Sheet", "", lambda w: w.files.take_work(), _needs_plan),
    Action("sheet.html", "Save sheet as HTML…", "Sheet", "Ctrl+E", lambda w: w.files.sheets.save("html"), _needs_plan),
    Action("sheet.pdf", "Save sheet as PDF…", "Sheet", "Ctrl+Shift+E", lambda w: w.files.sheets.save("pdf"), _needs_plan),
    Action("sheet.md", "Save sheet as Markdown…", "Sheet", "", lambda w: w.files.sheets.save("md"), _needs_plan),
    Action("sheet.script", "Save partition script…", "Sheet", "", lambda w: w.files.sheets.save_script(), _needs_plan),
    Action("sheet.copy", "Copy sheet as Markdown", "Sheet", "", lambda w: w.files.sheets.copy(), _needs_plan),
    Action("sheet.print", "Print sheet…", "Sheet", "Ctrl+P", lambda w: w.files.sheets.print(), _needs_plan),
    Action(
        "proof.capture",
        "Compare with a fresh capture…",
        "Proof",
        "Ctrl+Shift+P",
        lambda w: w.files.built.compare_capture(),
        _needs_plan,
    ),
    Action("proof.image", "Compare with a fresh image…", "Proof", "", lambda w: w.files.built.compare_image(), _needs_plan),
    Action(
        "proof.paper", "Save the hand-over for the owner…", "Proof", "", lambda w: w.files.built.save_handover(), _needs_built
    ),
    Action("log.find", "Look for a job", "Logbook", "Ctrl+F", lambda w: w.logs.find()),
    Action("log.export", "Export the logbook…", "Logbook", "", lambda w: w.logs.export()),
    Action("log.plot", "Save the logbook's plot…", "Logbook", "", lambda w: w.logs.plot()),
    Action("log.fault", "Write down a fault of this machine's models…", "Logbook", "", lambda w: w.logs.fault(), _needs_disk),
    Action("log.shop", "Work in a shop's logbook…", "Logbook", "", lambda w: w.logs.shop()),
    Action("log.sync", "Bring the shop's logbook up to date", "Logbook", "", lambda w: w.keeper.sync(), _needs_shop),
    Action("view.margin", "Margin on or off", "View", "Ctrl+M", lambda w: w.toggle_margin()),
    Action("view.theme", "Paper or slate", "View", "Ctrl+T", lambda w: w.toggle_theme()),
    Action("view.palette", "All commands", "View", "Ctrl+K", lambda w: w.open_palette()),
    Action("view.help", "Help: what this chapter is for", "View", "F1", lambda w: w.open_help()),
    Action("view.keys", "Keys", "View", "Shift+F1", lambda w: w.open_keys()),
    Action("view.guide", "Guide: what the findings mean", "View", "F2", lambda w: w.open_guide()),
)
