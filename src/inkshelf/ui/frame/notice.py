"""The line above the chapter in which the program says what happened and what to do."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout

from inkshelf.ui import theme
from inkshelf.ui.desk import Desk, Notice
from inkshelf.ui.parts import button, label


class NoticeBar(QFrame):
    """One line for the person, in the window; good news leaves by itself."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 8, 10, 8)
        self.words = label("", theme.sans(13, 500), wrap=True)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        row.addWidget(self.words, 1)
        row.addWidget(button("Close", self.dismiss, link=True))
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.dismiss)  # a bound method: Qt lets go of it with the widget
        self.hide()

    def dismiss(self) -> None:
        """Take the notice away."""
        self._timer.stop()
        self._desk.say(None)

    def show_notice(self, notice: Notice | None) -> None:
        """Show a notice, or hide."""
        self._timer.stop()
        self.setVisible(notice is not None)
        if notice is None:
            return
        self.setObjectName("notice" if notice.bad else "goodnotice")
        style = self.style()
        if style:
            style.unpolish(self)
            style.polish(self)
        self.words.setText(f"{notice.what} {notice.remedy}".strip())
        self.words.setAccessibleName(self.words.text())
        if not notice.bad:
            self._timer.start(4000)
