"""The printed sheet: read back by a PDF reader, whole steps on every page, the disk on every page."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from pathlib import Path

import pytest
from PyQt6.QtGui import QColor, QImage, QPageSize, QPainter, QPdfWriter
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtWidgets import QApplication

from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import Reading, read
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.value import replace
from inkshelf.store import jobfile
from inkshelf.ui import theme
from inkshelf.ui.desk import Notice
from inkshelf.ui.frame import sheetfiles
from inkshelf.ui.frame.window import Window
from inkshelf.ui.sheetview.blocks import Block
from inkshelf.ui.sheetview.printing import paginate, pdf, print_sheet
from windows import settled

A4, LETTER, A5 = QPageSize.PageSizeId.A4, QPageSize.PageSizeId.Letter, QPageSize.PageSizeId.A5


def opened(written: bytes, folder: Path) -> QPdfDocument:
    path = folder / "sheet.pdf"
    path.write_bytes(written)
    document = QPdfDocument(None)
    assert document.load(str(path)) == QPdfDocument.Error.None_
    return document


def pages(reading: Reading, folder: Path, paper: QPageSize.PageSizeId = A4) -> list[str]:
    """The words on every page, without blanks: how lines are broken does not matter."""
    document = opened(pdf(reading, paper), folder)
    found = [document.getAllText(number).text() for number in range(document.pageCount())]
    return [re.sub(r"[\s\u00ad\u200b\u2060\ufffe]", "", text) for text in found]


def bare(text: str) -> str:
    return re.sub(r"\s", "", text)


@pytest.mark.parametrize("paper", [A4, LETTER, A5])
def test_every_step_is_whole_on_one_page_with_its_exact_values(
    qapp: QApplication, job: Job, tmp_path: Path, paper: QPageSize.PageSizeId
) -> None:
    reading = read(job)
    found = pages(reading, tmp_path, paper)
    for row in sheet(reading).rows:
        (page,) = [text for text in found if bare(row.words.title) in text]
        for _, value in row.words.exact:
            assert bare(value) in page, (row.number, value)
        assert bare(row.words.caution) in page
        assert bare(row.words.look) in page


def test_every_page_says_which_disk_and_how_many_pages_there_are(qapp: QApplication, job: Job, tmp_path: Path) -> None:
    reading = read(replace(job, title="Front desk"))
    found = pages(reading, tmp_path)
    disk = job.found.disks[0]
    for number, text in enumerate(found, 1):
        assert f"page{number}of{len(found)}" in text
        assert bare(disk.identity()) in text
        assert "Frontdesk" in text
    assert sum("Pointofnoreturn" in text for text in found) == 1
    assert "owner,date" in found[-1]
    assert "technician,date" in found[-1]


def test_paper_is_white_whatever_the_window_shows(qapp: QApplication, job: Job, tmp_path: Path) -> None:
    theme.apply(qapp, "slate")
    printed = pdf(read(job))
    assert theme.current().name == "slate"
    theme.apply(qapp, "paper")
    page = QImage(300, 424, QImage.Format.Format_RGB32)
    page.fill(QColor("white"))
    painter = QPainter(page)
    painter.drawImage(0, 0, opened(printed, tmp_path).render(0, page.size()))
    painter.end()
    title = [page.pixelColor(x, y).lightness() for x in range(300) for y in range(20, 36)]
    assert sum(one < 110 for one in title) > 20, "the title is ink, not chalk"
    dark = sum(page.pixelColor(x, y).lightness() < 110 for x in range(300) for y in range(424))
    assert dark < 300 * 424 // 10, "the spines are white"


def test_a_heading_goes_over_with_what_stands_under_it() -> None:
    def block(high: float, *, joined: bool = False) -> Block:
        return Block(lambda _: high, lambda *_: None, joined)

    heading, step, long = block(20, joined=True), block(50), block(500)
    assert paginate([step, heading, step], 600, 100) == [[step], [heading, step]]
    assert paginate([long, step], 600, 100) == [[long], [step]]
    assert paginate([step, step, step], 600, 100) == [[step, step], [step]]


class _OutOfPaper(QPdfWriter):
    def newPage(self) -> bool:
        return False


def test_a_printer_that_takes_no_second_page_is_said(job: Job, tmp_path: Path) -> None:
    with pytest.raises(InkshelfError, match=r"Only 1 of \d+ pages were printed"):
        print_sheet(_OutOfPaper(str(tmp_path / "sheet.pdf")), read(job))


def test_the_window_saves_the_sheet_as_pdf(window: Window, tmp_path: Path) -> None:
    window.files.sheets.save("pdf", tmp_path / "taken along.pdf")
    settled(window)
    assert opened((tmp_path / "taken along.pdf").read_bytes(), tmp_path).pageCount() >= 3
    assert not window.desk.notice.bad
    window.files.sheets.save("pdf", tmp_path / "no such folder" / "sheet.pdf")
    settled(window)
    assert window.desk.notice.bad


def test_a_page_whose_drawing_cannot_begin_is_said_and_keeps_nothing_waiting(
    window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sheetfiles.sys, "executable", str(tmp_path / "absent"))
    window.files.sheets.save("pdf", tmp_path / "sheet.pdf")
    settled(window)
    assert window.desk.notice == Notice("The sheet could not be drawn.")


def test_the_command_line_writes_the_same_pdf_without_a_display(job: Job, tmp_path: Path) -> None:
    jobfile.save(job, tmp_path / "job.json")
    away = {key: value for key, value in os.environ.items() if key != "QT_QPA_PLATFORM"} | {"DISPLAY": ":987"}
    command = [sys.executable, "-m", "inkshelf", "sheet", "job.json", "--format", "pdf", "-o", "sheet.pdf"]
    done = subprocess.run(command, cwd=tmp_path, env=away, capture_output=True, text=True, check=False)
    assert (done.returncode, done.stderr) == (0, "")
    assert opened((tmp_path / "sheet.pdf").read_bytes(), tmp_path).pageCount() >= 3
