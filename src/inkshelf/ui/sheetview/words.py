"""Text of a step, laid out in a column: between words where it can be, after a separator where a command is too long."""

from __future__ import annotations

import re
from functools import lru_cache

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter

from inkshelf.ui import theme
from inkshelf.ui.parts import MAY_BREAK

INSIDE = re.compile(r"-(?=\S)")
NO_BREAK = "\u2060"
SEPARATOR = re.compile(r"(?<=[\\/=:,])(?=[^\s\\/=:,])")


def laid_out(text: str, font: QFont, width: float) -> tuple[str, int]:
    """Return the text and the flags that wrap it to ``width`` pixels.

    A word that is wider than the column, as paths and identifiers are, may break after a separator; only what is
    too wide even so breaks anywhere. No line ends with a hyphen: a reader of the PDF takes it for a broken word, and leaves it out.
    """
    metrics = QFontMetricsF(font)
    text = INSIDE.sub(f"-{NO_BREAK}", text)

    def fits(words: list[str]) -> bool:
        return all(metrics.horizontalAdvance(word) <= width for word in words)

    if fits(text.split()):
        return text, Qt.TextFlag.TextWordWrap.value
    loose = SEPARATOR.sub(MAY_BREAK, text)
    if fits(re.split(rf"[\s{MAY_BREAK}]", loose)):
        return loose, Qt.TextFlag.TextWordWrap.value
    return _broken(text, metrics, width), Qt.TextFlag.TextWordWrap.value


def _broken(text: str, metrics: QFontMetricsF, width: float) -> str:
    """Break a text whose words are wider than the column anywhere but behind a hyphen."""
    lines, line = [], ""
    for sign in text.replace(NO_BREAK, ""):
        if line and metrics.horizontalAdvance(line + sign) > width:
            kept = line.rstrip("-") or line
            lines.append(kept)
            line = line[len(kept) :]
        line += sign
    return "\n".join(one.replace("-", f"-{NO_BREAK}") for one in [*lines, line])


def text_height(text: str, font: QFont, width: float) -> float:
    """Return how many pixels the wrapped text takes downward."""
    return _measured(text, font.toString(), width)[2]


@lru_cache(maxsize=4096)
def _measured(text: str, described: str, width: float) -> tuple[str, int, float]:
    """A list asks for the heights of all its rows whenever one thing in it changes: each text is measured once."""
    font = QFont()
    font.fromString(described)
    words, flags = laid_out(text, font, width)
    return words, flags, QFontMetricsF(font).boundingRect(QRectF(0, 0, width, 10_000), flags, words).height()


def write(painter: QPainter, text: str, font: QFont, tint: str, box: QRectF) -> float:
    """Draw wrapped text from the top of a box; return how many pixels it takes downward."""
    painter.setFont(font)
    painter.setPen(theme.current().color(tint))
    words, flags, high = _measured(text, font.toString(), box.width())
    painter.drawText(QRectF(box.left(), box.top(), box.width(), high + 4), flags, words)
    return high
