"""What every step has: an identity, the traits of its kind, and how it finds the volume it speaks of."""

from typing import ClassVar, Literal

from inkshelf.core.errors import StepError
from inkshelf.core.machine.state import Disk, Machine, Volume
from inkshelf.core.texts import KeyOrNone
from inkshelf.core.value import Value

Actor = Literal["person", "bench", "firmware"]
Writes = Literal["none", "variables", "table", "inside"]
TRAITS = ("actor", "writes")


class StepBase(Value, frozen=True, tag_field="kind", kw_only=True):
    """What every step has.

    ``id`` is drawn once and lasts through replanning: ticks, notes and answers hang on it. Traits of a kind: ``actor`` (who acts on
    the real machine), ``writes`` (the deepest thing it writes), ``moves`` (every used byte goes elsewhere), ``undone`` (it
    only adds what is taken away again, though inside a volume that was there), ``puts_image`` (an image comes onto a medium). The point of no return,
    heavy work, the ledger, effort and the journal read the traits, so that no kind can be forgotten there.
    """

    id: KeyOrNone = ""

    actor: ClassVar[Actor]
    writes: ClassVar[Writes]
    moves: ClassVar[bool] = False
    undone: ClassVar[bool] = False
    puts_image: ClassVar[bool] = False

    def __init_subclass__(cls) -> None:
        """Refuse a kind that does not say its traits, when it is made and not when somebody inks."""
        lacking = [name for name in TRAITS if not hasattr(cls, name)]
        if lacking:
            raise TypeError(f"The step kind {cls.__name__} does not say its {', '.join(lacking)}.")

    @property
    def kind(self) -> str:
        """The word for the kind, for example ``"shrink"``."""
        return str(self.__struct_config__.tag)

    def apply(self, machine: Machine) -> Machine:
        """Return the machine after the step; raises ``StepError`` where it cannot be done."""
        raise NotImplementedError(self.kind)

    def inside(self) -> tuple[str, ...]:
        """Return the call numbers of the volumes whose inside the step writes."""
        return (self.call,) if self.writes == "inside" else ()  # type: ignore[attr-defined]

    def leaves(self) -> tuple[tuple[str, str, bytes], ...]:
        """Return the files that the step promises, as (call number, path, contents): the proof reads them back."""
        return ()

    def changes_files(self) -> tuple[tuple[str, str], ...]:
        """Return the files of a kept volume that the step writes over or takes away, as (call number, path), a folder with all in it."""
        return ()

    def stands_in(self) -> tuple[str, ...]:
        """Return the call numbers of the volumes into which the bench puts less than a person does: their used space is not compared."""
        return ()

    def spans(self) -> tuple[tuple[str, int, int], ...]:
        """Return the stretches of a disk that the step writes beside volumes and tables, as (letter, first byte, behind the last)."""
        return ()

    def start_code(self) -> str:
        """Return the letter of the disk into whose first sector the step writes code for the legacy way, or an empty string."""
        return ""

    def gives_calls(self) -> tuple[str, ...]:
        """Return the call numbers that the step gives away: of a new volume, or of a system in a file."""
        return ()

    def gives_up(self, before: Machine) -> tuple[str, ...]:
        """Return the call numbers of the volumes whose contents the step gives up."""
        return ()


def volume_of(machine: Machine, call: str) -> tuple[Disk, Volume]:
    """Return the disk and volume of a call number; raises ``StepError`` where there is none."""
    found = machine.find(call)
    if found is None:
        raise StepError(f"There is no volume {call}.", "Plan again from the disk as it is.")
    return found


def refuse_unready(volume: Volume) -> None:
    """Refuse to move or resize what is marked for a check or half asleep."""
    system = volume.filesystem
    if system is not None and (system.dirty or system.hibernated):
        state = "marked for a check" if system.dirty else "half asleep"
        raise StepError(
            f"{volume.call} is {state}; nothing may move or resize it.", "Start its own system and put that right first."
        )
