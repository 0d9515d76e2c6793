"""The Sheet chapter: the run sheet as it will be printed, with boxes to tick, and the ways to take it along."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QAbstractListModel, QEvent, QModelIndex, QObject, QRect, Qt, QTimer
from PyQt6.QtGui import QContextMenuEvent, QGuiApplication, QKeyEvent, QKeySequence, QMouseEvent
from PyQt6.QtWidgets import QAbstractItemView, QHBoxLayout, QListView, QMenu, QVBoxLayout

from inkshelf.core.sheet.sheet import Row, Sheet, sheet
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk, Notice
from inkshelf.ui.page import Page
from inkshelf.ui.parts import button, heading, label
from inkshelf.ui.sheetview.rows import ROW_ROLE, RowDelegate


class SheetModel(QAbstractListModel):
    """Rows of the sheet as a Qt model: one generic step from a tuple to a view."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.rows: tuple[Row, ...] = ()

    def set_rows(self, rows: tuple[Row, ...]) -> None:
        """Show other rows; the same ones stay where they are."""
        if len(rows) == len(self.rows):
            self.rows = rows
            if rows:
                self.dataChanged.emit(self.index(0), self.index(len(rows) - 1))
            return
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.rows)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid() or not 0 <= index.row() < len(self.rows):
            return None
        row = self.rows[index.row()]
        if role == ROW_ROLE:
            return row
        if role in {Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole}:
            done = ", done" if row.ticked else f", {row.ended}" if row.ended else ""
            return f"{row.number}. {row.words.title}{done}"
        return None


class SheetView(QListView):
    """The list of steps; a click on the box or Space ticks, Ctrl+C copies what is to be typed, the menu offers both."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setAccessibleName("steps of the sheet; Space ticks")
        self.setMouseTracking(True)

    def tick(self, index: QModelIndex) -> None:
        """Tick the step at an index."""
        row = index.data(ROW_ROLE)
        if row is not None:
            self.desk.tick(row.number)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            index = self.indexAt(event.position().toPoint())
            rect: QRect = self.visualRect(index)
            if index.isValid() and event.position().x() - rect.left() <= 28:
                self.tick(index)
        super().mouseReleaseEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Space and self.currentIndex().isValid():
            self.tick(self.currentIndex())
            return
        if event is not None and event.matches(QKeySequence.StandardKey.Copy) and self.currentIndex().isValid():
            words = self.currentIndex().data(ROW_ROLE).words
            self.copy("\n".join(value for _, value in words.exact) or words.title)
            return
        super().keyPressEvent(event)

    def copy(self, text: str) -> None:
        """Put exact values on the clipboard."""
        clipboard = QGuiApplication.clipboard()
        if clipboard and text:
            clipboard.setText(text)
            self.desk.say(Notice(f"Copied: {text.replace(chr(10), ' · ')}", bad=False))

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer to tick the step under the mouse, and to copy each of its values."""
        by_key = event is not None and event.reason() == QContextMenuEvent.Reason.Keyboard
        index = self.currentIndex() if event is None or by_key else self.indexAt(event.pos())
        if event is None or not index.isValid():
            return
        self.setCurrentIndex(index)
        self.menu(index).popup(self.mapToGlobal(self.visualRect(index).topLeft()) if by_key else event.globalPos())

    def menu(self, index: QModelIndex) -> QMenu:
        """Return what can be done with one step."""
        row: Row = index.data(ROW_ROLE)
        menu = QMenu(self)
        menu.aboutToHide.connect(menu.deleteLater)
        menu.addAction("Not done yet" if row.ticked else "Done", lambda: self.tick(index))
        for what, value in row.words.exact:
            shown = value if len(value) <= 60 else f"{value[:58]}…"
            menu.addAction(f"Copy {what or 'line'}: {shown}".replace("&", "&&"), lambda text=value: self.copy(text))
        return menu

    def event(self, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize:
            self.scheduleDelayedItemsLayout()
        return super().event(event)


def _typed_as(word: str) -> str:
    return f" · where a line says {word}, put its name in lsblk" if word else ""


class SheetChapter(Page):
    """Chapter of the contents: the sheet to take along."""

    def __init__(self, desk: Desk, run: Callable[[str], object]) -> None:
        super().__init__()
        self.desk = desk
        self._wanted = 0
        box = QVBoxLayout(self)
        box.setContentsMargins(28, 20, 24, 0)
        box.setSpacing(8)
        head, self.sub = heading("Sheet")
        self.buttons = [
            button(words, partial(run, key))
            for words, key in (("PDF…", "sheet.pdf"), ("HTML…", "sheet.html"), ("Print…", "sheet.print"))
        ]
        self.more = QMenu(self)
        self.more.addAction("Partition script…", lambda: run("sheet.script"))
        self.more.addAction("Enter a filled paper…", lambda: run("sheet.paper"))
        self.more.addAction("Take in what the sheet's page saved…", lambda: run("sheet.page"))
        self.more.addSeparator()
        self.more.addAction("Save as Markdown…", lambda: run("sheet.md"))
        self.more.addAction("Copy as Markdown", lambda: run("sheet.copy"))
        self.buttons.append(button("More", self._offer_more))
        self.buttons.append(
            button("Bench mode", lambda: run("sheet.work"), primary=True, tip="one step at a time, with a clock (F9)")
        )
        for one in self.buttons:
            head.addWidget(one)
        box.addLayout(head)
        self.disk = label("", theme.sans(13, 600), wrap=True)
        box.addWidget(self.disk)
        box.addLayout(self._titles())
        self.view = SheetView(desk)
        self.model = SheetModel(self)
        self.view.setModel(self.model)
        self.view.setItemDelegate(RowDelegate(self.view))
        box.addWidget(self.view, 1)
        self.empty = label("", theme.sans(14), quiet=True, wrap=True)
        box.addWidget(self.empty, 1, Qt.AlignmentFlag.AlignTop)
        self.go = button("Say the aim", lambda: desk.show("aim"), primary=True)
        box.addWidget(self.go, 0, Qt.AlignmentFlag.AlignLeft)
        box.addSpacing(10)
        self.refresh()

    def _offer_more(self) -> None:
        over = self.buttons[-2]
        self.more.popup(over.mapToGlobal(over.rect().bottomLeft()))

    def _titles(self) -> QHBoxLayout:
        titles = QHBoxLayout()
        titles.addWidget(label("what to do, with the exact values", theme.sans(12), quiet=True))
        titles.addStretch(1)
        stops = label("if it stops here", theme.sans(12), quiet=True)
        stops.setFixedWidth(168)
        titles.addWidget(stops)
        return titles

    def refresh(self) -> None:
        """Show the sheet of the job as it is now."""
        job = self.desk.job
        there = bool(job.steps)
        for one in (self.view, self.disk):
            one.setVisible(there)
        for way in self.buttons:
            way.setEnabled(there)
            way.setToolTip("" if there else "there are no steps yet")
        self.empty.setVisible(not there)
        self.go.setVisible(not there)
        self.empty.setText(job.plan_fault or "There are no steps yet. Take a disk in and say the aim; the sheet writes itself.")
        made: Sheet = sheet(self.desk.reading, self.desk.findings)
        here = f" · in this shop {self.desk.foretold}" if self.desk.foretold else ""
        self.sub.setText(f"{len(made.rows)} steps · about {made.minutes:.0f} min{here}" if there else "")
        self.disk.setText(
            "\n".join(f"Disk {one.id}: {one.identity()}{_typed_as(made.stand_ins.get(one.id, ''))}" for one in made.at_work)
        )
        self.model.set_rows(made.rows)

    def show_step_soon(self, number: int) -> None:
        """Bring a step into view once the list has its size."""
        self._wanted = number
        QTimer.singleShot(0, self._show_wanted)

    def _show_wanted(self) -> None:
        if self._wanted:
            self.show_step(self._wanted)
            self._wanted = 0

    def show_step(self, number: int) -> None:
        """Bring a step into view and select it."""
        index = self.model.index(number - 1)
        self.view.setCurrentIndex(index)
        self.view.scrollTo(index, QAbstractItemView.ScrollHint.PositionAtTop)
        self.view.setFocus()
