"""The aim "try": a live stick is started and nothing is written; the state afterwards equals the state found."""

from typing import ClassVar, Literal

from inkshelf.core.aims.base import AimBase, Need, Picture, Question
from inkshelf.core.aims.systems import known_system, system_question
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.profiles import profile
from inkshelf.core.machine.state import Machine
from inkshelf.core.size import binary
from inkshelf.core.steps.identity import identified
from inkshelf.core.steps.kinds import Confirm, Step
from inkshelf.core.texts import Key

LIVE_SHARE = 2  # live storage takes one byte in so many of the memory


class TryOnly(AimBase, frozen=True, tag="try"):
    """A system is tried from a stick, on the machine that it may come to."""

    medium: ClassVar[Literal["", "installer", "live"]] = "live"
    title: ClassVar[str] = "Try a system, and write nothing"
    about: ClassVar[str] = "It runs from a stick and lives in memory; afterwards the machine is as it was found."
    short: ClassVar[str] = "only try it"
    picture: ClassVar[Picture] = (((0, 1, "ink"),), ((0, 1, "ink"), (0.86, 1.0, "stick")))

    system: Key = "linux-desktop"

    def sentence(self, found: Machine) -> str:
        """Say what live storage holds here."""
        room = f", {binary(found.ram_bytes // LIVE_SHARE)} of storage in memory" if found.ram_bytes else ""
        return f"{profile(self.system).title} from a stick{room}; nothing is written"

    def questions(self, found: Machine) -> tuple[Question, ...]:
        """Return the one question."""
        return (system_question("linux-desktop", "what customers ask for most", ("linux",)),)

    def needs(self, found: Machine) -> tuple[Need, ...]:
        """No volume is made."""
        return ()

    def steps(self, found: Machine, seed: str, taken: tuple[str, ...] = ()) -> tuple[Step, ...]:
        """Return what a person does; raises ``PlanError`` where the machine has less memory than the system needs."""
        kind = known_system(self.system, ("linux",))
        if found.ram_bytes and found.ram_bytes < kind.ram:
            raise PlanError(
                f"{kind.title} needs {binary(kind.ram)} of memory, and this machine has {binary(found.ram_bytes)}.",
                "Try a lighter one: linux-light.",
            )
        subjects = ("material", "medium", "firmware_values", "live_start", "live_check", "live_end", "tidy")
        return identified(tuple(Confirm(one) for one in subjects), self.id)  # type: ignore[arg-type]
