"""The reckoner at the foot: figures of what is selected, and the number to type; a click copies."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from inkshelf.core.sheet.reckon import Reckoning, reckon
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk, Notice
from inkshelf.ui.parts import label


class Reckoner(QWidget):
    """A strip with exact bytes, both units, sectors and the number to type."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setObjectName("reckoner")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(78)
        self.setAccessibleName("reckoner")
        row = QHBoxLayout(self)
        row.setContentsMargins(24, 8, 16, 8)
        row.setSpacing(24)
        self.subject, self.detail = label("", theme.serif(16)), label("", theme.sans(12), quiet=True)
        self._pair(row, self.subject, self.detail, 170)
        self._figures: dict[str, tuple[QLabel, QPushButton]] = {}
        for key, words in (("exact", "exact"), ("decimal", "decimal"), ("binary", "binary"), ("sectors", "sectors")):
            self._figures[key] = self._figure(row, words)
        row.addStretch(1)
        self._typed_button()
        row.addWidget(self.typed)
        self.more = QPushButton("other boxes, and back")
        self.more.setProperty("link", True)
        self.more.setFont(theme.sans(12))
        self.more.clicked.connect(self.other_boxes)
        self.after = label("", theme.sans(12), quiet=True)
        self._pair(row, self.after, self.more, 176)
        self._now: Reckoning | None = None

    def _typed_button(self) -> None:
        """The number to type, as a button: a click copies it, a right click offers the other boxes."""
        self.typed = QPushButton()
        self.typed.setMinimumWidth(226)
        self.typed.setFixedHeight(58)
        self.typed.setCursor(Qt.CursorShape.PointingHandCursor)
        self.typed.clicked.connect(self.copy_first)
        self.typed.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.typed.customContextMenuRequested.connect(lambda _: self.other_boxes())
        inside = QGridLayout(self.typed)
        inside.setContentsMargins(14, 5, 12, 5)
        self.box, self.number, self.hint = (
            label("", theme.sans(12), quiet=True),
            label("", theme.mono(19, 700)),
            label("", theme.sans(11), quiet=True),
        )
        inside.addWidget(self.box, 0, 0, 1, 2)
        inside.addWidget(self.number, 1, 0)
        inside.addWidget(self.hint, 1, 1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom)
        for one in (self.box, self.number, self.hint):
            one.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)

    def sizeHint(self) -> QSize:
        return QSize(900, 78)

    def _pair(self, row: QHBoxLayout, upper: QWidget, lower: QWidget, width: int) -> None:
        holder = QWidget()
        holder.setFixedWidth(width)
        box = QVBoxLayout(holder)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addStretch(1)
        box.addWidget(upper)
        box.addWidget(lower)
        box.addStretch(1)
        row.addWidget(holder)

    def _figure(self, row: QHBoxLayout, words: str) -> tuple[QLabel, QPushButton]:
        box = QVBoxLayout()
        box.setSpacing(1)
        box.addStretch(1)
        head = label(words, theme.sans(12), quiet=True)
        figure = QPushButton()
        figure.setFont(theme.mono(14, 700))
        figure.setProperty("figure", True)
        figure.setCursor(Qt.CursorShape.PointingHandCursor)
        figure.setToolTip("copy")
        figure.clicked.connect(lambda: self._copy(figure.text()))
        box.addWidget(head)
        box.addWidget(figure)
        box.addStretch(1)
        row.addLayout(box)
        return head, figure

    def refresh(self) -> None:
        """Show the figures of what is selected now."""
        now = reckon(self.desk.reading, self.desk.selected)
        self._now = now
        for widget in (self.typed, self.more, self.after, *(part for pair in self._figures.values() for part in pair)):
            widget.setVisible(now is not None)
        if now is None:
            self.subject.setText("Reckoner")
            self.detail.setText("select a volume on the shelf")
            return
        self.subject.setText(now.subject)
        self.detail.setText(now.detail)
        for key, text in (("exact", now.exact), ("decimal", now.decimal), ("binary", now.binary), ("sectors", now.sectors)):
            self._figures[key][1].setText(text)
            self._figures[key][1].setAccessibleName(f"{key} {text}")
        self._figures["sectors"][0].setText(now.sector_words)
        first = now.typed[0]
        self.box.setText(first.box)
        self.number.setText(first.text)
        self.hint.setText("click copies")
        self.typed.setAccessibleName(f"{first.box}: {first.text}")
        self.typed.setToolTip(first.hint or "click copies, right click for other kinds of box")
        self.after.setText("  ".join(f"{what} {value}" for what, value in now.after[:1]))
        self.after.setToolTip("\n".join(f"{what} {value}" for what, value in now.after))
        window = self.window()
        self.thin(window.width() if window else 1280)
        self.after.setText("\n".join(f"{what}\n{value}" for what, value in now.after[:1]))

    def thin(self, width: int) -> None:
        """Leave out what a narrow window has no room for; the other boxes and the tooltip still have it."""
        if self._now is not None:
            self.after.parentWidget().setVisible(width >= 1180)  # type: ignore[union-attr]
            for key, least in (("sectors", 1040), ("decimal", 920)):
                for part in self._figures[key]:
                    part.setVisible(width >= least)

    def copy_first(self) -> None:
        """Copy the number to type."""
        if self._now:
            self._copy(self._now.typed[0].text)

    def other_boxes(self) -> None:
        """Show the number for every kind of box, and ask what was typed into one."""
        window = self.window()
        if self._now is None or window is None:
            return
        from inkshelf.ui.frame.boxes import BoxesCard  # late: the window is ready sooner

        BoxesCard(window, self.desk.reading, self._now, self._copy).open_over()

    def _copy(self, text: str) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard:
            clipboard.setText("".join(text.split()) if text.replace("\u202f", "").isdigit() else text)
        self.desk.say(Notice(f"Copied: {text}", bad=False))
