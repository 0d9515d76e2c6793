"""The schools that every aim with a new system has: root and home, swap, encryption, menu, Secure Boot, release; each with both sides' reasons."""

from __future__ import annotations

from typing import Literal

from inkshelf.core.aims.base import AimBase, Answer, Question
from inkshelf.core.aims.sealing import Encryption, encryption_question, refuse_sealed
from inkshelf.core.aims.shares import Swap
from inkshelf.core.aims.systems import Layout, Rooms, home_question, swap_question
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.profiles import Profile, profile
from inkshelf.core.machine.state import Machine
from inkshelf.core.steps.kinds import Confirm, SetSecureBoot, Step
from inkshelf.core.value import replace

Menu = Literal["own", "firmware", "old"]
Secure = Literal["keep", "work", "off"]
Release = Literal["long", "newest"]

MENU_ANSWERS = (
    Answer(
        "the new one's menu", "own", "One list of all systems at every start. An update of the old one may put itself first."
    ),
    Answer("the firmware's own", "firmware", "No menu lists the others: nothing to renew. A key at the start chooses."),
    Answer("the old one first", "old", "The owner's start stays as it is. The new one by the firmware's one-time menu only."),
)
SECURE_ANSWERS = (
    Answer("as it is", "keep", "Unsigned loaders and drivers stay out; what starts must be signed throughout."),
    Answer(
        "off for the work, on again", "work", "Sticks without a signature start. What is installed must be signed all the same."
    ),
    Answer("off for good", "off", "Anything starts, at somebody else's hands too. Some systems' encryption asks for its key."),
)
RELEASE_ANSWERS = (
    Answer("the long-term one", "long", "Years of updates and few surprises; new hardware may not be known to it yet."),
    Answer("the newest one", "newest", "Drivers for new hardware; the next upgrade is due within months."),
)


class Schools(AimBase, frozen=True):
    """An aim with one or more new systems, and how they are laid out, started and chosen."""

    home: Rooms = "together"
    swap: Swap = "sqrt"
    encryption: Encryption = "none"
    menu: Menu = "own"
    secure: Secure = "keep"
    release: Release = "long"

    def schooled(self, layout: Layout) -> Layout:
        """Return the plain layout of a disk with the schools that a person chose."""
        return replace(layout, home=self.home, swap=self.swap, encryption=self.encryption, menu=self.menu, sizes=self.sizes)

    def side_by_side(self, plain: Layout, kinds: tuple[Profile, ...]) -> tuple[Layout, ...]:
        """Return a layout for each of several systems: parts and labels apart from each other, and an NT-family one encrypts itself.

        Raises ``PlanError`` where nothing is left that could be encrypted.
        """
        if kinds and all(one.family == "nt" for one in kinds):
            refuse_sealed(kinds[0], self.encryption)
        sealed = (self.encryption if one.family == "linux" else "none" for one in kinds)
        return tuple(
            replace(plain, mark=f"-{number + 1}" if number else "", encryption=own) for number, own in enumerate(sealed)
        )

    def school_questions(
        self, found: Machine, systems: tuple[str, ...], *, portable: bool = False, by_itself: bool = False
    ) -> tuple[Question, ...]:
        """Return the questions, with what is usual for these systems on this machine. ``systems``: keys of profiles.

        ``portable``: on a disk that starts on any machine, by its own fallback file; no menu of another one is told of it. ``by_itself``:
        its installer lays it out as it likes.
        """
        kinds = tuple(profile(one) for one in systems)
        swap = swap_question(found)
        worn = "an external disk wears, and no machine's memory is known beforehand"
        volumes = (
            home_question(systems[0] if len(systems) == 1 else ""),
            replace(swap, usual="none", why=worn) if portable else swap,
            encryption_question(portable=portable),
        )
        return (
            *(() if by_itself else volumes),
            *(() if portable else (_menu_question(found, kinds),)),
            _secure_question(found, kinds),
            Question("release", "Release", RELEASE_ANSWERS, "long", "whoever brings a machine to a shop wants it to last"),
        )

    def off_before(self, found: Machine) -> list[Step]:
        """Return the step after which the firmware checks no signature, where that was chosen.

        Raises ``PlanError`` where nobody knows whether it is on, or it cannot be reached: what was asked for is not passed over.
        """
        state = found.firmware.secure_boot
        if self.secure != "keep" and state in {None, "hidden"}:
            known = "is hidden by a compatibility module" if state else "is not known to be on or off"
            raise PlanError(
                f"Secure Boot is to be switched, and it {known}.",
                "Say under Intake what the firmware shows, or leave it as it is.",
            )
        return [SetSecureBoot("off")] if self._switched(found) else []

    def on_again(self, found: Machine) -> list[Step]:
        """Return the step that puts it back, where it was off for the work only."""
        return [SetSecureBoot("on")] if self._switched(found) and self.secure == "work" else []

    def _switched(self, found: Machine) -> bool:
        return self.secure != "keep" and found.firmware.secure_boot == "on"

    def chosen(self, steps: list[Step]) -> list[Step]:
        """Return the steps of safety with the material of the release that was chosen."""
        if self.release == "long":
            return steps
        return [Confirm("material_newest") if one == Confirm("material") else one for one in steps]


def _menu_question(found: Machine, kinds: tuple[Profile, ...]) -> Question:
    """A menu of the Linux family lists the others; without one of that family there is the firmware's own."""
    linux = any(one.family == "linux" for one in kinds) or not kinds
    there = any(one.holds for _, one in found.volumes())
    why = "one list of all systems" if there else "nothing else is there yet"
    if kinds and all(one.by_entries for one in kinds if one.family == "linux") and linux:
        why = "its menu lists what lies on its own start-up volume, and no more"
        return Question("menu", "Start menu", MENU_ANSWERS[1:], "firmware", why)
    if not linux:
        return Question("menu", "Start menu", MENU_ANSWERS[1:], "old", "a menu that is there can list it")
    return Question("menu", "Start menu", MENU_ANSWERS, "own", why)


def _secure_question(found: Machine, kinds: tuple[Profile, ...]) -> Question:
    """Left on where every link is signed."""
    unsigned = [one.title for one in kinds if not one.signed]
    if found.firmware.secure_boot == "on" and unsigned:
        return Question("secure", "Secure Boot", SECURE_ANSWERS, "off", f"{unsigned[0]} starts by a loader without a signature")
    why = "every link of what starts is signed" if found.firmware.secure_boot == "on" else "it is not on, as far as is known"
    return Question("secure", "Secure Boot", SECURE_ANSWERS, "keep", why)
