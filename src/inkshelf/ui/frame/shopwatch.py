"""A shop's own figures while the window is open: an edit of their file shows at once, and a fault in it is said."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QFileSystemWatcher, QObject

from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan.job import replan
from inkshelf.store import shop
from inkshelf.ui.desk import Desk, Notice


class ShopWatch(QObject):
    """Watches the file, and its folder, in which it may appear."""

    def __init__(self, desk: Desk, parent: QObject, path: Path | None = None) -> None:
        super().__init__(parent)
        self.desk, self.path = desk, path or shop.shop_file()
        self._seen = self._stamp()
        self.watcher = QFileSystemWatcher(self)
        self.watcher.fileChanged.connect(self.look)
        self.watcher.directoryChanged.connect(self.look)
        self._watch()

    def _watch(self) -> None:
        """An editor may put a new file in the old one's place: it is watched anew."""
        wanted = [str(one) for one in (self.path, self.path.parent) if one.exists()]
        known = {*self.watcher.files(), *self.watcher.directories()}
        for one in wanted:
            if one not in known:
                self.watcher.addPath(one)

    def _stamp(self) -> tuple[int, int] | None:
        try:
            seen = self.path.stat()
        except OSError:
            return None
        return seen.st_mtime_ns, seen.st_size

    def look(self) -> None:
        """Take the figures as they are now, plan with them, and say how many there are."""
        self._watch()
        now = self._stamp()
        if now == self._seen:
            return
        self._seen = now
        try:
            count = shop.use(self.path)
        except InkshelfError as error:
            self.desk.say(Notice(error.what, error.remedy))
            count = -1
        if self.desk.job.aims:
            self.desk.change(replan(self.desk.job), "your shop's figures")
        if count >= 0:
            words = (
                f"{count} figures from your shop's file are in use" if count else "No figures of your shop are in use any more"
            )
            self.desk.say(Notice(words, str(self.path), bad=False))
