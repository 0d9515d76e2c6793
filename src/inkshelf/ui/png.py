"""A picture as the bytes of a PNG file: whoever keeps it puts the file in place whole."""

from __future__ import annotations

from PyQt6.QtCore import QBuffer, QIODevice
from PyQt6.QtGui import QImage


def png(image: QImage) -> bytes:
    """Return a picture as PNG (empty: it has no size)."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")
    return buffer.data().data()
