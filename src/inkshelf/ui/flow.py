"""A layout that goes on in the next line where a line is full."""

from __future__ import annotations

from PyQt6.QtCore import QRect, QSize, Qt
from PyQt6.QtWidgets import QLayout, QLayoutItem, QSizePolicy, QWidget

SPACE = 4  # pixels between two of them, and between lines


class Flow(QLayout):
    """Widgets one behind the other, as words in a text; its height follows from its width."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self.setContentsMargins(0, 0, 0, 0)
        policy = parent.sizePolicy()
        policy.setHorizontalPolicy(QSizePolicy.Policy.Expanding)
        policy.setHeightForWidth(True)
        parent.setSizePolicy(policy)

    def addItem(self, item: QLayoutItem | None) -> None:
        """Take one more."""
        if item is not None:
            self._items.append(item)

    def count(self) -> int:
        """How many there are."""
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        """One of them."""
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        """Give one back."""
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        """It takes the width that there is."""
        return Qt.Orientation.Horizontal

    def hasHeightForWidth(self) -> bool:
        """Its height follows from its width."""
        return True

    def heightForWidth(self, width: int) -> int:
        """The height of all lines at a width."""
        return self._place(QRect(0, 0, width, 0), move=False)

    def sizeHint(self) -> QSize:
        """The least it can be: a line is never narrower than its widest widget."""
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        """As wide as the widest of them."""
        size = QSize()
        for item in self._items:
            size = size.expandedTo(item.minimumSize())
        return size

    def setGeometry(self, rect: QRect) -> None:
        """Put every one in its place."""
        super().setGeometry(rect)
        self._place(rect, move=True)

    def _place(self, rect: QRect, *, move: bool) -> int:
        x, y, line = rect.x(), rect.y(), 0
        for item in self._items:
            hint = item.sizeHint()
            if line and x + hint.width() > rect.right() + 1:
                x, y, line = rect.x(), y + line + SPACE, 0
            if move:
                item.setGeometry(QRect(x, y, min(hint.width(), rect.width()), hint.height()))
            x, line = x + hint.width() + SPACE, max(line, hint.height())
        return y + line - rect.y()
