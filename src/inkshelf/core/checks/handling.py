"""Findings about the machine in a technician's hands: its battery, its case, its processor, a licence; and a disk that reports errors."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.checks.registry import Finding, Know, Show, check
from inkshelf.core.machine.profiles import profile
from inkshelf.core.plan.reading import Reading
from inkshelf.core.steps.kinds import ApplyEdition, Confirm, Install


@check
def swollen_battery(reading: Reading) -> Iterator[Finding]:
    """Nothing is done at a machine whose battery is swollen."""
    if reading.plan.found.conditions.battery_swollen:
        yield Finding(
            "people.battery",
            "stop",
            "The battery is swollen",
            "It can catch fire. Switch off, unplug, do not charge, press or bend it; it is taken out by somebody who is trained for it.",
            (),
            (Know("battery_swollen", False, "It is out, and a sound one is in"),),
        )


@check
def case_is_opened(reading: Reading) -> Iterator[Finding]:
    """The work needs an open case."""
    step = next(
        (at for at, one in enumerate(reading.job.steps, 1) if isinstance(one, Confirm) and one.subject == "others_out"), 0
    )
    if reading.plan.found.conditions.case_open or step:
        yield Finding(
            "people.case",
            "note",
            "The case is opened",
            "Off, unplugged, the battery out where it can be, the power button held for ten seconds, a wrist strap on; mains parts stay closed.",
            (),
            (Show("sheet", f"Show step {step}", step) if step else Show("intake", "It stays closed"),),
        )


@check
def too_wide(reading: Reading) -> Iterator[Finding]:
    """A system made for a wider processor than this one."""
    bits = reading.plan.found.conditions.cpu_bits
    for step in reading.job.steps:
        if isinstance(step, Install) and step.profile and bits is not None and profile(step.profile).cpu_bits > bits:
            kind = profile(step.profile)
            yield Finding(
                f"people.width.{step.call}",
                "stop",
                f"{kind.title} needs a {kind.cpu_bits}-bit processor",
                f"This one has {bits} bits: its installer does not start at all.",
                (step.call,),
                (
                    Show("aim", "Choose a system for old machines"),
                    Know("cpu_bits", kind.cpu_bits, f"It has {kind.cpu_bits} bits"),
                ),
            )


@check
def licence(reading: Reading) -> Iterator[Finding]:
    """An NT-family system is installed, and nobody has looked where its licence is."""
    if reading.plan.found.conditions.licence:
        return
    new = next(
        (
            one.call
            for one in reading.job.steps
            if isinstance(one, ApplyEdition) or (isinstance(one, Install) and one.family == "nt")
        ),
        "",
    )
    if new:
        yield Finding(
            "people.licence",
            "warn",
            "Licence not looked up",
            "It is on paper, in an account, or in the firmware, and it decides which edition is installed: one without a licence stops after a while.",
            (new,),
            (Know("licence", True, "It is looked up"),),
        )


@check
def failing_disk(reading: Reading) -> Iterator[Finding]:
    """A disk that reports errors is copied first, and not worked on."""
    for disk in reading.plan.found.disks:
        if disk.failing:
            yield Finding(
                f"disk.failing.{disk.id}",
                "stop",
                f"Disk {disk.id} reports errors",
                "Every further minute may be its last: copy what is on it first, then plan on another disk. A shrink or a move reads all of it.",
                tuple(one.call for one in disk.volumes if one.used),
                (Know(f"failing:{disk.id}", "no", "It is sound after all"),),
            )
