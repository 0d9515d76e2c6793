"""The guide over the window: a page for each chapter and each finding; those of this job, or all there are, or what is looked for."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QPixmap, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QListWidget, QListWidgetItem, QSizePolicy, QVBoxLayout, QWidget

from inkshelf.core.checks import Finding
from inkshelf.core.checks.guide import Page, chapter_page, chapter_pages, page_of, pages, search
from inkshelf.core.texts import few
from inkshelf.data import GUIDE_PICTURES
from inkshelf.ui import theme
from inkshelf.ui.frame.overlays import Overlay
from inkshelf.ui.parts import button, label, scrolled

WIDE, HIGH, LOW, LIST = 860, 600, 460, 270
EDGE = 40  # pixels of the window that stay free at least
CLOSES = (Qt.Key.Key_F1, Qt.Key.Key_F2)


class Picture(QLabel):
    """A picture as wide as the page; nothing where there is none."""

    def __init__(self) -> None:
        super().__init__()
        self.whole = QPixmap()
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.hide()

    def show_file(self, path: Path | None, words: str) -> None:
        """Show this file."""
        self.whole = QPixmap(str(path)) if path is not None else QPixmap()
        self.setAccessibleName(f"picture: {words}")
        self.setVisible(not self.whole.isNull())
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        if self.whole.isNull():
            return
        fine = self.devicePixelRatioF()
        fitted = self.whole.scaledToWidth(max(1, round(self.width() * fine)), Qt.TransformationMode.SmoothTransformation)
        fitted.setDevicePixelRatio(fine)
        self.setPixmap(fitted)
        self.setFixedHeight(round(fitted.height() / fine))


class Guide(Overlay):
    """Titles on the left, the page on the right. ``key``: of the finding whose page is open first; ``chapter``: of the chapter, where one is."""

    def __init__(self, parent: QWidget, findings: tuple[Finding, ...], key: str = "", chapter: str = "") -> None:
        super().__init__(parent)
        self._findings, self._everything = findings, not findings and not chapter
        self._chapter = chapter
        self.setAccessibleName("guide")
        self.setFixedSize(min(WIDE, parent.width() - EDGE), min(HIGH if chapter else LOW, parent.height() - 2 * EDGE))
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 14, 8, 14)
        row.setSpacing(20)
        row.addLayout(self._left())
        row.addWidget(self._right(), 1)
        self._fill(key)

    def _left(self) -> QVBoxLayout:
        left = QVBoxLayout()
        self.search = QLineEdit()
        self.search.setPlaceholderText("look for a word")
        self.search.setAccessibleName("look for a page of the guide")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _: self._fill(self._open_key()))
        left.addWidget(self.search)
        self.list = QListWidget()
        self.list.setFixedWidth(LIST)
        self.list.setFont(theme.sans(13))
        self.list.setAccessibleName("pages")
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.currentRowChanged.connect(self._show)
        left.addWidget(self.list, 1)
        self.more = button("", self._turn, link=True)
        left.addWidget(self.more, 0, Qt.AlignmentFlag.AlignLeft)
        return left

    def _right(self) -> QWidget:
        inside = QWidget()
        right = QVBoxLayout(inside)
        right.setContentsMargins(0, 0, 12, 0)
        right.setSpacing(10)
        self.title = label("", theme.serif(20), wrap=True)
        self.means = label("", theme.sans(14), wrap=True)
        self.do = label("", theme.sans(14, 500), wrap=True)
        self.here = label("", theme.sans(12), quiet=True, wrap=True)
        self.picture = Picture()
        self.heads = [label("", theme.sans(12), quiet=True) for _ in range(3)]
        right.addWidget(self.title)
        for head, one in zip(self.heads, (self.means, self.do, self.here), strict=True):
            right.addWidget(head)
            right.addWidget(one)
        right.addWidget(self.picture)
        right.addStretch(1)
        return scrolled(inside)

    def open_over(self) -> None:
        """Show the card, its list ready for the arrow keys."""
        super().open_over()
        self.list.setFocus()

    def _offered(self) -> tuple[Page, ...]:
        """The pages that are listed: what is looked for, or all of them, or those of this job and the chapter where one is."""
        if self.search.text().strip():
            return search(self.search.text())
        if self._everything:
            return pages() if not self._chapter else (*chapter_pages(), *pages())
        own = {page_of(one.key).key: page_of(one.key) for one in self._findings}
        return ((chapter_page(self._chapter),) if self._chapter else ()) + tuple(own.values())

    def _fill(self, key: str) -> None:
        self.list.clear()
        self._pages = list(self._offered())
        for one in self._pages:
            self.list.addItem(QListWidgetItem(one.title))
        wanted = key
        if key and not any(one.key == key for one in self._pages) and "." in key:
            wanted = page_of(key).key
        self.list.setCurrentRow(next((at for at, one in enumerate(self._pages) if one.key == wanted), 0))
        self.more.setText("only those of this job" if self._everything else "all pages of the guide")
        self.more.setVisible(bool(self._findings or self._chapter) and not self.search.text().strip())
        if not self._pages:
            self.title.setText("No page has all of these words")
            for line in (self.means, self.do, self.here, *self.heads):
                line.setText("")

    def _open_key(self) -> str:
        now = self.list.currentRow()
        return self._pages[now].key if 0 <= now < len(self._pages) else ""

    def _turn(self) -> None:
        key = self._open_key()
        self._everything = not self._everything
        self._fill(key)
        self.list.setFocus()

    def _show(self, row: int) -> None:
        if not 0 <= row < len(self._pages):
            return
        page = self._pages[row]
        chapter = page.about == "chapter"
        words = ("what it is for", "how it is used", "keys") if chapter else ("what it means", "what to do", "in this job")
        for head, said in zip(self.heads, words, strict=True):
            head.setText(said)
        self.title.setText(page.title)
        self.means.setText(page.means)
        self.picture.show_file(GUIDE_PICTURES / f"{page.key}.jpg" if chapter else None, page.title)
        self.do.setText(page.do.replace("\n", "\n\n"))
        mine = [] if chapter else [one for one in self._findings if page_of(one.key).key == page.key]
        found = few((f"{one.title}. {one.why}" for one in mine), 3, "\n") or "it does not come up"
        self.here.setText(page.keys if chapter else found)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event and event.key() in CLOSES:
            self.close()
            return
        if event and event.text().strip() and event.text().isprintable() and not self.search.hasFocus():
            self.search.setFocus()
            self.search.setText(event.text())
            return
        super().keyPressEvent(event)
