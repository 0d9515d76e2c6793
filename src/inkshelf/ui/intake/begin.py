"""What Intake shows before there is a disk: the ways to begin, and the order of the work."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QMenu, QPushButton, QWidget

from inkshelf.core.value import Value
from inkshelf.ui import theme
from inkshelf.ui.demo import DEMOS
from inkshelf.ui.parts import button, card, label

COMMANDS = "lsblk --json --bytes --output-all > lsblk.json\nsfdisk --json /dev/DISK > sfdisk.json"
THE_WORK = (
    ("Intake", "What is there: tables, file systems, used space, boot entries. What is not known yet is asked for."),
    ("Aim", "What the owner wants: how much room, and which school for start-up, home and swap."),
    ("Media", "Sticks and images: what fits on which, how it is made, measured and checked."),
    ("Shelf", "The disk as found and as planned, in pencil. Drag the edges; every number and every byte follows."),
    ("Start", "What starts after each step and after each mishap, before anything is written."),
    ("Sheet", "Ink the plan on a copy, take the steps along, and work them one by one with a clock beside the machine."),
    ("Proof", "The machine read once more and held against the plan, and a page for the owner."),
    ("Logbook", "Every job is kept by itself: machines known again, and how long things take here."),
    ("Practice", "Made-up machines with something wrong, worked in this window and judged by what they would do."),
)


class Ways(Value, frozen=True):
    """What can be done before there is a disk."""

    add_image: Callable[[], object]
    add_capture: Callable[[], object]
    save_kit: Callable[[], object]
    open_job: Callable[[], object]
    open_demo: Callable[[str], object]


def begin(ways: Ways) -> list[QWidget]:
    """Return the cards to show while nothing is taken in."""
    return [_ways(ways), _work()]


def _ways(ways: Ways) -> QFrame:
    frame, box = card(margins=28)
    box.addWidget(label("Begin with the disk", theme.serif(19)))
    box.addWidget(
        label(
            "Take in a raw image of the machine's disk, what the capture kit leaves on the machine itself, or what these two commands print there. "
            "Nothing is ever written to the machine.",
            theme.sans(13),
            quiet=True,
            wrap=True,
        )
    )
    commands = label(COMMANDS, theme.mono(13))
    commands.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    box.addWidget(commands)
    box.addSpacing(6)
    take = (
        button("Add image…", ways.add_image, primary=True),
        button("Add captured text…", ways.add_capture),
        button("Capture kit…", ways.save_kit, tip="two short scripts to read, and to run on the machine"),
    )
    opened = (button("Open a job…", ways.open_job), _demos(ways))
    for buttons in (take, opened):  # two rows: a small screen at 150 % has no room for one
        row = QHBoxLayout()
        for one in buttons:
            row.addWidget(one)
        row.addStretch(1)
        box.addLayout(row)
    return frame


def _demos(ways: Ways) -> QPushButton:
    """One button, and a list of every demo job with what is in it."""
    look = button("Look at a demo job", lambda: None)
    menu = QMenu(look)
    menu.setAccessibleName("demo jobs")
    for one in DEMOS:
        entry = menu.addAction(f"{one.title}: {one.words}")
        if entry is not None:
            entry.triggered.connect(lambda _=False, key=one.key: ways.open_demo(key))
    look.setMenu(menu)
    return look


def _work() -> QFrame:
    frame, box = card(margins=28)
    box.addWidget(label("The order of the work", theme.serif(19)))
    grid = QGridLayout()
    grid.setHorizontalSpacing(18)
    grid.setVerticalSpacing(10)
    for row, (name, words) in enumerate(THE_WORK):
        grid.addWidget(label(str(row + 1), theme.mono(13, 700), quiet=True), row, 0, Qt.AlignmentFlag.AlignTop)
        grid.addWidget(label(name, theme.serif(15)), row, 1, Qt.AlignmentFlag.AlignTop)
        grid.addWidget(label(words, theme.sans(13), quiet=True, wrap=True), row, 2)
    grid.setColumnStretch(2, 1)
    box.addLayout(grid)
    return frame
