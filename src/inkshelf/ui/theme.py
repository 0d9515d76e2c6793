"""The look: two papers, one accent, three faces. Colours and fonts live here and nowhere else."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache

from PyQt6.QtGui import QColor, QFont, QFontDatabase
from PyQt6.QtWidgets import QApplication

from inkshelf.core.value import Value, replace
from inkshelf.data import FOLDER

SERIF, SANS, MONO = "Vollkorn", "Inter", "JetBrains Mono"


@cache
def _color(text: str, alpha: int) -> QColor:
    color = QColor(text)
    color.setAlpha(alpha)
    return color


class Theme(Value, frozen=True):
    """Named colours of one paper."""

    name: str
    desk: str
    paper: str
    card: str
    ink: str
    pencil: str
    faint: str
    line: str
    used: str
    ribbon: str
    tape: str
    tape_ink: str
    stop: str
    stop_wash: str
    warn: str
    ok: str
    ok_wash: str
    select: str
    on_ink: str

    def color(self, name: str, alpha: int = 255) -> QColor:
        """Return a colour by name."""
        return _color(getattr(self, name), alpha)


PAPER = Theme(
    name="paper",
    desk="#ebe2cf",
    paper="#f5efe1",
    card="#fdf9f0",
    ink="#1f2a3a",
    pencil="#6a645a",
    faint="#a39b8b",
    line="#dcd2bd",
    used="#e4d9c1",
    ribbon="#d3d5d2",
    tape="#f0e4b6",
    tape_ink="#6b5c2b",
    stop="#ad3227",
    stop_wash="#f3ddd3",
    warn="#8d6410",
    ok="#3c7458",
    ok_wash="#5d8d74",
    select="#e9dfc8",
    on_ink="#fdf9f0",
)
SLATE = Theme(
    name="slate",
    desk="#1b2026",
    paper="#22282f",
    card="#2b323b",
    ink="#ece6d8",
    pencil="#a7aaa8",
    faint="#767d84",
    line="#3d4651",
    used="#3a4049",
    ribbon="#38424c",
    tape="#4a452f",
    tape_ink="#e2d6a4",
    stop="#ec7a68",
    stop_wash="#46302e",
    warn="#dfb25e",
    ok="#86c3a2",
    ok_wash="#4f8a6d",
    select="#343d48",
    on_ink="#1b2026",
)
PRINT = replace(PAPER, name="print", paper="#ffffff", card="#ffffff")
THEMES = {"paper": PAPER, "slate": SLATE}


@cache
def load_fonts() -> None:
    """Load the faces that ship with the program."""
    for path in sorted((FOLDER / "fonts").glob("*.[ot]tf")):
        QFontDatabase.addApplicationFont(str(path))


@cache
def _font(family: str, pixels: int, weight: int, *, italic: bool, lining: bool = False) -> QFont:
    font = QFont(family)
    font.setPixelSize(pixels)
    font.setWeight(QFont.Weight(weight))
    font.setItalic(italic)
    if hasattr(font, "setFeature"):
        font.setFeature(QFont.Tag(b"calt"), 0)  # no joined signs: what is to be typed, or is copied from a PDF, stays as it is
        if lining:
            font.setFeature(QFont.Tag(b"lnum"), 1)  # figures that stand on the line
    return font


def serif(pixels: int, weight: int = 600, *, italic: bool = False) -> QFont:
    """Titles."""
    return _font(SERIF, pixels, weight, italic=italic, lining=True)


def sans(pixels: int = 13, weight: int = 400) -> QFont:
    """Text."""
    return _font(SANS, pixels, weight, italic=False)


def mono(pixels: int = 13, weight: int = 400) -> QFont:
    """Figures that align."""
    return _font(MONO, pixels, weight, italic=False)


class _Current:
    theme = PAPER


def current() -> Theme:
    """Return the theme in use."""
    return _Current.theme


@contextmanager
def on_white() -> Iterator[None]:
    """Draw with ink on white paper, whatever the window shows."""
    shown, _Current.theme = _Current.theme, PRINT
    try:
        yield
    finally:
        _Current.theme = shown


def apply(application: QApplication, name: str) -> None:
    """Put a theme on the program; a window takes its style sheet (``sheet``) on for itself."""
    _Current.theme = THEMES.get(name, PAPER)
    application.setFont(sans(13))


def sheet() -> str:
    """Return the style sheet of the theme in use."""
    return _style(_Current.theme)


def _style(theme: Theme) -> str:
    sheet = STYLE
    for name in theme.__struct_fields__:
        sheet = sheet.replace(f"@{name};", f"{getattr(theme, name)};").replace(f"@{name} ", f"{getattr(theme, name)} ")
    return sheet


STYLE = """
QWidget { color: @ink; }
QMainWindow, QDialog, #paper, #benchmode { background: @paper; }
#header { background: @card; border-bottom: 1.5px solid @line; }
#contents { background: @paper; border-right: 1.5px solid @line; }
#margin { background: @paper; border-left: 1.5px solid @line; }
#reckoner { background: @desk; border-top: 2px solid @ink; }
#overlay { background: @card; border: 2px solid @ink; border-radius: 6px; }
QListWidget::item { padding: 3px 6px; } QListWidget::item:disabled { color: @pencil; } QListWidget::item:selected { background: @select; color: @ink; }
#card { background: @card; border: 1px solid @line; border-radius: 6px; }
#typed { background: @card; border: 2.5px solid @ink; border-radius: 6px; padding: 4px 14px; }
#card[taken="true"] { border: 2px solid @ink; }
QLabel { background: transparent; }
QLabel[quiet="true"] { color: @pencil; }
QLabel[bad="true"] { color: @stop; }
QLabel[good="true"] { color: @ok; }
QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; border: none; }
QPushButton { background: @card; border: 1.5px solid @line; border-radius: 5px; padding: 5px 12px; font-weight: 500; }
QPushButton:hover { border-color: @ink; }
QPushButton:focus { border: 1.5px solid @ink; outline: none; background: @select; }
QPushButton:pressed { background: @select; }
QPushButton:disabled { color: @faint; border-color: @line; background: transparent; }
QPushButton[primary="true"] { background: @ink; color: @on_ink; border-color: @ink; font-weight: 600; padding: 5px 16px; }
QPushButton[primary="true"]:hover { background: @pencil; border-color: @pencil; }
QPushButton[primary="true"]:focus { border: 2px solid @stop; background: @ink; }
QPushButton[primary="true"]:disabled { background: @line; color: @pencil; border-color: @line; }
QPushButton[choice="true"] { border-radius: 0px; margin-left: -1px; padding: 5px 11px; color: @pencil; }
QPushButton[choice="true"]:checked { background: @ink; color: @on_ink; border-color: @ink; }
QPushButton[choice="true"]:focus { border: 2px solid @stop; }
QPushButton[small="true"] { padding: 3px 9px; }
QPushButton[figure="true"] { border: none; background: transparent; padding: 0; text-align: left; }
QPushButton[figure="true"]:hover, QPushButton[figure="true"]:focus { border: none; background: transparent; text-decoration: underline; }
QPushButton[link="true"] { border: none; background: transparent; padding: 2px 0px; color: @pencil; text-align: left; text-decoration: underline; }
QPushButton[link="true"]:hover, QPushButton[link="true"]:focus { color: @stop; }
QLineEdit { background: @card; border: 1.5px solid @line; border-radius: 5px; padding: 5px 9px; selection-background-color: @ink; selection-color: @on_ink; }
QLineEdit:focus { border-color: @ink; }
QLineEdit[bad="true"] { border-color: @stop; }
QComboBox { background: @card; border: 1.5px solid @line; border-radius: 5px; padding: 6px 9px; min-height: 18px; }
QComboBox:focus, QComboBox:on { border-color: @ink; } QComboBox::drop-down { border: none; width: 24px; }
QComboBox::down-arrow { width: 0px; height: 0px; border-left: 4px solid @card; border-right: 4px solid @card; border-top: 6px solid @ink; margin-right: 8px; }
QComboBox QAbstractItemView { background: @card; border: 1px solid @line; padding: 4px; selection-background-color: @select; selection-color: @ink; }
QPlainTextEdit { background: @card; border: 1.5px solid @line; border-radius: 5px; padding: 5px 9px; selection-background-color: @ink; selection-color: @on_ink; }
QListView, QListWidget { background: transparent; border: none; outline: none; }
QToolTip { background: @ink; color: @on_ink; border: none; padding: 6px 8px; }
QMenu { background: @card; border: 1px solid @line; padding: 4px; }
QMenu::item { padding: 5px 22px; } QMenu::item:selected { background: @select; }
QScrollBar:vertical { background: transparent; width: 10px; margin: 0; }
QScrollBar::handle:vertical { background: @line; border-radius: 4px; min-height: 30px; margin: 1px; }
QScrollBar::handle:vertical:hover { background: @faint; }
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page { background: transparent; height: 0; width: 0; }
QScrollBar:horizontal { background: transparent; height: 10px; } QScrollBar::handle:horizontal { background: @line; border-radius: 4px; min-width: 30px; margin: 1px; }
QProgressBar { background: @used; border: 1px solid @line; border-radius: 4px; height: 14px; text-align: center; color: @ink; }
QProgressBar::chunk { background: @ok_wash; border-radius: 3px; }
#notice { background: @stop_wash; border: 1px solid @stop; border-radius: 5px; }
#goodnotice { background: @card; border: 1px solid @ok; border-radius: 5px; }
"""
