"""Findings about the firmware and what it lets a technician do: keys that are skipped, ports, updates, passwords, what it still starts."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.aims.safety import protected
from inkshelf.core.checks.registry import ChangeAim, Finding, Know, Show, check
from inkshelf.core.machine.profiles import profile
from inkshelf.core.plan.reading import Reading
from inkshelf.core.steps.kinds import AddEntry, Confirm, Install, Prepare, RemoveEntry, SetOrder, SetSecureBoot, Step

FROM_OUTSIDE = {"medium", "live_stick", "live_start", "target_in"}


def _asks(reading: Reading, subjects: set[str]) -> int:
    """The number of the first step in which something of these is needed, 0 where none is."""
    return next(
        (at for at, step in enumerate(reading.job.steps, 1) if isinstance(step, Confirm) and step.subject in subjects), 0
    )


@check
def keys_are_skipped(reading: Reading) -> Iterator[Finding]:
    """With fast boot on there is no time for a key, and sticks are not looked at."""
    step = _asks(reading, FROM_OUTSIDE)
    if reading.plan.found.conditions.fast_boot and step:
        yield Finding(
            "firmware.fast-boot",
            "warn",
            "Fast boot skips keys and sticks",
            "The key for the one-time menu is not asked for, and a stick is not started. It goes off for the work, and on again at the end.",
            (),
            (Know("fast_boot", False, "It is off now"), Show("sheet", f"Show step {step}", step)),
        )


@check
def nothing_from_outside(reading: Reading) -> Iterator[Finding]:
    """The firmware does not start what is plugged in, and the work begins with that."""
    step = _asks(reading, FROM_OUTSIDE)
    if reading.plan.found.conditions.external_start is False and step:
        yield Finding(
            "firmware.external",
            "stop",
            "The firmware starts nothing from outside",
            "The stick would be passed over. Which setting allows it, and what it was, goes onto the sheet: it is put back at the end.",
            (),
            (Know("external_start", True, "It is allowed now"), Show("aim", "Work without a stick")),
        )


@check
def one_port(reading: Reading) -> Iterator[Finding]:
    """Stick and target are needed at once, and only one port works."""
    step = _asks(reading, {"ports"})
    if reading.plan.found.conditions.two_ports is False and step:
        yield Finding(
            "firmware.ports",
            "stop",
            "Two ports are needed at once",
            "The installer runs from one, the target is in the other; some makers bar one meanwhile. A hub with its own power serves too.",
            (),
            (Know("two_ports", True, "There are two now"), Show("sheet", f"Show step {step}", step)),
        )


@check
def update_waits(reading: Reading) -> Iterator[Finding]:
    """A firmware update is applied at the next restart."""
    if reading.plan.found.conditions.update_pending and reading.job.steps:
        yield Finding(
            "firmware.update",
            "warn",
            "A firmware update is waiting",
            "It comes with the next restart, in the middle of the work: the boot order may change, and a recovery key may be asked for.",
            (),
            (Know("update_pending", False, "It is done"),),
        )


@check
def password_missing(reading: Reading) -> Iterator[Finding]:
    """Nobody has the firmware's password, and the plan changes its settings."""
    step = next((at for at, one in enumerate(reading.job.steps, 1) if isinstance(one, SetSecureBoot)), 0)
    step = step or _asks(reading, {"firmware_values"})
    known = reading.plan.found.conditions.firmware_password
    if known == "missing" and step:
        yield Finding(
            "firmware.password",
            "warn",
            "The firmware's password is missing",
            "Its settings can be looked at, and often not even that. Ask the owner, or whoever kept the machine before.",
            (),
            (Know("firmware_password", "noted", "It is noted now"), Show("sheet", f"Show step {step}", step)),
        )


@check
def revoked(reading: Reading) -> Iterator[Finding]:
    """A first stage that is older than what this firmware still starts."""
    least, secure = reading.plan.found.conditions.least_generation, reading.plan.planned.firmware.secure_boot
    if least is None or secure not in {"on", None}:
        return
    for step in reading.job.steps:
        if not isinstance(step, Install) or not step.profile or not step.esp:
            continue
        kind = profile(step.profile)
        if 0 < kind.generation < least:
            yield Finding(
                f"firmware.revoked.{step.call}",
                "stop",
                f"{kind.title} is too old for this firmware",
                f"Its first stage is of generation {kind.generation}, and with Secure Boot on nothing below {least} starts: an update revoked it.",
                (step.call,),
                (
                    ChangeAim("secure", "off", "Secure Boot off for good", step.id.split(".")[0]),
                    Show("aim", "Take a newer release"),
                ),
            )


@check
def not_suspended(reading: Reading) -> Iterator[Finding]:
    """Loaders, entries or the order change while the protection of an encrypted volume is on."""
    calls = protected(reading.plan.found)
    off = {step.call for step in reading.job.steps if isinstance(step, Prepare) and step.what == "suspend_encryption"}
    left = tuple(one for one in calls if one not in off and one not in reading.ledger.lost)
    changes = next((at for at, step in enumerate(reading.job.steps, 1) if _starts_otherwise(step)), 0)
    if left and changes:
        yield Finding(
            "firmware.protection",
            "warn",
            f"The protection of {', '.join(left)} is not suspended",
            f"Step {changes} changes what starts: at the next start the trust module asks for the recovery key. Suspend it before, resume it after.",
            left,
            (Show("sheet", f"Show step {changes}", changes), Know("recovery_key", True, "The key is at hand")),
        )


def _starts_otherwise(step: Step) -> bool:
    return isinstance(step, AddEntry | SetOrder | RemoveEntry | SetSecureBoot) or bool(getattr(step, "esp", ""))
