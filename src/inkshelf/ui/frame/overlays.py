"""Two overlays over the same list of actions: every command by name, and the keys."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QModelIndex, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence, QPainter
from PyQt6.QtWidgets import (
    QFrame,
    QGridLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from inkshelf.ui import theme
from inkshelf.ui.frame.actions import ACTIONS, Action
from inkshelf.ui.parts import label

BESIDE = Qt.ItemDataRole.UserRole + 1
MORE_KEYS = (
    ("Left, Right", "move the edge on the shelf by 1 GiB"),
    ("Shift + Left, Right", "by 10 GiB"),
    ("Ctrl + Left, Right", "by 1 MiB"),
    ("E", "take the other edge"),
    ("Z", "look closer at small volumes, or to scale"),
    ("L", "lock the size of the chosen volume, or open it"),
    ("Up, Down", "choose a volume, a chapter, a step"),
    ("Alt while dragging", "snap to 1 MiB"),
    ("Space on the sheet", "tick a step"),
    ("Ctrl + C on the sheet", "copy what the step says to type"),
    ("Space in bench mode", "begin, go on, done, next"),
    ("P, O, N, F in bench mode", "pause, other endings, note, what was found"),
    ("Menu, right click", "steps by hand on the shelf; values of a step"),
)


def matches(words: str) -> list[Action]:
    """Return the actions whose title or group holds every word typed, best first."""
    parts = words.lower().split()
    found = [one for one in ACTIONS if all(part in f"{one.title} {one.group}".lower() for part in parts)]
    return sorted(found, key=lambda one: not one.title.lower().startswith(words.lower())) if words else found


class Overlay(QFrame):
    """A card over the window, not a window of its own: it stands where it is put on every platform, and Escape closes it."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("overlay")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def open_over(self) -> None:
        """Show the card in the upper middle of its window, in the place of one that is open."""
        self.adjustSize()
        parent = self.parentWidget()
        if parent is not None:
            for other in parent.findChildren(Overlay):
                if other is not self:
                    other.close()
            self.move((parent.width() - self.width()) // 2, max(20, (parent.height() - self.height()) // 3))
        self.show()
        self.raise_()
        self.setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event and event.key() == Qt.Key.Key_Escape:
            self.close()
            return
        super().keyPressEvent(event)


class BesideDelegate(QStyledItemDelegate):
    """A command with its keys at the right, or the reason why it cannot be done now."""

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        super().paint(painter, option, index)
        beside = index.data(BESIDE)
        if painter is None or not beside:
            return
        painter.save()
        able = bool(index.flags() & Qt.ItemFlag.ItemIsEnabled)
        painter.setFont(theme.mono(12) if able else theme.sans(12))
        painter.setPen(theme.current().color("pencil"))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(option.rect.adjusted(0, 0, -10, 0), right, beside)
        painter.restore()


class CommandPalette(Overlay):
    """Type a few letters, press Enter."""

    def __init__(self, parent: QWidget, why_not: Callable[[Action], str], run: Callable[[str], object]) -> None:
        super().__init__(parent)
        self._why_not, self._run = why_not, run
        self.setAccessibleName("all commands")
        self.setFixedWidth(520)
        box = QVBoxLayout(self)
        self.line = QLineEdit()
        self.line.setPlaceholderText("what do you want to do?")
        self.line.setFont(theme.sans(15))
        self.line.setAccessibleName("command")
        self.line.textChanged.connect(self._fill)
        self.line.returnPressed.connect(self._go)
        box.addWidget(self.line)
        self.list = QListWidget()
        self.list.setFixedHeight(330)
        self.list.setFont(theme.sans(13))
        self.list.setAccessibleName("commands that match")
        self.list.setItemDelegate(BesideDelegate(self.list))
        self.list.itemActivated.connect(lambda _: self._go())
        self.list.itemClicked.connect(lambda _: self._go())
        box.addWidget(self.list)
        self._fill("")

    def open_over(self) -> None:
        """Show the card, ready for typing."""
        super().open_over()
        self.line.setFocus()

    def _fill(self, words: str) -> None:
        self.list.clear()
        for one in matches(words):
            reason = self._why_not(one)
            item = QListWidgetItem(f"{one.group}:  {one.title}")
            item.setData(Qt.ItemDataRole.UserRole, one.id)
            item.setData(BESIDE, reason or one.keys)
            item.setData(Qt.ItemDataRole.AccessibleDescriptionRole, reason or one.keys)
            if reason:
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
            self.list.addItem(item)
        for row in range(self.list.count()):
            item_at = self.list.item(row)
            if item_at and item_at.flags() & Qt.ItemFlag.ItemIsEnabled:
                self.list.setCurrentRow(row)
                break

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event and event.key() in {Qt.Key.Key_Down, Qt.Key.Key_Up}:
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.list.setCurrentRow((self.list.currentRow() + step) % max(1, self.list.count()))
            return
        super().keyPressEvent(event)

    def _go(self) -> None:
        item = self.list.currentItem()
        if item and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            self.close()
            self._run(item.data(Qt.ItemDataRole.UserRole))


class KeysOverlay(Overlay):
    """All shortcuts on one card."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAccessibleName("keys")
        box = QVBoxLayout(self)
        box.setContentsMargins(26, 20, 26, 22)
        box.addWidget(label("Keys", theme.serif(22)))
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(6)
        rows = [
            (QKeySequence(one.keys).toString(QKeySequence.SequenceFormat.NativeText), one.title) for one in ACTIONS if one.keys
        ] + list(MORE_KEYS)
        half = -(-len(rows) // 2)
        for place, (keys, words) in enumerate(rows):
            grid.addWidget(label(keys, theme.mono(12, 700)), place % half, place // half * 2)
            grid.addWidget(label(words, theme.sans(13)), place % half, place // half * 2 + 1)
        box.addLayout(grid)
