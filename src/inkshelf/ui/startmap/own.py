"""A mishap of a person's own, made of small parts under the table of mishaps, and kept with the job."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from inkshelf.core.boot.own_mishaps import WORDS, own_mishap
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.job import with_mishap, without_mishap
from inkshelf.ui import theme
from inkshelf.ui.desk import Desk
from inkshelf.ui.parts import button, label

FIRST = "what happens"


class OwnMishap(QWidget):
    """One line that opens: a title, parts in order, keep it; nothing is decided here."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._parts: list[tuple[str, str]] = []
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        row = QHBoxLayout()
        self.open = button("Rehearse something of your own", self._toggle, link=True)
        row.addWidget(self.open)
        self.drop = button("", self._drop, link=True)
        row.addWidget(self.drop)
        row.addStretch(1)
        box.addLayout(row)
        self.form = QWidget()
        line = QHBoxLayout(self.form)
        line.setContentsMargins(0, 0, 0, 0)
        self.title = QLineEdit()
        self.title.setPlaceholderText("its name, for example: moved to the other bench")
        self.title.setAccessibleName("name of your own mishap")
        self.title.setMaxLength(60)
        line.addWidget(self.title, 1)
        self.part = QComboBox()
        self.part.setAccessibleName("one part of it, added in order")
        self.part.activated.connect(self._add)
        line.addWidget(self.part)
        self.keep = button("Keep it", self._keep)
        line.addWidget(self.keep)
        box.addWidget(self.form)
        self.said = label("", theme.sans(12), quiet=True, wrap=True)
        box.addWidget(self.said)
        self.form.setVisible(False)
        self.said.setVisible(False)
        self._chosen = ""

    def refresh(self, chosen: str) -> None:
        """Offer the parts that this machine allows, and to take the chosen mishap out where it is one of a person's own."""
        self._chosen = chosen
        own = next((one for one in self.desk.job.mishaps if one.key == chosen), None)
        self.drop.setVisible(own is not None)
        self.drop.setText(f"take “{own.title}” out" if own else "")
        disks = [one.id for one in self.desk.reading.plan.planned.disks]
        offered = [(one.title, one.word) for one in WORDS if not one.of_disk]
        offered += [(f"disk {letter} {one.title}", f"{one.word}:{letter}") for one in WORDS if one.of_disk for letter in disks]
        if [self.part.itemData(at) for at in range(1, self.part.count())] != [word for _, word in offered]:
            self.part.clear()
            self.part.addItem(FIRST)
            for title, word in offered:
                self.part.addItem(title, word)
        self.keep.setEnabled(bool(self._parts))
        self.keep.setToolTip("" if self._parts else "choose first what happens")

    def _toggle(self) -> None:
        self.form.setVisible(not self.form.isVisible())
        self.said.setVisible(self.form.isVisible())
        if self.form.isVisible():
            self.title.setFocus()

    def _add(self, at: int) -> None:
        if at > 0:
            self._parts.append((self.part.itemText(at), str(self.part.itemData(at))))
            self._say(", then ".join(title for title, _ in self._parts))
        self.part.setCurrentIndex(0)
        self.keep.setEnabled(bool(self._parts))
        self.keep.setToolTip("")

    def _say(self, words: str) -> None:
        self.said.setText(words)

    def _keep(self) -> None:
        title = self.title.text().strip() or " and ".join(words for words, _ in self._parts)
        try:
            made = own_mishap(self.desk.reading.plan.planned, title, tuple(word for _, word in self._parts))
            changed = with_mishap(self.desk.job, made)
        except InkshelfError as error:
            self._say(str(error))
            return
        self._parts = []
        self.title.clear()
        self._say("")
        self._toggle()
        self.desk.change(changed, f"rehearse “{made.title}”")

    def _drop(self) -> None:
        self.desk.change(without_mishap(self.desk.job, self._chosen), "take a mishap out")
