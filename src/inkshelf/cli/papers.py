"""Commands that write what goes beside the machine: the sheet, the partition script."""

from __future__ import annotations

import os
from argparse import ArgumentParser, Namespace
from collections.abc import Callable
from typing import TYPE_CHECKING

from inkshelf.cli.shared import Command, choice, path, read_job, takes_job, word
from inkshelf.core.errors import JobError

if TYPE_CHECKING:
    from inkshelf.core.plan.reading import Reading


def _takes_sheet(parser: ArgumentParser) -> None:
    takes_job(parser)
    parser.add_argument("-o", "--output", metavar="FILE", type=path, required=True)
    parser.add_argument("--format", type=word, help="html, md or pdf; as the file's name ends where nothing is said, else html")


def _sheet(said: Namespace) -> int:
    from inkshelf.store.jobfile import write_atomically

    written: dict[str, Callable[[Reading], bytes]] = {"html": _html, "md": _markdown, "pdf": _pdf}
    ending = said.output.suffix[1:].lower()
    writer = choice("--format", said.format or (ending if ending in written else "html"), written)
    reading, _ = read_job(said.job)
    if not reading.job.steps:
        raise JobError(
            reading.job.plan_fault or "There is no plan yet.",
            f"Say the aim first: inkshelf aim {said.job} beside --size 120GiB",
        )
    write_atomically(said.output, writer(reading))
    print(f"{said.output}: {len(reading.job.steps)} steps")
    return 0


def _html(reading: Reading) -> bytes:
    from inkshelf.exchange import render

    return render.html(reading).encode()


def _markdown(reading: Reading) -> bytes:
    from inkshelf.exchange import render

    return render.markdown(reading).encode()


def _pdf(reading: Reading) -> bytes:
    """The sheet as it is printed; drawn without a display, even where there is one."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from inkshelf.ui.sheetview.printing import pdf
    from inkshelf.ui.start import application

    drawing = application()
    written = pdf(reading)
    del drawing  # the fonts are its own: it had to live until here
    return written


def _takes_script(parser: ArgumentParser) -> None:
    takes_job(parser)
    parser.add_argument("-o", "--output", metavar="FILE", type=path, required=True)
    parser.add_argument("--disk", metavar="LETTER", default="", type=word, help="the disk, where the plan has steps on several")


def _script(said: Namespace) -> int:
    from inkshelf.exchange.script import script
    from inkshelf.store.jobfile import write_atomically

    reading, _ = read_job(said.job)
    write_atomically(said.output, script(reading, said.disk).encode())
    print(f"{said.output}: read it before you run it")
    return 0


COMMANDS = (
    Command("sheet", "Write the run sheet.", _takes_sheet, _sheet),
    Command(
        "script", "Write the partition steps of one disk as a shell script that a person reads first.", _takes_script, _script
    ),
)
