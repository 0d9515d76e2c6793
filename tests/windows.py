"""What tests of the window share: finding a button by its words and clicking it."""

from __future__ import annotations

import time

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QPushButton, QWidget

from inkshelf.ui.frame.window import Window

LEAST = 12  # pixels: a person does not hit less


def click(widget: QWidget, words: str) -> None:
    """Click the button with these words, as a person finds it."""
    QApplication.processEvents()
    found = [one for one in widget.findChildren(QPushButton) if one.text().replace("&&", "&") == words and one.isVisible()]
    assert found, words
    until = time.monotonic() + 20
    while found[0].height() < min(LEAST, found[0].sizeHint().height()) and time.monotonic() < until:
        QApplication.processEvents()  # what was just made finds its place in more than one pass
        time.sleep(0.005)
    QTest.mouseClick(found[0], Qt.MouseButton.LeftButton)


def settled(window: Window) -> None:
    """Wait until nothing is read, written or saved beside the window any more."""
    until = time.monotonic() + 60
    while window.files.busy and time.monotonic() < until:
        QApplication.processEvents()
        time.sleep(0.01)
    assert not window.files.busy
    assert window.saver.flush()
    QApplication.processEvents()


def pick(box: QWidget, words: str) -> None:
    """Choose from an open list by the keys, as a person does: to its entry, and Return."""
    assert isinstance(box, QComboBox)
    box.showPopup()
    view = box.view()
    assert view is not None
    at = box.findText(words)
    assert at >= 0, words
    QTest.keyClick(view, Qt.Key.Key_Home)
    for _ in range(at):
        QTest.keyClick(view, Qt.Key.Key_Down)
    QTest.keyClick(view, Qt.Key.Key_Return)
