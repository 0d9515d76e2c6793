"""Findings about people: back-up, consent, keys, mains. What is not known yet is a warning; what is known to be missing, a stop."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.checks.registry import ChangeAim, Finding, Know, Severity, Show, check
from inkshelf.core.checks.touched import leaves_alone
from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.machine.state import Conditions
from inkshelf.core.plan.reading import Reading
from inkshelf.core.size import binary
from inkshelf.core.steps.kinds import Confirm


def _step(reading: Reading, subject: str) -> int:
    return next(
        (number for number, step in enumerate(reading.job.steps, 1) if isinstance(step, Confirm) and step.subject == subject), 0
    )


def _known(reading: Reading) -> Conditions:
    """What is known of people and the machine: as it was said under Intake, and by the steps that somebody ticked since."""
    machine, done = reading.plan.found, reading.job.done
    for step in reading.job.steps if done else ():
        if isinstance(step, Confirm) and step.id in done:
            machine = step.apply(machine)
    return machine.conditions


@check
def backup(reading: Reading) -> Iterator[Finding]:
    """A back-up that nobody has opened is not a back-up."""
    state = _known(reading).backup
    kept = tuple(volume.call for _, volume in reading.plan.found.volumes() if volume.holds)
    if not kept or state == "read back" or leaves_alone(reading):
        return
    marked = Know("backup", "read back", "Mark as read back")
    if state == "made":
        yield Finding(
            "people.backup",
            "stop",
            "Back-up not read back",
            "A copy that nobody has opened is not a back-up yet. Open three files from it.",
            kept,
            (marked,),
        )
    elif state == "none":
        yield Finding(
            "people.backup",
            "stop",
            "No back-up",
            "If power fails in the middle of a shrink, files can be lost. Make one and open three files from it.",
            kept,
            (marked,),
        )
    else:
        yield Finding(
            "people.backup",
            "warn",
            "Back-up not known yet",
            "Ask for it, and open three files from it before anything is written.",
            kept,
            (marked, Know("backup", "none", "There is none")),
        )


@check
def encryption(reading: Reading) -> Iterator[Finding]:
    """Encryption whose recovery key nobody has at hand locks the owner out after a change of start-up files."""
    known = _known(reading)
    systems = tuple(volume.call for _, volume in reading.plan.found.volumes() if volume.holds and volume.holds.family == "nt")
    locked = tuple(
        volume.call
        for _, volume in reading.plan.found.volumes()
        if volume.filesystem and volume.filesystem.kind == "nt-encrypted"
    )
    if (not systems and not locked) or leaves_alone(reading):
        return
    if known.encrypted is None and not locked:
        yield Finding(
            "people.encrypted",
            "warn",
            "Encryption not known yet",
            "If the volume is encrypted, the recovery key may be asked after the work.",
            systems,
            (Know("encrypted", False, "It is not"), Know("encrypted", True, "It is")),
        )
    elif (known.encrypted or locked) and not known.recovery_key:
        yield Finding(
            "people.key",
            "stop",
            "Recovery key not at hand",
            "The trust module asks for it once the start-up files change. Find it before, suspend protection, resume after.",
            locked or systems,
            (Know("recovery_key", True, "It is at hand"),),
        )


@check
def given_up(reading: Reading) -> Iterator[Finding]:
    """Volumes whose contents the plan gives up: a system is a stop, anything else a warning."""
    for call in reading.ledger.lost:
        found = reading.plan.found.find(call) or reading.plan.found.system(call)
        if found is None:
            continue
        volume = found[1]
        what = volume.holds.title if volume.holds else f"{binary(volume.used)} in use" if volume.used else "Whatever it holds"
        why = f"{what} would be gone, and only a back-up brings it back."
        if volume.role == "recovery":
            why += " Without it the owner's system cannot repair itself."
        locked = volume.filesystem is not None and KINDS[volume.filesystem.kind].encrypted
        if locked:
            why = f"It is encrypted, and nobody has looked at what is in it. {why}"
        severity: Severity = "stop" if volume.holds or volume.role == "startup" or locked else "warn"
        yield Finding(
            f"people.lost.{call}",
            severity,
            f"{call} is given up",
            why,
            (call,),
            (Show("sheet", "Look at the sheet"),),
            loses=True,
        )


@check
def mains(reading: Reading) -> Iterator[Finding]:
    """A shrink on battery."""
    state = _known(reading).mains
    if leaves_alone(reading):
        return
    if state is False:
        yield Finding(
            "people.mains",
            "stop",
            "On battery",
            "A shrink must not be cut by an empty battery. Connect the mains.",
            (),
            (Know("mains", True, "It is connected"),),
        )
    elif state is None:
        yield Finding(
            "people.mains",
            "warn",
            "Mains not known yet",
            "Connect the machine before the first step that writes.",
            (),
            (Know("mains", True, "It is connected"),),
        )


@check
def consent(reading: Reading) -> Iterator[Finding]:
    """The owner's consent in writing."""
    if reading.job.steps and not _known(reading).consent and not leaves_alone(reading):
        step = _step(reading, "consent")
        yield Finding(
            "people.consent",
            "note",
            "Consent not noted",
            f"The owner signs the sheet before step {step + 1 if step else 1}.",
            (),
            (Know("consent", True, "It is signed"), *((Show("sheet", f"Show step {step}", step),) if step else ())),
        )


@check
def memory(reading: Reading) -> Iterator[Finding]:
    """Swap depends on memory."""
    swaps = [(one.id, getattr(one, "swap", "none")) for one in reading.job.aims]
    if any(swap not in {"none", "compressed"} for _, swap in swaps) and reading.plan.found.ram_bytes is None:
        yield Finding(
            "people.ram",
            "warn",
            "Memory not known yet",
            "Swap is planned for 8 GiB of memory until it is.",
            (),
            (Show("intake", "Enter the memory"),),
        )
    for identity, swap in swaps:
        if swap != "hibernate" or reading.plan.found.firmware.secure_boot != "on":
            continue
        yield Finding(
            "firmware.lockdown" if len(swaps) == 1 else f"firmware.lockdown.{identity}",
            "warn",
            "Hibernation with Secure Boot on",
            "Most kernels refuse to hibernate then; the swap would be larger than it needs to be.",
            (),
            (ChangeAim("swap", "sqrt", "Use the square-root rule", identity),),
        )
