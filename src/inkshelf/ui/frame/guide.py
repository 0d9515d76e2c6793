"""The guide over the window: a page for each finding of the job, or, asked for, all there are."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from inkshelf.core.checks import Finding
from inkshelf.core.checks.guide import Page, page_of, pages
from inkshelf.ui import theme
from inkshelf.ui.frame.overlays import Overlay
from inkshelf.ui.parts import button, label

WIDE, HIGH, LIST = 780, 370, 270


class Guide(Overlay):
    """Titles on the left, the page on the right. ``key``: of the finding whose page is open first."""

    def __init__(self, parent: QWidget, findings: tuple[Finding, ...], key: str = "") -> None:
        super().__init__(parent)
        self._findings, self._everything = findings, not findings
        self.setAccessibleName("guide")
        self.setFixedSize(WIDE, HIGH)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 14, 18, 14)
        row.setSpacing(20)
        left = QVBoxLayout()
        self.list = QListWidget()
        self.list.setFixedWidth(LIST)
        self.list.setFont(theme.sans(13))
        self.list.setAccessibleName("pages")
        self.list.currentRowChanged.connect(self._show)
        left.addWidget(self.list, 1)
        self.more = button("", self._turn, link=True)
        left.addWidget(self.more, 0, Qt.AlignmentFlag.AlignLeft)
        row.addLayout(left)
        right = QVBoxLayout()
        right.setSpacing(10)
        self.title = label("", theme.serif(20), wrap=True)
        self.means = label("", theme.sans(14), wrap=True)
        self.do = label("", theme.sans(14, 500), wrap=True)
        self.here = label("", theme.sans(12), quiet=True, wrap=True)
        right.addWidget(self.title)
        for words, one in (("what it means", self.means), ("what to do", self.do), ("in this job", self.here)):
            right.addWidget(label(words, theme.sans(12), quiet=True))
            right.addWidget(one)
        right.addStretch(1)
        row.addLayout(right, 1)
        self._fill(key)

    def open_over(self) -> None:
        """Show the card, its list ready for the arrow keys."""
        super().open_over()
        self.list.setFocus()

    def _fill(self, key: str) -> None:
        self.list.clear()
        self._pages: list[Page] = []
        known = {} if self._everything else {page_of(one.key).key: page_of(one.key) for one in self._findings}
        for one in pages() if self._everything else known.values():
            self._pages.append(one)
            self.list.addItem(QListWidgetItem(one.title))
        wanted = page_of(key).key if key else ""
        self.list.setCurrentRow(next((at for at, one in enumerate(self._pages) if one.key == wanted), 0))
        self.more.setText("only those of this job" if self._everything else "all pages of the guide")
        self.more.setVisible(bool(self._findings))

    def _turn(self) -> None:
        now = self.list.currentRow()
        key = self._pages[now].key if 0 <= now < len(self._pages) else ""
        self._everything = not self._everything
        self._fill(key)
        self.list.setFocus()

    def _show(self, row: int) -> None:
        if not 0 <= row < len(self._pages):
            return
        page = self._pages[row]
        self.title.setText(page.title)
        self.means.setText(page.means)
        self.do.setText(page.do)
        mine = [one for one in self._findings if page_of(one.key).key == page.key]
        self.here.setText("\n".join(f"{one.title}. {one.why}" for one in mine[:3]) or "it does not come up")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event and event.key() == Qt.Key.Key_F2:
            self.close()
            return
        super().keyPressEvent(event)
