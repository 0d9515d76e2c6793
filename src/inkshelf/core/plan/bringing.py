"""The medium that an aim starts from, brought by the job itself: asked like every question, answered by an aim that makes the stick first."""

from __future__ import annotations

from inkshelf.core.aims.base import AimBase, Answer, Question
from inkshelf.core.aims.sticks import PLUG, StickAim, known_images, sticks_of
from inkshelf.core.errors import PlanError
from inkshelf.core.plan.job import Job, without_aim
from inkshelf.core.plan.media import stick_aims, with_images

KEY, ELSEWHERE = "medium", "elsewhere"
TITLES = {"installer": "Installer's stick", "live": "Live stick"}
MADE = Answer("made elsewhere", ELSEWHERE, "The sheet asks for it, and says what it must hold.")


def medium_question(job: Job, aim: AimBase) -> Question | None:
    """Return the question what an aim is started from, or ``None`` of one that needs no medium."""
    if not aim.medium:
        return None
    sticks = [one.id for one in sticks_of(job.found)]
    why = (
        f"an image's file, or NAME=4.2GiB,uefi,signed: this job puts it on stick {sticks[0]} first"
        if sticks
        else "an image's file is put on a stick first; none is plugged in"
    )
    return Question(KEY, TITLES[aim.medium], (MADE,), ELSEWHERE, why, "images")


def brought(job: Job) -> tuple[StickAim, ...]:
    """Return the aims of a job whose sticks others start from."""
    return tuple(one for one in stick_aims(job) if one.images)


def medium_of(job: Job) -> str:
    """Return the answer as it stands: the images on the job's sticks, a line each, or that it is made elsewhere."""
    return "\n".join(image.path or image.name for one in brought(job) for image in one.images) or ELSEWHERE


def with_medium(job: Job, aim: AimBase, text: str) -> Job:
    """Return the job with what its aims start from; ``text``: images, a line each, or "elsewhere".

    Raises ``PlanError`` for an aim that needs none, where no stick is plugged in, or where a stick is made for more than that.
    """
    if not aim.medium:
        raise PlanError(f"“{KEY}” is no question of {aim.kind}.", "It starts from no stick.")
    if text.strip().lower() == ELSEWHERE:
        for one in brought(job):
            if one.kind != "stick":
                number = [two.id for two in job.aims].index(one.id) + 1
                raise PlanError(
                    f"Stick {one.disk} is aim {number} of this job ({one.kind}).", "Drop that aim, if it is not wanted."
                )
            job = without_aim(job, one.id)
        return job
    images = known_images(text)
    if not sticks_of(job.found):
        raise PlanError("There is no stick in this job.", PLUG)
    return with_images(job, images)
