"""Changes of a job that concern its sticks: images come and go, another stick is taken, a sum was compared. Pure; each returns a new job."""

from __future__ import annotations

from inkshelf.core.aims.many import ManyImages
from inkshelf.core.aims.stick import Stick
from inkshelf.core.aims.sticks import StickAim, sticks_of
from inkshelf.core.errors import PlanError
from inkshelf.core.media.material import Checked, Image, stem_of
from inkshelf.core.plan.job import Job, and_aim, changed_aim, left_by
from inkshelf.core.value import replace


def stick_aims(job: Job) -> tuple[StickAim, ...]:
    """Return the aims of a job that make sticks."""
    return tuple(one for one in job.aims if isinstance(one, StickAim))


def _aim(job: Job, identity: str) -> StickAim:
    found = next((one for one in stick_aims(job) if one.id == identity), None)
    if found is None:
        raise PlanError("This aim makes no stick, or is gone.", "Choose one under Aim.")
    return found


def takes_several(aim: StickAim) -> bool:
    """Tell whether an aim puts more than one image on a stick."""
    return hasattr(aim, "leave")


def with_images(job: Job, images: tuple[Image, ...], identity: str = "") -> Job:
    """Return the job with more images in the pile of an aim; where it has none about sticks, with one that fits their number.

    An image of the same name takes the place of the one that is there: what was told by hand is replaced by its file. A stick for one
    image becomes one for many as soon as there are two.
    """
    known = stick_aims(job)
    aim = _aim(job, identity) if identity else known[0] if known else None
    if aim is None:
        kind = Stick if len(images) == 1 else ManyImages
        letters = [one.id for one in sticks_of(left_by(job))]
        return and_aim(job, kind(disk=letters[0] if letters else "M", images=images))
    new = {one.name.lower(): one for one in images}
    old = {_stem(name): name for name in new}
    held = [new.pop(_replaced(one, new, old), one) for one in aim.images]
    pile = (*held, *new.values())
    if len(pile) > 1 and not takes_several(aim):
        return changed_aim(job, ManyImages(id=aim.id, disk=aim.disk, images=pile))
    return changed_aim(job, replace(aim, images=pile))


def _replaced(image: Image, new: dict[str, Image], old: dict[str, str]) -> str:
    """The name among the new ones that an image of the pile gives way to."""
    name = image.name.lower()
    return name if name in new else old.get(_stem(name), "") if image.told else ""


def _stem(name: str) -> str:
    return stem_of(name).lower()


def without_image(job: Job, identity: str, name: str) -> Job:
    """Return the job without an image in the pile of an aim."""
    aim = _aim(job, identity)
    left = tuple(one for one in aim.images if one.name != name)
    if left == aim.images:
        raise PlanError(f"There is no image {name} in the pile.", "Choose one that is there.")
    changed = replace(aim, images=left)
    if takes_several(changed):
        changed = replace(changed, leave=tuple(one for one in changed.leave if one != name))  # type: ignore[attr-defined]
    return changed_aim(job, changed)


def put(job: Job, identity: str, name: str, *, on: bool) -> Job:
    """Return the job with an image of the pile wanted on a stick, or left out."""
    aim = _aim(job, identity)
    if all(one.name != name for one in aim.images):
        raise PlanError(f"There is no image {name} in the pile.", "Choose one that is there.")
    if not takes_several(aim):
        return job if on else without_image(job, identity, name)
    left: tuple[str, ...] = tuple(one for one in aim.leave if one != name)  # type: ignore[attr-defined]
    return changed_aim(job, replace(aim, leave=left if on else (*left, name)))


def instead(job: Job, identity: str, wanted: str, of: str) -> Job:
    """Return the job with one image on the stick in the place of another one."""
    return put(put(job, identity, of, on=False), identity, wanted, on=True)


def to_stick(job: Job, identity: str, letter: str) -> Job:
    """Return the job with an aim on another stick."""
    aim = _aim(job, identity)
    if letter not in {one.id for one in sticks_of(job.found)}:
        raise PlanError(f"Disk {letter} is no stick.", "Choose one that can be taken out.")
    changed = replace(aim, disk=letter)
    if isinstance(changed, ManyImages):
        changed = replace(changed, more=tuple(one for one in changed.more if one != letter))
    return changed_aim(job, changed)


def compared(job: Job, name: str, state: Checked) -> Job:
    """Return the job with what the published sum of an image said, wherever the image is."""
    for aim in stick_aims(job):
        if any(one.name == name for one in aim.images):
            images = tuple(replace(one, checked=state) if one.name == name else one for one in aim.images)
            job = changed_aim(job, replace(aim, images=images))
    return job
