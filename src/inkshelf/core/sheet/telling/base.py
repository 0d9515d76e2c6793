"""What is told of a step, and the registry by its kind: one function gives words, values, commands, minutes. An unknown kind is refused."""

from __future__ import annotations

from functools import singledispatch

from inkshelf.core.sheet.scene import Scene
from inkshelf.core.value import Value, replace


class Words(Value, frozen=True):
    """One row of the sheet.

    ``values`` are (what, exact value) pairs; ``about`` names every volume the step speaks of, as a person finds it. ``commands``: what is
    typed as root on a live system, line by line; ``scripted``: a script may run them. ``paste``: lines for a file, ``into`` which.
    ``look``: what is seen. ``caution`` stands in red, ``risk`` is what a cut in its middle does, ``back`` how it is taken back,
    ``back_lines`` what is typed for that.
    ``minutes`` without a margin for people. ``where``: the commands are typed; ``instead``: they are another way to do the
    same, and not a part of it.
    """

    stage: str
    title: str
    values: tuple[tuple[str, str], ...] = ()
    look: str = ""
    caution: str = ""
    risk: str = ""
    back: str = ""
    back_lines: tuple[str, ...] = ()
    commands: tuple[str, ...] = ()
    scripted: bool = False
    paste: tuple[str, ...] = ()
    into: str = ""
    minutes: float = 1.0
    about: tuple[str, ...] = ()
    where: str = "on a live system"
    instead: bool = False

    @property
    def exact(self) -> tuple[tuple[str, str], ...]:
        """Everything that is read or typed to the letter, as (what, text) pairs: values, commands, lines of files, those of the way back."""
        first = "instead, as root" if self.instead else "type, as root"
        typed = tuple((first if not at else "", one) for at, one in enumerate(self.commands))
        lines = tuple((f"in {self.into}" if not at else "", one) for at, one in enumerate(self.paste))
        back = tuple(("to take it back" if not at else "", one) for at, one in enumerate(self.back_lines))
        return (*self.values, *typed, *lines, *back)

    @property
    def way_back(self) -> str:
        """How the step is taken back, in one line: a sentence, what is typed, or both."""
        return "; ".join((*((self.back,) if self.back else ()), *self.back_lines))


@singledispatch
def told(step: object, scene: Scene) -> Words:
    """Return what is told of a step's kind; raises ``TypeError`` for one that is not registered."""
    raise TypeError(f"no words for {type(step).__name__}")


def words(step: object, scene: Scene) -> Words:
    """Return the row's text for a step, with the volumes it speaks of named as a person finds them."""
    made = told(step, scene)
    calls = [str(getattr(step, name)) for name in ("call", "boot", "esp", "host") if getattr(step, name, "")]
    about = tuple(scene.who(call) for call in dict.fromkeys(calls) if scene.at(call))
    letter = str(getattr(step, "disk", ""))
    disks = [
        *(place[0] for call in calls if (place := scene.at(call))),
        *(one for one in scene.before.disks if one.id == letter),
    ]
    at_host = any(one.stick for one in disks)
    return replace(made, about=about, where="on the machine that makes the stick" if at_host else made.where)
