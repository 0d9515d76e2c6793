"""From a person's words to an answer of an aim, and back: the same for the window and the command line; the near match is offered."""

from __future__ import annotations

from collections.abc import Callable

from inkshelf.core.aims.base import AimBase, Question
from inkshelf.core.errors import PlanError
from inkshelf.core.machine.figures import near
from inkshelf.core.machine.profiles import profile
from inkshelf.core.machine.state import Machine
from inkshelf.core.size import MIB, align_up, binary, parse_size
from inkshelf.core.value import replace

GAP = "GAP"  # a free stretch, where a volume could be named


def answered(aim: AimBase, found: Machine, key: str, text: str) -> AimBase:
    """Return the aim with one question answered; raises ``PlanError`` for an unknown question or value, the near match first."""
    asked = {one.key: one for one in aim.asked(found)}
    if key not in asked:
        raise PlanError(f"“{key}” is no question of {aim.kind}.", near(key, asked))
    question = asked[key]
    return replace(aim, **{question.of: READ[question.kind](question, found, text)})


def answer_of(aim: AimBase, question: Question) -> str:
    """Return the answer that an aim holds, as a person would give it."""
    value = getattr(aim, question.of)
    if question.kind == "size":
        return binary(value, 2) if value else question.usual
    if question.kind == "volume" and not value:
        return GAP if any(one.value == GAP for one in question.answers) else question.usual
    if question.kind in {"image", "images"}:
        return "\n".join(one.path or one.name for one in value)
    if isinstance(value, tuple):
        return ",".join(value) or question.usual
    return str(value)


def _choice(question: Question, _: Machine, text: str) -> object:
    known = {one.value.lower(): one.value for one in question.answers}
    if text.lower() not in known:
        raise PlanError(f"{question.key} {text}: not one of the answers.", near(text.lower(), known))
    return known[text.lower()]


def _size(question: Question, _: Machine, text: str) -> object:
    if text.lower() in {one.value for one in question.answers}:
        return None
    return align_up(max(parse_size(text), MIB), MIB)


def _disk(_: Question, found: Machine, text: str) -> object:
    known = [one.id for one in found.disks]
    if text.upper() not in known:
        raise PlanError(
            f"There is no disk {text} in this job.", f"Choose one of: {', '.join(known)}." if known else "Take a disk in first."
        )
    return text.upper()


def _volume(question: Question, _: Machine, text: str) -> object:
    known = {one.value: one for one in question.answers}
    if text.upper() == GAP and GAP in known:
        return ""
    if text.upper() not in known:
        raise PlanError(
            f"{question.key} {text}: not one of the answers.",
            f"Choose one of: {', '.join(known)}." if known else "There is no volume here that could be meant.",
        )
    return text.upper()


def _volumes(question: Question, found: Machine, text: str) -> object:
    words = [one for one in text.replace(",", " ").split() if one.lower() != "none"]
    return tuple(dict.fromkeys(str(_volume(question, found, one)) for one in words))


def _system(question: Question, _: Machine, text: str) -> object:
    known = {one.value: one for one in question.answers}
    profile(text)
    if text not in known:
        raise PlanError(f"{profile(text).title} cannot be planned here.", near(text, known))
    return text


def _systems(question: Question, found: Machine, text: str) -> object:
    return tuple(str(_system(question, found, one)) for one in text.replace(",", " ").split())


def _number(question: Question, found: Machine, text: str) -> object:
    return int(str(_choice(question, found, text)))


def _images(question: Question, _: Machine, text: str) -> object:
    from inkshelf.core.aims.sticks import known_images

    found = known_images(text)
    if question.kind == "image" and len(found) > 1:
        raise PlanError("One image is asked for.", "Choose the aim many for several.")
    return found


def _names(question: Question, _: Machine, text: str) -> object:
    """Names among the answers, one a line or with commas between; none is "none"."""
    known = {one.value.lower(): one.value for one in question.answers}
    words = [one.strip() for one in text.replace("\n", ",").split(",") if one.strip() and one.strip().lower() != "none"]
    unknown = next((one for one in words if one.lower() not in known), "")
    if unknown:
        raise PlanError(
            f"{question.key} {unknown}: not one of the answers.",
            near(unknown, known) if known else "There is nothing to choose from.",
        )
    return tuple(dict.fromkeys(known[one.lower()] for one in words))


READ: dict[str, Callable[[Question, Machine, str], object]] = {
    "choice": _choice,
    "size": _size,
    "disk": _disk,
    "volume": _volume,
    "volumes": _volumes,
    "system": _system,
    "systems": _systems,
    "number": _number,
    "image": _images,
    "images": _images,
    "names": _names,
}
