"""Identities of steps: drawn from what a step is about, so that they last through replanning; and ticks that hang on them."""

import zlib

import msgspec

from inkshelf.core.steps.kinds import Step
from inkshelf.core.texts import Key
from inkshelf.core.value import Value, replace


class Tick(Value, frozen=True):
    """A step that somebody did. ``of``: what the step said then; one that says something else now was not done."""

    step: Key
    of: Key


def said(step: Step) -> str:
    """Return a short mark of everything that a step says."""
    return f"{zlib.crc32(msgspec.json.encode(step)):08x}"


def tick(step: Step) -> Tick:
    """Return the tick of a step as it is now."""
    return Tick(step.id, said(step))


def done(steps: tuple[Step, ...], ticks: tuple[Tick, ...]) -> frozenset[str]:
    """Return the identities of the steps that are ticked and still say what they said then."""
    known = set(ticks)
    return frozenset(step.id for step in steps if ticks and tick(step) in known)


def identified(steps: tuple[Step, ...], prefix: str) -> tuple[Step, ...]:
    """Return the steps with identities below ``prefix``: kind and subject, counted where two are alike."""
    seen: dict[str, int] = {}
    named = []
    for step in steps:
        subject = next((str(getattr(step, name)) for name in ("call", "subject", "disk") if getattr(step, name, "")), "")
        detail = next((str(getattr(step, name)).replace(" ", "-") for name in ("what", "when") if getattr(step, name, "")), "")
        key = ".".join(one for one in (prefix, step.kind, subject, detail) if one)
        seen[key] = seen.get(key, 0) + 1
        named.append(replace(step, id=key if seen[key] == 1 else f"{key}.{seen[key]}"))
    return tuple(named)
