"""The steps of the aim "beside", in the order of the work. Apart from its questions: who looks at a plan makes none."""

from __future__ import annotations

from typing import TYPE_CHECKING

from inkshelf.core.aims.building import Site, Work, built
from inkshelf.core.aims.dividing import place_for
from inkshelf.core.aims.menus import code_again, menus_anew
from inkshelf.core.aims.safety import assured, clocks_differ, hidden, proved, resumed, suspended, woken
from inkshelf.core.aims.shares import divide
from inkshelf.core.aims.systems import known_system
from inkshelf.core.aims.volumes import lead
from inkshelf.core.boot.own_files import more_named
from inkshelf.core.fit.room import Fit
from inkshelf.core.machine.profiles import Profile
from inkshelf.core.machine.roles import systems_named
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import AddEntry, Confirm, Prove, PutLoader, SetOrder, Shrink, Step
from inkshelf.core.steps.making import Divides
from inkshelf.core.value import replace
from inkshelf.data import exact

if TYPE_CHECKING:
    from inkshelf.core.aims.beside import Beside


def beside_steps(aim: Beside, found: Machine, disk: Disk, size: int, seed: str, taken: tuple[str, ...]) -> tuple[Step, ...]:
    """Return the steps on a disk, with ``size`` bytes for all of its volumes; raises ``PlanError`` with what to do where this machine has no room or no way for it."""
    kind = known_system(aim.system, ("linux", "nt"))
    needs = aim.needs(found)
    place = place_for(disk, kind, size, needs, aim.divides)
    own_esp = aim.layout(found).own_esp
    room = place.size - lead(disk, needs, logical=place.logical)
    sizes = divide(needs, room)
    site = Site(found, disk.id, place, seed, (*taken, *found.calls()))
    work = built(site, kind, aim.layout(found), needs, sizes, fallback=own_esp)
    hide, show = hidden(found) if own_esp and work.install.esp else ([], [])
    again = code_again(found, disk) if kind.family == "nt" else []  # its own code starts no other family
    live: list[Step] = [Confirm("live_stick")] if again else []
    steps: list[Step] = [*live, *aim.chosen(assured(found)), *suspended(found), *aim.off_before(found)]
    steps += woken(found, [place.giver] if place.giver else [])
    # an installer that does all of it by itself says so once, before any of it
    steps += [*_compared(aim, "divider"), *_shrunk(aim, place), *hide]
    steps += [*_compared(aim, "gap"), *work.making, *_compared(aim, "hand"), work.install]
    steps += show
    steps += [*work.entering, *_first_again(found, disk, kind, work, aim.menu), *again]
    steps += [*aim.on_again(found), Prove(work.install.call, "new"), *proved(found), *resumed(found)]
    steps += [Confirm("clock")] if clocks_differ(found, (kind.family,)) else []
    return identified((*steps, Confirm("tidy")), aim.id)


def _compared(aim: Beside, when: Divides) -> list[Step]:
    return [Confirm("summary")] if aim.divides == when else []


def _shrunk(aim: Beside, place: Fit) -> list[Step]:
    """Its own system shrinks it and is looked at; where a divider does, that can be only when everything is done."""
    if place.giver is None:
        return []
    by = aim.system if aim.divides == "divider" else ""
    look = [Prove(place.giver.call, "after shrinking")] if place.giver.holds and not by else []
    return [Shrink(place.giver.call, place.giver_bytes, by), *look]


def _first_again(found: Machine, disk: Disk, kind: Profile, work: Work, menu: str) -> list[Step]:
    """An NT-family installer takes the first place for its own entry; what was first before gets it back, and its menu looks again."""
    made = next((one for one in work.entering if isinstance(one, AddEntry)), None)
    if kind.family == "nt" and made is None and menu == "old":
        return _old_begins(found, work)
    if kind.family != "nt" or made is None or menu == "firmware":
        return []
    order = found.firmware.order
    back = [SetOrder((*order, made.entry.number))] if order and menu == "own" else []  # "old": it has it back already
    return [*back, *menus_anew(found, disk)]


def _old_begins(found: Machine, work: Work) -> list[Step]:
    """In boot data that two systems of the NT family share the new one begins by itself: the old one's own tool puts that back."""
    esp = found.find(work.install.esp) if work.install.esp else None
    there = esp[1].boot_file(exact("paths", "nt_boot_data")) if esp else None
    made = next((one for one in work.install.files if one.kind == "nt-boot-data"), None)
    old = systems_named(found, there) if there else []
    if made is None or there is None or not old:
        return []
    data = replace(more_named(there, *made.targets), size_bytes=made.size_bytes)
    return [PutLoader(old[0], work.install.esp, (data,))]
