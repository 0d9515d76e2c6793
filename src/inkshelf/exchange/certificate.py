"""The hand-over for the owner: what was there, what is there, what was kept, what starts how, what to do if it does not, what was handed over."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from inkshelf.core.boot.mishaps import STANDING
from inkshelf.core.boot.rehearse import Outcome, outcome, systems
from inkshelf.core.built.compare import compared
from inkshelf.core.disk.filesystems import title
from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.errors import JobError
from inkshelf.core.machine.calls import WORDS
from inkshelf.core.machine.state import Machine, Volume
from inkshelf.core.plan.asbuilt import accepted
from inkshelf.core.plan.reading import Reading
from inkshelf.core.sheet.settings import settings
from inkshelf.core.size import binary
from inkshelf.core.steps.kinds import Confirm
from inkshelf.core.texts import few, shown
from inkshelf.exchange.picture import board
from inkshelf.exchange.render import environment


def certificate(reading: Reading, now: datetime) -> str:
    """Return the hand-over as one page; raises ``JobError`` where something is to be put right first, or nobody looked."""
    job = reading.job
    if job.built is None:
        raise JobError(
            "Nobody has looked at the machine since.", "Compare a fresh reading first: what is handed over was read."
        )
    lines = compared(reading.plan, job.built)
    stops = [one for one in lines if one.matters == "stop"]
    if stops:
        wrong = few([f"{one.about}, {one.what}" for one in stops], 3, "; ")
        raise JobError(f"Not as planned: {wrong}.", "Put that right before it is handed over.")
    machine = job.built
    there = {one.id: one for one in machine.disks}
    outcomes = [outcome(machine, one.call, STANDING[0]) for one in systems(machine)]
    return (
        environment()
        .get_template("handover.html.j2")
        .render(
            job=job,
            day=now.strftime("%Y-%m-%d"),
            boards=[(disk, board(disk), board(there[disk.id])) for disk in reading.plan.found.disks if disk.id in there],
            volumes=[(one, _about(one), _free(one)) for _, one in sorted(machine.volumes(), key=lambda pair: pair[1].call)],
            ledger=reading.ledger,
            outcomes=outcomes,
            titles={one.call: one.holds.title for one in systems(machine) if one.holds},
            advice=list(_advice(machine, outcomes)),
            accepted=[(one, accepted(job, one)) for one in lines if one.stands == "differs" and accepted(job, one)],
            unread=[f"{one.about} {one.what}" for one in lines if one.stands == "unknown"],
            handed=list(_handed(reading, machine)),
            binary=binary,
        )
    )


def _about(volume: Volume) -> str:
    system = volume.filesystem
    named = shown(system.label if system and system.label else volume.name)
    holds = f", {shown(volume.holds.title)}" if volume.holds else ""
    return f"{WORDS[volume.role]}{holds}{f', “{named}”' if named else ''}, {title(system.kind) if system else 'no file system'}"


def _free(volume: Volume) -> str:
    return binary(volume.size - volume.used) if volume.used is not None else ""


def _advice(machine: Machine, outcomes: list[Outcome]) -> Iterator[str]:
    """What an owner can do alone, before he comes back."""
    if len(outcomes) > 1 and machine.firmware.mode == "uefi":
        yield "One system comes up and not the other: restart, press the key for the firmware's one-time menu, choose the other one."
    for one in outcomes:
        if one.by_hand:
            yield f"{one.system} is chosen in the firmware's one-time menu; it does not come up by itself."
    yield "A larger update may put its own system first: nothing is lost then, the order is set again in a minute."
    yield "It stops with a message, or stays black: write the words down, switch it off, and bring it with this page. Format and repair nothing."


def _handed(reading: Reading, machine: Machine) -> Iterator[str]:
    """That something was handed over, and never which."""
    locked = [one for _, one in machine.volumes() if one.filesystem and KINDS[one.filesystem.kind].encrypted]
    for one in locked:
        nt = one.filesystem is not None and one.filesystem.kind == "nt-encrypted"
        yield f"{'the recovery key' if nt else 'the passphrase'} of {one.call}, which only the owner has now"
    if reading.plan.found.conditions.encrypted and not locked:
        yield "the recovery key of the owner's system"
    if settings(reading):
        yield "the firmware: its password, if it has one, and which key opens it"
    yield "passwords that were set for the work were changed by the owner"
    yield "the back-up, which the owner keeps until everything was used for two weeks"
    made = {"medium", "live_stick", "recovery_stick"}
    if any(one.stick for one in reading.plan.planned.disks) or any(
        isinstance(step, Confirm) and step.subject in made for step in reading.job.steps
    ):
        yield "the sticks that were made"
