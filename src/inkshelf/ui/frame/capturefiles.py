"""What the window does with captured text: one file, or several that were printed on one machine, are read together."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from inkshelf.bounded import read_bounded
from inkshelf.core.errors import CaptureError
from inkshelf.core.plan.job import Source
from inkshelf.core.texts import few
from inkshelf.ui.desk import Notice

if TYPE_CHECKING:
    from inkshelf.ui.frame.files import Files

KINDS = "Captured text (*.json *.txt);;All files (*)"


class CaptureFiles:
    """Captured text, in one window."""

    def __init__(self, files: Files) -> None:
        self.files, self.desk = files, files.window.desk

    def add(self, paths: Sequence[Path] = ()) -> None:
        """Take captured text in; what one file does not say, such as how far a partition reaches, another may."""
        chosen = list(paths) or self.files.ask_several("Take in captured text", KINDS)
        if chosen:
            self.files.attempt(lambda: self._take(chosen))

    def is_one(self, path: Path) -> bool:
        """Whether a file is a text that a machine printed."""
        from inkshelf.exchange.anytext import kind_of
        from inkshelf.exchange.captures import LARGEST, read_text

        try:
            if not path.is_file():
                return False
            raw = read_bounded(path, LARGEST)
        except OSError:
            return False  # whoever takes it for something else says why it cannot be read
        if (
            b"\0" in raw
            or b'"inkshelf-job"' in raw[-4096:]
            or b'"inkshelf-job"' in raw[:4096]
            or b'"inkshelf-work"' in raw[:4096]
        ):
            return False
        try:
            return bool(kind_of(read_text(path)))
        except CaptureError:
            return raw.lstrip().startswith((b"{", b"inkshelf-capture", b"\xef\xbb\xbf"))  # it says itself what is wrong with it

    def _take(self, paths: Sequence[Path]) -> None:
        from inkshelf.bench.intake import take_in, with_facts, with_listings
        from inkshelf.exchange.anytext import gather
        from inkshelf.exchange.captures import read_text
        from inkshelf.ui.frame.files import first_of

        told = gather([read_text(one) for one in paths])
        old = self.desk.job
        if not told.disks and not old.found.disks:
            raise CaptureError("This text tells of no disk.", "Take in an image or what lsblk printed first.")
        if told.firmware is not None and old.found.firmware.mode == "legacy":
            raise CaptureError(
                "Boot variables were captured, and the firmware is said to be legacy.", "Say UEFI under Intake first."
            )
        sources = [Source(kind, str(one.resolve())) for kind, one in zip(told.kinds, paths, strict=True)]  # type: ignore[arg-type]
        disks = told.disks
        if not old.seed:
            title = old.title or (told.facts.maker if told.facts else "") or paths[0].stem
            old, disks, sources = first_of(take_in([], [disks], sources, title=title), old), (), []
        made = with_listings(old, disks, sources, told.firmware, told.listed)
        made, differ = with_facts(made, told.facts) if told.facts else (made, [])
        self.desk.change(made, f"take in {few([one.name for one in paths], 2)}")
        self.files.keep_it(paths[0].stem)
        unsaid = [*differ, *(f"not captured: {one}" for one in told.missing)]
        if unsaid:
            self.desk.say(Notice(few(unsaid, 3, "; "), "It is asked for under Intake, or capture it again.", bad=False))
