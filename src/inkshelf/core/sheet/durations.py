"""How long a step takes: fixed minutes and bytes over a rate, with a margin for people. Defaults are data."""

from __future__ import annotations

from inkshelf.core.plan.aim import profile
from inkshelf.core.steps.kinds import Confirm, Create, Format, Install, Move, Prepare, Prove, Retype, Shrink, Step
from inkshelf.core.steps.ledger import Ledger
from inkshelf.data import table

PEOPLE = {
    "backup": 10.0,
    "consent": 2.0,
    "recovery_key": 4.0,
    "mains": 1.0,
    "firmware_values": 5.0,
    "medium": 3.0,
    "summary": 3.0,
    "clock": 2.0,
    "tidy": 4.0,
}
PREPARE = {"check_volume": 5.0, "fast_startup_off": 3.0, "suspend_encryption": 1.0, "resume_encryption": 1.0}


def minutes(step: Step, ledger: Ledger, system: str) -> float:
    """Return the minutes a step normally takes, without the margin. ``system``: the profile that is installed."""
    if isinstance(step, Confirm):
        return PEOPLE[step.subject]
    if isinstance(step, Prepare):
        return PREPARE[step.what]
    if isinstance(step, Shrink):
        moved = next((one.relocates_bytes for one in ledger.shrinks if one.call == step.call), 0)
        return 3.0 + 2 * moved / float(table("defaults")["rates"]["internal_ssd"]) / 60
    if isinstance(step, Move):
        return 2.0 + 2 * ledger.moved_bytes / float(table("defaults")["rates"]["internal_ssd"]) / 60
    if isinstance(step, Install):
        return float(profile(system).minutes)
    if isinstance(step, Create | Format | Retype):
        return 1.0
    return 4.0 if isinstance(step, Prove) else 1.0


def with_margin(total: float) -> float:
    """Return minutes with the margin for people: real work overruns its rehearsal."""
    return total * (1 + float(table("defaults")["rates"]["human_margin"]))
