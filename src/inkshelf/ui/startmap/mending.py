"""Under the table: systems that do not start as they should, each with the one reason and the smallest repair, added to the plan with a click."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from inkshelf.core.boot.mishaps import Mishap
from inkshelf.core.boot.rehearse import systems
from inkshelf.core.checks.registry import mended
from inkshelf.core.machine.state import Machine
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.parts import button, clear, label


class Mends(QWidget):
    """Rows of repairs; nothing is decided here."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._shown: object = None
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(6)

    def refresh(self, machine: Machine, mishap: Mishap, *, at_end: bool) -> None:
        """Show what mends a machine after a mishap; only at the end of the plan, and where nothing happens, can it be added."""
        from inkshelf.core.mending.narrowing import smallest  # late: most machines start

        found = [(one.call, best) for one in systems(machine) if (best := smallest(machine, one.call))]
        now = (tuple((call, best.cause.key, best.case.why) for call, best in found), mishap.key, at_end)
        if now == self._shown:
            return
        self._shown = now
        clear(self._box)
        for call, best in found:
            row = QHBoxLayout()
            row.addWidget(label(f"{call}: {best.cause.title[:1].lower()}{best.cause.title[1:]}", theme.sans(13, 600)))
            row.addWidget(label(best.case.why, theme.sans(12), quiet=True, wrap=True), 1)
            if mishap.key == "none" and at_end:
                act = partial(self._add, call, best.cause.key)
                row.addWidget(button("Mend it", act, tip=f"adds the repair of {call} behind what is planned"))
            self._box.addLayout(row)
        self.setVisible(bool(found))

    def _add(self, call: str, cause: str) -> None:
        self.desk.change(mended(self.desk.job, call, cause), f"mend the start of {call}")
