"""How it stands with the shop's logbook: what waits, what cannot be reached, what was changed on both sides and is to be settled."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, Any

from PyQt6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from inkshelf.core.errors import InkshelfError
from inkshelf.ui import theme
from inkshelf.ui.logbook.keeper import Keeper
from inkshelf.ui.parts import OneLine, button, clear, label

if TYPE_CHECKING:
    from collections.abc import Callable

    from inkshelf.store.logbook.book import Logbook
    from inkshelf.store.logbook.shared import Conflict, Way

TITLES: dict[str, str] = {"mine": "Keep yours", "theirs": "Take theirs", "both": "Theirs, with your notes"}


class Conflicts(QFrame):
    """Hidden where one works alone and nothing is open."""

    def __init__(self, keeper: Keeper, again: Callable[[], object]) -> None:
        super().__init__()
        self.keeper, self._again = keeper, again
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(0, 0, 0, 4)
        self.box.setSpacing(4)
        self.words = label("", theme.sans(12), quiet=True)
        self.box.addWidget(self.words)
        self.rows = QVBoxLayout()
        self.box.addLayout(self.rows)
        self.found: tuple[Conflict, ...] = ()
        self.hide()

    def refresh(self) -> None:
        """Look up what is open."""
        if not self.keeper.shop or self.keeper.made_up:
            self.hide()
            return

        def work(book: Logbook) -> tuple[object, object]:
            from inkshelf.store.logbook.shared import conflicts, standing

            return conflicts(book), standing(book)

        self.keeper.ask(work, self._came, "conflicts")

    def _came(self, result: object) -> None:
        if not isinstance(result, tuple):
            return
        self.found, counts = result
        clear(self.rows)
        for one in self.found:
            self.rows.addWidget(self._row(one))
        waiting = getattr(counts, "waiting", 0)
        if not self.words.text() or waiting:
            self.words.setText(f"{waiting} wait for the shop's logbook." if waiting else "The shop's logbook has everything.")
        self.show()

    def standing(self, result: object) -> None:
        """Say how the last exchange went."""
        if isinstance(result, InkshelfError):
            self.words.setText(f"The shop's logbook cannot be reached: everything is kept here until it can. {result.what}")
        else:
            self.words.setText(f"The shop's logbook has everything as of {time.strftime('%H:%M')}.")
        self.refresh()

    def _row(self, one: Conflict) -> QFrame:
        frame = QFrame()
        frame.setObjectName("card")
        row = QHBoxLayout(frame)
        row.setContentsMargins(12, 6, 8, 6)
        done = "changed" if one.theirs else "deleted"
        row.addWidget(
            OneLine(f"{in_words(one)}: you changed it, and {one.who or 'somebody'} {done} it", theme.sans(13, 600)), 1
        )
        ways = ("both", "mine", "theirs") if one.kind == "job" and one.theirs and one.mine else ("mine", "theirs")
        for way in ways:
            row.addWidget(button(TITLES[way], lambda way=way: self.settle(one, way)))  # type: ignore[misc]
        return frame

    def settle(self, one: Conflict, way: Way) -> None:
        """Settle one."""

        def work(book: Logbook) -> bool:
            from inkshelf.store.logbook.changes import Says
            from inkshelf.store.logbook.shared import settle

            settle(book, one, way, Says(int(time.time()), self.keeper.who, waits=True))
            return True

        self.keeper.ask(work, self._settled, own=True)

    def _settled(self, result: Any) -> None:
        if isinstance(result, InkshelfError):
            self.words.setText(f"{result.what} {result.remedy}")
        self.refresh()
        self._again()
        self.keeper.sync()


def in_words(one: Conflict) -> str:
    """Return what a conflict is about."""
    from inkshelf.store.logbook.records import named

    return named(one.kind, one.mine or one.theirs) or one.seed
