"""The firmware's entries in the start map: moved by dragging or keys, switched, taken away; each an undoable step behind what is planned."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from inkshelf.core.aims.menus import configs_of
from inkshelf.core.errors import InkshelfError
from inkshelf.core.machine.entries import mark_of, named_by
from inkshelf.core.machine.state import BootEntry
from inkshelf.core.plan.byhand import change
from inkshelf.core.plan.entries_by_hand import RUNS

if TYPE_CHECKING:
    from inkshelf.ui.startmap.chapter import StartChapter

KEYS = "Alt and an arrow moves it, Space switches it off, Delete takes it away"


class Entries:
    """What is done to an entry; ``selected``: the row of the map that the keys mean."""

    def __init__(self, chapter: StartChapter) -> None:
        self.chapter = chapter
        self.selected: int | None = None

    def entry(self, row: int | None) -> BootEntry | None:
        """Return the entry of a row, where it is one of the firmware's own variables."""
        routes = self.chapter.now.routes
        if row is None or not 0 <= row < len(routes):
            return None
        found = routes[row].entry
        return found if self.chapter.desk.reading.plan.planned.firmware.entry(found.number) == found else None

    def movable(self, row: int) -> bool:
        """Tell whether a row can be changed: at the end of the plan, where nothing goes wrong, and not what the firmware adds by itself."""
        return self.chapter.at_end and self.chapter.mishap == "none" and self.entry(row) is not None

    def words(self, row: int) -> str:
        """Return what can be done, for a hint."""
        found = self.entry(row)
        return f"{found.variable}: drag it to another place in the order. {KEYS}" if found else ""

    def moved(self, row: int, to: int) -> None:
        """Give the entry of a row the place of another."""
        order = self.chapter.desk.reading.plan.planned.firmware.order
        found, other = self.entry(row), self.entry(min(to, len(self.chapter.now.routes) - 1))
        if found is None or row == to:
            return
        place = order.index(other.number) + 1 if other and other.number in order else len(order)
        self._change("order", found, place=str(place))

    def key(self, event: QKeyEvent) -> bool:
        """Do what a key means; tell whether it means anything here."""
        rows = [row for row in range(len(self.chapter.now.routes)) if self.movable(row)]
        arrows = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        pressed = Qt.Key(event.key())
        if not rows or pressed not in {*arrows, Qt.Key.Key_Space, Qt.Key.Key_Delete}:
            return False
        if self.selected not in rows:
            self.selected = rows[0]
            return True
        found = self.entry(self.selected)
        if found is None:
            return False
        if pressed in arrows and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self._change("order", found, place="up" if arrows[pressed] < 0 else "down")
            self._follow(found)
        elif pressed in arrows:
            self.selected = rows[max(0, min(len(rows) - 1, rows.index(self.selected) + arrows[pressed]))]
        elif pressed == Qt.Key.Key_Space:
            self._change("entry", found, state="off" if found.active else "on")
        else:
            self._change("entry", found, state="remove")
        return True

    def _follow(self, found: BootEntry) -> None:
        """The keys mean the same entry after it has moved."""
        rows = [row for row, route in enumerate(self.chapter.now.routes) if route.entry.number == found.number]
        self.selected = rows[0] if rows else None

    def menu(self, over: QWidget, at: QPoint) -> None:
        """Open what can be done to the selected entry, and the loaders that have none."""
        found = self.entry(self.selected)
        if found is None:
            return
        made = QMenu(over)
        made.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for words, verb, said in (
            ("Put it first", "order", {"place": "first"}),
            ("One up", "order", {"place": "up"}),
            ("One down", "order", {"place": "down"}),
            ("Switch it off", "entry", {"state": "off"}),
            ("Take it away", "entry", {"state": "remove"}),
        ):
            line = made.addAction(words)
            if line is not None:
                line.triggered.connect(lambda _, verb=verb, said=said: self._change(verb, found, **said))
        for off in self.chapter.desk.reading.plan.planned.firmware.entries:
            line = None if off.active else made.addAction(f"Switch {off.variable} “{off.title}” on")
            if line is not None:
                line.triggered.connect(lambda _, off=off: self._change("entry", off, state="on"))
        self._menus(made)
        line = made.addAction("Call it otherwise …")
        if line is not None:
            line.triggered.connect(lambda: self._rename(over, found))
        self._offer(made)
        made.popup(at)

    def menu_aside(self, over: QWidget, at: QPoint, found: BootEntry) -> None:
        """Open what can be done to an entry that is not tried."""
        made = QMenu(over)
        made.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        firmware = self.chapter.desk.reading.plan.planned.firmware
        known = self.chapter.at_end and self.chapter.mishap == "none" and firmware.entry(found.number) == found
        said: list[tuple[str, str, dict[str, str]]] = []
        if found.number not in firmware.order:
            said.append(("Put it last in the order", "order", {"place": "last"}))
        said.append(
            ("Switch it off", "entry", {"state": "off"}) if found.active else ("Switch it on", "entry", {"state": "on"})
        )
        said.append(("Take it away", "entry", {"state": "remove"}))
        for words, verb, more in said:
            line = made.addAction(words)
            if line is not None:
                line.setEnabled(known)
                line.triggered.connect(lambda _, verb=verb, more=more: self._change(verb, found, **more))
        if not known:
            line = made.addAction("Entries are changed at the end of the plan, where nothing goes wrong")
            if line is not None:
                line.setEnabled(False)
        made.popup(at)

    def _menus(self, made: QMenu) -> None:
        """What the menu behind the selected entry could start by itself."""
        route = self.chapter.now.routes[self.selected or 0]
        machine = self.chapter.desk.reading.plan.planned
        owner = next((call for call in route.systems if configs_of(machine, machine.system(call)[1])[1]), "")  # type: ignore[index]
        for call in route.systems[1:] if owner else ():
            line = made.addAction(f"Let its menu start {call} by itself")
            if line is not None:
                words = {"what": "begins", "value": call}
                title = f"the menu of {owner} starts {call} by itself"
                line.triggered.connect(lambda _, words=words, title=title: self._do("menu", owner, title, **words))

    def _rename(self, over: QWidget, found: BootEntry) -> None:
        title, said = QInputDialog.getText(over, f"{found.variable}", "Its title in the firmware's menu:", text=found.title)
        if said and title.strip() and title.strip() != found.title:
            self._change("entry", found, state="rename", title=title.strip())

    def _offer(self, made: QMenu) -> None:
        """Entries that could be made: for each loader that none names."""
        machine = self.chapter.desk.reading.plan.planned
        named = {(named_by(one), one.path.lower()) for one in machine.firmware.entries}
        more = made.addMenu("Make one for")
        for disk, volume in machine.volumes():
            for file in volume.boot_files:
                if file.kind in RUNS and (mark_of(disk, volume), file.path.lower()) not in named and more is not None:
                    line = more.addAction(f"{file.path} on {volume.call}")
                    if line is not None:
                        line.triggered.connect(lambda _, call=volume.call, path=file.path: self._add(call, path))
        if more is not None:
            more.setEnabled(not more.isEmpty())

    def _add(self, call: str, path: str) -> None:
        self._do("entry", call, f"an entry for {path}", state=path)

    def _change(self, verb: str, found: BootEntry, **words: str) -> None:
        self._do(verb, found.variable.upper(), f"{found.variable}: {', '.join(words.values())}", **words)

    def _do(self, verb: str, call: str, undo_words: str, **words: str) -> None:
        desk = self.chapter.desk
        try:
            desk.change(change(desk.job, verb, call, **words), undo_words)
        except InkshelfError as error:
            self.chapter.tell(str(error))
