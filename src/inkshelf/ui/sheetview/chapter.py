"""The Sheet chapter: the run sheet as it will be printed, with boxes to tick, and the ways to take it along."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QAbstractListModel, QEvent, QModelIndex, QObject, QPointF, QRect, QRectF, QSize, Qt, QTimer
from PyQt6.QtGui import QContextMenuEvent, QGuiApplication, QKeyEvent, QKeySequence, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QListView,
    QMenu,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from inkshelf.core.sheet.sheet import NOTHING_STARTS, Row, Sheet, sheet
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk, Notice
from inkshelf.ui.parts import button, heading, label
from inkshelf.ui.sheetview.words import text_height, write

ROW_ROLE = Qt.ItemDataRole.UserRole + 1


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
            done = ", done" if row.ticked else ""
            return f"{row.number}. {row.words.title}{done}"
        return None


class RowDelegate(QStyledItemDelegate):
    """Draws a step: box, number, what to do with exact values, and what starts if it stops here."""

    STOPS, LEFT, LINE = 158, 62, 19

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        row: Row = index.data(ROW_ROLE)
        width = max(300, option.rect.width() or 600)
        return QSize(width, int(self._height(row, width)))

    def _inner(self, width: float) -> float:
        return width - self.LEFT - self.STOPS - 24

    def _height(self, row: Row, width: float) -> float:
        inner = self._inner(width)
        high = 12.0 + text_height(row.words.title, theme.sans(14, 600), inner)
        high += sum(max(self.LINE, text_height(value, theme.mono(12), inner - 150)) for _, value in row.words.values)
        for text, weight in ((row.words.caution, 600), (row.words.look, 400)):
            high += text_height(text, theme.sans(12, weight), inner) + 3 if text else 0
        return (
            max(
                high,
                16
                + 18.0 * len(row.starts)
                + (text_height(row.words.risk, theme.sans(11), self.STOPS - 6) if row.words.risk else 0),
            )
            + 10
            + (34 if row.no_return else 0)
        )

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        row: Row = index.data(ROW_ROLE)
        if painter is None or row is None:
            return
        ink = theme.current()
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, ink.color("select"))
        if row.no_return:
            box = self._no_return(painter, box)
        painter.setPen(QPen(ink.color("line"), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        self._tick(painter, row, QPointF(box.left() + 6, box.top() + 10))
        painter.setFont(theme.mono(14, 700))
        painter.setPen(ink.color("faint" if row.ticked else "ink"))
        painter.drawText(QRectF(box.left() + 28, box.top() + 9, 26, 20), Qt.AlignmentFlag.AlignRight, str(row.number))
        self._body(painter, row, QRectF(box.left() + self.LEFT, box.top() + 8, self._inner(box.width()), box.height()))
        self._stops(painter, row, QRectF(box.right() - self.STOPS, box.top() + 9, self.STOPS - 8, box.height()))
        painter.restore()

    def _no_return(self, painter: QPainter, box: QRectF) -> QRectF:
        ink = theme.current()
        painter.fillRect(QRectF(box.left(), box.top() + 6, box.width(), 4), ink.color("stop"))
        painter.setFont(theme.sans(12, 600))
        painter.setPen(ink.color("stop"))
        painter.drawText(
            QRectF(box.left() + 6, box.top() + 12, box.width(), 20),
            Qt.AlignmentFlag.AlignVCenter,
            "Point of no return. Before this line everything can be left as it is.",
        )
        return box.adjusted(0, 34, 0, 0)

    def _tick(self, painter: QPainter, row: Row, at: QPointF) -> None:
        ink = theme.current()
        painter.setPen(QPen(ink.color("ink"), 1.5))
        painter.setBrush(ink.color("card"))
        painter.drawRect(QRectF(at.x(), at.y(), 16, 16))
        if row.ticked:
            painter.setPen(QPen(ink.color("ok"), 3))
            painter.drawPolyline([at + QPointF(3, 8), at + QPointF(7, 12), at + QPointF(15, 1)])

    def _body(self, painter: QPainter, row: Row, box: QRectF) -> None:
        ink = theme.current()
        y = box.top()
        y += write(
            painter,
            row.words.title,
            theme.sans(14, 600),
            "faint" if row.ticked else "ink",
            QRectF(box.left(), y, box.width(), 60),
        )
        for what, value in row.words.values:
            painter.setFont(theme.sans(12))
            painter.setPen(ink.color("pencil"))
            painter.drawText(QRectF(box.left(), y, 146, self.LINE), Qt.AlignmentFlag.AlignVCenter, what)
            high = write(painter, value, theme.mono(12), "ink", QRectF(box.left() + 150, y + 1, box.width() - 150, 80))
            y += max(self.LINE, high)
        if row.words.caution:
            y += 3 + write(painter, row.words.caution, theme.sans(12, 600), "stop", QRectF(box.left(), y + 2, box.width(), 60))
        if row.words.look:
            write(painter, row.words.look, theme.sans(12), "pencil", QRectF(box.left(), y + 2, box.width(), 60))

    def _stops(self, painter: QPainter, row: Row, box: QRectF) -> None:
        y = box.top()
        if not (row.starts or row.words.risk):
            write(painter, NOTHING_STARTS, theme.sans(12), "pencil", QRectF(box.left(), y, box.width(), 18))
        for one in row.starts:
            word = ("starts by hand" if one.by_hand else "starts") if one.starts else "does not start"
            y += write(
                painter,
                f"{one.system} {word}",
                theme.sans(12, 400 if one.starts else 600),
                "pencil" if one.starts else "stop",
                QRectF(box.left(), y, box.width(), 18),
            )
        if row.words.risk:
            write(painter, row.words.risk, theme.sans(11), "stop", QRectF(box.left(), y + 2, box.width(), 60))


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
            self.copy("\n".join(value for _, value in self.currentIndex().data(ROW_ROLE).words.values))
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
        menu.addAction("Not done yet" if row.ticked else "Done", lambda: self.tick(index))
        for what, value in row.words.values:
            shown = value if len(value) <= 60 else f"{value[:58]}…"
            menu.addAction(f"Copy {what}: {shown}".replace("&", "&&"), lambda text=value: self.copy(text))
        return menu

    def event(self, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize:
            self.scheduleDelayedItemsLayout()
        return super().event(event)


class SheetChapter(QWidget):
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
            button(words, lambda key=key: run(key))
            for words, key in (
                ("HTML…", "sheet.html"),
                ("Markdown…", "sheet.md"),
                ("Script…", "sheet.script"),
                ("Copy", "sheet.copy"),
                ("Print…", "sheet.print"),
            )
        ]
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
        for one in self.buttons:
            one.setEnabled(there)
            one.setToolTip("" if there else "there are no steps yet")
        self.empty.setVisible(not there)
        self.go.setVisible(not there)
        self.empty.setText(job.plan_fault or "There are no steps yet. Take a disk in and say the aim; the sheet writes itself.")
        made: Sheet = sheet(self.desk.reading, self.desk.findings)
        self.sub.setText(f"{len(made.rows)} steps · about {made.minutes:.0f} min" if there else "")
        disk = next((one for one in made.disks if job.aim and one.id == job.aim.disk), None)
        self.disk.setText(f"Disk {disk.id}: {disk.identity()}" if disk else "")
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
