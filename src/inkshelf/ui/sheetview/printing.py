"""Print the sheet, or write it as PDF: whole steps on every page, and on every page which disk it is about."""

from __future__ import annotations

from PyQt6.QtCore import QBuffer, QIODevice, QMarginsF, QRectF
from PyQt6.QtGui import QFontMetricsF, QPagedPaintDevice, QPageLayout, QPageSize, QPainter, QPdfWriter

from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.reading import Reading
from inkshelf.core.sheet.sheet import Sheet, sheet
from inkshelf.core.texts import few
from inkshelf.ui import theme
from inkshelf.ui.sheetview.blocks import Block, blocks
from inkshelf.ui.sheetview.words import write

MARGIN_MM = 14.0
PIXELS_AN_INCH = 96.0
FOOT = 30.0
NARROW = 620.0  # what a page holds across, in pixels, at least; smaller paper is drawn smaller


def paginate(found: list[Block], width: float, height: float) -> list[list[Block]]:
    """Return the blocks by page; one that is joined goes over with the block behind it."""
    pages: list[list[Block]] = [[]]
    left = height
    for place, block in enumerate(found):
        need = block.height(width)
        behind = next((one for one in found[place + 1 : place + 2] if block.joined), None)
        if need + (behind.height(width) if behind else 0) > left and pages[-1]:
            pages.append([])
            left = height
        pages[-1].append(block)
        left -= need
    return pages


def print_sheet(device: QPagedPaintDevice, reading: Reading) -> int:
    """Draw the sheet on a printer or a PDF; return the number of pages."""
    device.setPageMargins(QMarginsF(MARGIN_MM, MARGIN_MM, MARGIN_MM, MARGIN_MM), QPageLayout.Unit.Millimeter)
    made = sheet(reading)
    painter = QPainter()
    if not painter.begin(device):
        raise InkshelfError("The sheet could not be printed.", "Look at the printer, and that it is switched on.")
    with theme.on_white():
        scale = min(device.logicalDpiX() / PIXELS_AN_INCH, device.width() / NARROW)
        width, height = device.width() / scale, device.height() / scale
        pages = paginate(blocks(made, reading), width, height - FOOT)
        for number, page in enumerate(pages, 1):
            if number > 1 and not device.newPage():
                painter.end()
                raise InkshelfError(
                    f"Only {number - 1} of {len(pages)} pages were printed.", "Look at the printer and at the room on the disk."
                )
            painter.save()
            painter.scale(scale, scale)
            _page(painter, page, width)
            _foot(painter, made, QRectF(0, height - FOOT + 10, width, FOOT), f"page {number} of {len(pages)}")
            painter.restore()
    painter.end()
    return len(pages)


def pdf(reading: Reading, paper: QPageSize.PageSizeId = QPageSize.PageSizeId.A4) -> bytes:
    """Return the sheet as a PDF file."""
    kept = QBuffer()
    kept.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(kept)
    writer.setPageSize(QPageSize(paper))
    writer.setTitle(reading.job.title or "Run sheet")
    writer.setCreator("Ink Shelf")
    print_sheet(writer, reading)
    return kept.data().data()


def _page(painter: QPainter, page: list[Block], width: float) -> None:
    top = 0.0
    for block in page:
        high = block.height(width)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        block.draw(painter, QRectF(0, top, width, high))
        painter.restore()
        top += high


def _foot(painter: QPainter, made: Sheet, box: QRectF, number: str) -> None:
    """Which job, which disk, which page: sheets of paper get mixed up."""
    disks = few((f"disk {one.id}: {one.identity()}" for one in made.disks), 2, "  ·  ")
    font = theme.sans(11)
    write(painter, f"{made.title or 'Run sheet'}  ·  {disks}", font, "pencil", box.adjusted(0, 0, -90, 0))
    wide = QFontMetricsF(font).horizontalAdvance(number) + 2
    write(painter, number, font, "pencil", QRectF(box.right() - wide, box.top(), wide, box.height()))
