"""Switches of the firmware that a plan changes: as found, for the work, at the end; what keeps one from being switched, and what it brings with it."""

from __future__ import annotations

from itertools import pairwise

from inkshelf.core.aims.safety import protected
from inkshelf.core.machine.state import Machine
from inkshelf.core.plan.reading import Reading
from inkshelf.core.steps.kinds import Prepare
from inkshelf.core.value import Value


class Lock(Value, frozen=True):
    """Why a switch cannot be used: how to tell, the least that helps, and what that changes besides; ``to``: only when it is put so."""

    sign: str
    helps: str
    besides: str = ""
    to: str = ""


class Setting(Value, frozen=True):
    """One switch. ``changes``: (step number, value) in order; ``back``: the step that puts it as it was found (0: none does).

    ``key``: what to know of a recovery key that is asked for at the start after it (empty: nothing is sealed to this machine).
    """

    name: str
    title: str
    found: str
    changes: tuple[tuple[int, str], ...]
    end: str
    back: int
    locks: tuple[Lock, ...]
    key: str

    @property
    def work(self) -> str:
        """What it is in between, with the steps."""
        return "; ".join(f"{value} (step {number})" for number, value in self.changes)


PASSWORD = Lock(
    "it is greyed out", "a supervisor's password, for the work", "it is asked for at every entry: hand it over or take it off"
)
FAST = Lock("it is greyed out, with a password too", "fast boot off; “other system” may be the word for it")
FACTORY = Lock(
    "nothing else helps", "the factory's values", "order, storage mode and CSM go back too: photograph every page first"
)
LOCKS: dict[str, tuple[Lock, ...]] = {
    "secure_boot": (
        Lock("it is not there", "CSM off", "a system that starts the legacy way stops starting: look before"),
        PASSWORD,
        FAST,
        Lock("“on” is refused", "its factory keys restored", "keys of the owner's own are lost", "on"),
        FACTORY,
    ),
    "mode": (
        Lock("CSM is not there", "Secure Boot off, then save and enter again", "many boards hide one while the other is on"),
        PASSWORD,
        FACTORY,
    ),
    "fast_boot": (PASSWORD, FACTORY),
    "external_start": (
        Lock(
            "it is greyed out",
            "Secure Boot as the board wants it for that, or a supervisor's password",
            "look what it asks for",
        ),
        FACTORY,
    ),
}
TITLES = {
    "secure_boot": "Secure Boot",
    "mode": "firmware mode",
    "fast_boot": "the firmware's fast boot",
    "external_start": "start from external disks",
}
SWITCH = {True: "on", False: "off", None: "not known"}


def switches(machine: Machine) -> dict[str, str]:
    """Return every switch that a step can change, in words."""
    return {
        "secure_boot": machine.firmware.secure_boot or "not known",
        "mode": {"uefi": "UEFI", "legacy": "legacy (CSM)"}.get(machine.firmware.mode or "", "not known"),
        "fast_boot": SWITCH[machine.conditions.fast_boot],
        "external_start": SWITCH[machine.conditions.external_start],
    }


def settings(reading: Reading) -> tuple[Setting, ...]:
    """Return the switches that the plan changes, in the order in which it comes to them."""
    states = [switches(one) for one in reading.plan.machines]
    found = states[0]
    rows = []
    for name in found:
        changes = tuple((number, now[name]) for number, (was, now) in enumerate(pairwise(states), 1) if was[name] != now[name])
        if changes:
            back = changes[-1][0] if states[-1][name] == found[name] else 0
            key = _key(reading, changes[0][0])
            rows.append(Setting(name, TITLES[name], found[name], changes, states[-1][name], back, LOCKS[name], key))
    return tuple(sorted(rows, key=lambda one: one.changes[0][0]))


def _key(reading: Reading, number: int) -> str:
    """A volume that is sealed to the machine asks for its key after such a change, unless its protection is suspended by then."""
    sealed = protected(reading.plan.found)
    if not sealed:
        return ""
    resting = {
        step.call for step in reading.job.steps[: number - 1] if isinstance(step, Prepare) and step.what == "suspend_encryption"
    }
    asked = [call for call in sealed if call not in resting]
    if not asked:
        return f"protection of {', '.join(sealed)} is suspended by then: no key is asked for"
    return f"the recovery key of {', '.join(asked)} is asked for at the next start: have it at hand"


def unlocking(name: str, to: str) -> tuple[tuple[str, str], ...]:
    """Return what to do where a switch cannot be put so, the least first, as (what is seen, what helps) pairs."""
    return tuple(
        (f"if {one.sign}", f"{one.helps}; but {one.besides}" if one.besides else one.helps)
        for one in LOCKS.get(name, ())
        if one.to in {"", to}
    )


def put_back(found: tuple[Setting, ...]) -> tuple[str, ...]:
    """Return the switches that are as found again, in the words of a list to tick."""
    return tuple(f"{one.title}: {one.end} (step {one.back})" for one in found if one.back)
