"""Steps by hand on the shelf: what the menu of a volume or a gap offers. All of it is pencil, and can be undone."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from inkshelf.core.disk.filesystems import title
from inkshelf.core.disk.kinds import makeable
from inkshelf.core.errors import InkshelfError
from inkshelf.core.machine.state import Disk, Gap, Volume
from inkshelf.core.plan.arrange import as_line
from inkshelf.core.plan.byhand import FLAGS, arrange, change, take_back
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.locks import lock, lockable, locked, unlock
from inkshelf.core.size import binary, parse_size
from inkshelf.ui.desk import Desk, Notice

KINDS = tuple((title(kind), kind) for kind in makeable())
TYPES = (
    ("Linux data", "linux_data"),
    ("Linux home", "linux_home"),
    ("Linux swap", "linux_swap"),
    ("EFI system", "efi_system"),
    ("basic data", "basic_data"),
    ("Linux LVM", "linux_lvm"),
)


class HandMenu(QMenu):
    """The menu of a volume, or of a gap; every line becomes one step, or a notice that says why not."""

    def __init__(self, parent: QWidget, desk: Desk, disk: Disk, target: Volume | Gap) -> None:
        super().__init__(parent)
        self.desk, self.disk = desk, disk
        self.setAccessibleName("steps by hand")
        if isinstance(target, Volume):
            self._volume(target)
        else:
            self._gap(target)
        self.addSeparator()
        if disk.volumes and disk.table.kind != "none":
            self.addAction(f"Arrange the volumes of disk {disk.id}…", self._arrange)
        self._tables()
        if desk.job.by_hand:
            self.addSeparator()
            self.addAction(f"Take the last step by hand back ({desk.job.by_hand[-1].verb})", self._back)

    def _sizes(self, call: str) -> None:
        """A size that the fit found can be locked; one that is locked can be opened."""
        job = self.desk.job
        size = next((now for one, _, _, now in lockable(job) if one == call), 0)
        if not size:
            return
        if call in locked(job):
            self.addAction(f"Unlock {call}: the fit decides its size", partial(self._replan, unlock, call, f"unlock {call}"))
        else:
            self.addAction(f"Lock {call} at {binary(size, 2)}", partial(self._replan, lock, call, f"lock {call}"))
        self.addAction(f"Lock {call} at another size…", partial(self._ask_size, call, size))
        self.addSeparator()

    def _ask_size(self, call: str, size: int) -> None:
        words = f"{call} has {binary(size, 2)}. It keeps (a size with a unit):"
        text, good = QInputDialog.getText(self.parentWidget(), "Lock a size", words)
        if good and text.strip():
            self._replan(lambda job, one: lock(job, one, parse_size(text)), call, f"lock {call}")

    def _replan(self, do: Callable[[Job, str], Job], call: str, words: str) -> None:
        try:
            self.desk.change(do(self.desk.job, call), words)
        except InkshelfError as error:
            self.desk.say(Notice(error.what, error.remedy))

    def _volume(self, volume: Volume) -> None:
        call = volume.call
        self._sizes(call)
        self.addAction(
            f"Resize {call}…",
            partial(
                self._ask,
                "resize",
                call,
                "size",
                f"{call} has {binary(volume.size, 2)}. Make it (a size with a unit, or rest):",
            ),
        )
        behind = self.addMenu(f"Move {call} right behind")
        for other in self.disk.volumes if behind else ():
            if other.call != call and any(gap.start == other.end for gap in self.disk.gaps()):
                behind.addAction(other.call, partial(self._do, "move", call, after=other.call))  # type: ignore[union-attr]
        if behind is not None and behind.isEmpty():
            behind.setEnabled(False)
            behind.setTitle(f"Move {call}: there is no free room behind a volume")
        if volume.filesystem and volume.filesystem.kind == "lvm":
            words = f"Name and size of the logical volume in {volume.filesystem.label}, for example: root 20GiB"
            self.addAction(f"Make a logical volume in {call}…", partial(self._ask_logical, call, words))
        self.addAction(f"Label {call}…", partial(self._ask, "label", call, "label", f"Label of {call}:"))
        self.addAction(f"Give {call} a new identity", partial(self._do, "renew", call))
        self._choices(f"Type of {call}", [(words, partial(self._do, "type", call, type=key)) for words, key in TYPES])
        if self.disk.table.kind == "mbr":
            mark = partial(self._do, "flag", call, flag="active", state="off" if volume.active else "on")
            self.addAction(f"Take the active mark off {call}" if volume.active else f"Mark {call} active", mark)
        flags = [
            (words, partial(self._do, "flag", call, flag=words, state="off" if volume.attributes >> bit & 1 else "on"))
            for words, bit in FLAGS.items()
        ]
        if self.disk.table.kind == "gpt":
            self._choices(f"Flags of {call}", flags)
        self.addSeparator()
        loss = f", giving up what is on {call}" if volume.used and not volume.planned else ""
        self._choices(f"Format {call}{loss}", [(words, partial(self._do, "format", call, fs=kind)) for words, kind in KINDS])
        self.addAction(f"Remove {call}{loss}", partial(self._do, "delete", call))

    def _gap(self, gap: Gap) -> None:
        place = f"{-(-gap.start // (1 << 20))}MiB"
        words = f"{binary(gap.size, 2)} are free here. Make a volume of (a size with a unit, or rest):"
        if self.disk.table.kind == "none":
            return
        for kind, key in TYPES:
            self.addAction(
                f"Make a volume: {kind}…", partial(self._ask, "create", self.disk.id, "size", words, at=place, type=key)
            )

        if self.disk.table.kind == "mbr" and self.disk.table.extended is None:
            ask = partial(self._ask, "create", self.disk.id, "size", words, at=place, type="extended")
            self.addAction("Make the extended partition…", ask)

    def _arrange(self) -> None:
        """Several volumes at once; the order of the work is found."""
        words = "Volumes in their order on the disk, for example: B1 S1=300GiB R1 free=20GiB D1@stay"
        text, good = QInputDialog.getText(self.parentWidget(), "By hand", words, text=as_line(self.disk))
        if good and text.strip():
            try:
                self.desk.change(arrange(self.desk.job, self.disk.id, text), f"arrange disk {self.disk.id} by hand")
            except InkshelfError as error:
                self.desk.say(Notice(error.what, error.remedy))

    def _tables(self) -> None:
        """A fresh table, for an empty disk, or for one whose volumes are all given up."""
        held = [one.call for one in self.disk.volumes if one.used and not one.planned]
        loss = f", giving up {', '.join(held)}" if held else ""
        lines = [(kind.upper(), partial(self._do, "create", self.disk.id, table=kind)) for kind in ("gpt", "mbr")]
        self._choices(f"Fresh table on disk {self.disk.id}{loss}", lines)

    def _choices(self, title: str, lines: list[tuple[str, partial[None]]]) -> None:
        menu = self.addMenu(title)
        for words, do in lines if menu is not None else ():
            menu.addAction(words, do)  # type: ignore[union-attr]

    def _ask(self, verb: str, call: str, field: str, words: str, **fixed: str) -> None:
        text, good = QInputDialog.getText(self.parentWidget(), "By hand", words)
        if good and text.strip():
            self._do(verb, call, **{field: text.strip()}, **fixed)

    def _ask_logical(self, call: str, words: str) -> None:
        text, good = QInputDialog.getText(self.parentWidget(), "By hand", words)
        name, _, size = text.strip().partition(" ")
        if good and name:
            self._do("create", call, label=name, size=size.strip() or "rest")

    def _do(self, verb: str, call: str, **words: str) -> None:
        try:
            self.desk.change(change(self.desk.job, verb, call, **words), f"{verb} {call} by hand")
        except InkshelfError as error:
            self.desk.say(Notice(error.what, error.remedy))

    def _back(self) -> None:
        self.desk.change(take_back(self.desk.job), "take a step by hand back")
