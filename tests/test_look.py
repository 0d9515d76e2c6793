"""The look can be read: contrast of both papers, roles told apart without colour, faces that ship with the program."""

from __future__ import annotations

from itertools import combinations
from typing import get_args

import pytest
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QFontInfo, QImage, QPainter
from PyQt6.QtWidgets import QApplication

from inkshelf.core.machine.calls import LETTERS, WORDS
from inkshelf.core.machine.state import Role
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.ui import theme
from inkshelf.ui.chapters import KEYS
from inkshelf.ui.frame.window import Window
from inkshelf.ui.shelf import painter as drawn
from inkshelf.ui.shelf.hatches import draw_hatch
from inkshelf.ui.shelf.layout import HEIGHT, lay_out

ROLES = get_args(Role)
TEXT = [
    ("ink", "paper"),
    ("ink", "card"),
    ("ink", "desk"),
    ("ink", "used"),
    ("ink", "select"),
    ("ink", "ribbon"),
    ("pencil", "paper"),
    ("pencil", "card"),
    ("stop", "paper"),
    ("stop", "card"),
    ("warn", "paper"),
    ("ok", "paper"),
    ("on_ink", "ink"),
    ("tape_ink", "tape"),
]


def luminance(color: QColor) -> float:
    """Relative luminance (WCAG 2.2, definition)."""
    parts = [
        value / 12.92 if value <= 0.04045 else ((value + 0.055) / 1.055) ** 2.4
        for value in (color.redF(), color.greenF(), color.blueF())
    ]
    return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]


def contrast(one: QColor, other: QColor) -> float:
    high, low = sorted((luminance(one), luminance(other)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("name", theme.THEMES)
@pytest.mark.parametrize(("over", "under"), TEXT)
def test_text_can_be_read_on_both_papers(name: str, over: str, under: str) -> None:
    paper = theme.THEMES[name]
    assert contrast(paper.color(over), paper.color(under)) >= 4.5, "WCAG AA for text"


@pytest.mark.parametrize("name", theme.THEMES)
def test_every_colour_is_one(name: str) -> None:
    paper = theme.THEMES[name]
    for field in paper.__struct_fields__:
        if field != "name":
            assert paper.color(field).isValid(), field
    assert paper.color("ink", 80).alpha() == 80
    assert paper.color("ink").alpha() == 255


def hatch(role: str) -> QImage:
    """A role's pattern in grey."""
    image = QImage(90, 120, QImage.Format.Format_Grayscale8)
    image.fill(QColor("white"))
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    draw_hatch(painter, QRectF(0, 0, 90, 120), role)
    painter.end()
    return image


def difference(one: QImage, other: QImage) -> int:
    pairs = ((one.pixelColor(x, y).value(), other.pixelColor(x, y).value()) for x in range(0, 90, 2) for y in range(0, 120, 2))
    return sum(abs(a - b) > 20 for a, b in pairs)


def test_roles_are_told_apart_without_colour(qapp: QApplication) -> None:
    patterns = {
        role: hatch(role)
        for role in ("system", "data", "recovery", "reserved", "startup", "swap", "container", "medium", "unknown")
    }
    for one, other in combinations(patterns, 2):
        assert difference(patterns[one], patterns[other]) > 40, (one, other)


def test_every_role_has_a_mark_a_word_and_a_height() -> None:
    assert set(ROLES) == set(LETTERS) == set(WORDS) == set(HEIGHT)
    assert len(set(LETTERS.values())) == len(LETTERS)


@pytest.mark.parametrize(
    ("font", "family"), [(theme.serif(20), "Vollkorn"), (theme.sans(13), "Inter"), (theme.mono(13), "JetBrains Mono")]
)
def test_the_faces_that_ship_are_used(qapp: QApplication, font: object, family: str) -> None:
    assert QFontInfo(font).family() == family


@pytest.mark.parametrize("name", theme.THEMES)
def test_the_shelf_draws_in_both_themes_at_any_width(qapp: QApplication, job: Job, name: str) -> None:
    theme.apply(qapp, name)
    reading = read(job)
    for width in (380, 724, 1600):
        shelf = lay_out(reading, "A", 0, width)
        image = QImage(width, int(drawn.TOTAL), QImage.Format.Format_ARGB32)
        image.fill(theme.current().color("paper"))
        painter = QPainter(image)
        drawn.draw_shelf(painter, shelf, width, "GiB", "S1", "room", "D1", focused=True)
        painter.end()
        colors = {image.pixelColor(x, int(drawn.PLANNED_FOOT - 10)).name() for x in range(0, width, 3)}
        assert len(colors) > 6
    theme.apply(qapp, "paper")


def test_pictures_of_every_main_view_differ(window: Window) -> None:
    seen = set()
    for key in KEYS:
        window.desk.show(key)
        QApplication.processEvents()
        image = window.grab().toImage()
        seen.add(bytes(image.constBits().asarray(image.sizeInBytes())))
    assert len(seen) == len(KEYS)
