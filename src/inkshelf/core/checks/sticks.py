"""Findings about sticks and images: told apart, whole, fast enough, started here."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from inkshelf.core.checks.registry import ChangeAim, Finding, Know, Remedy, Show, check
from inkshelf.core.machine.state import Disk, Machine
from inkshelf.core.media.alike import alike
from inkshelf.core.plan.job import found_by
from inkshelf.core.plan.merging import medium_asked
from inkshelf.core.plan.reading import Reading
from inkshelf.core.size import both, decimal
from inkshelf.core.steps.kinds import Format, Install
from inkshelf.core.texts import few
from inkshelf.data import table

if TYPE_CHECKING:
    from inkshelf.core.aims.sticks import StickAim
    from inkshelf.core.steps.kinds import CopyFiles, PutImage, WriteImage


def _aims(reading: Reading) -> Iterator[tuple[StickAim, Machine]]:
    if not any(aim.makes_first() for aim in reading.job.aims):
        return
    from inkshelf.core.aims.sticks import StickAim  # late: most jobs make no stick, and the window is ready sooner

    for aim in reading.job.aims:
        if isinstance(aim, StickAim):
            yield aim, found_by(reading.job, aim.id)


def _brought(reading: Reading) -> list[WriteImage | CopyFiles | PutImage]:
    """The steps that bring an image onto a medium."""
    if not any(step.puts_image for step in reading.job.steps):
        return []
    from inkshelf.core.steps.kinds import CopyFiles, PutImage, WriteImage  # late, as above

    return [step for step in reading.job.steps if isinstance(step, WriteImage | CopyFiles | PutImage)]


def _sticks(reading: Reading) -> Iterator[tuple[StickAim, Disk]]:
    """Every stick that an aim makes, once."""
    seen: set[str] = set()
    for aim, found in _aims(reading):
        for disk in found.disks:
            if disk.id in aim.letters() and disk.id not in seen:
                seen.add(disk.id)
                yield aim, disk


@check
def two_look_alike(reading: Reading) -> Iterator[Finding]:
    """A stick that is written, and another one that nobody tells from it by size and model."""
    targets = {disk.id for _, disk in _sticks(reading)}
    for one, other in alike(reading.plan.found.disks):
        if not targets & {one.id, other.id}:
            continue
        outside = [two for two in (one, other) if two.id not in targets] or [other]
        remedies: list[Remedy] = [
            Know(f"unplugged:{two.id}", "yes", f"{two.id} is unplugged") for two in outside if two.removable
        ]
        serials = " and ".join(f"{two.id} is {two.serial or 'not known'}" for two in (one, other))
        yield Finding(
            f"stick.alike.{one.id}.{other.id}",
            "stop",
            f"Disks {one.id} and {other.id} look alike",
            f"About one size, one model. Serials: {serials}. Unplug the others; list again, choose by serial, list again.",
            (),
            tuple(remedies) or (Show("aim", "Choose another stick"),),
        )


@check
def made_twice(reading: Reading) -> Iterator[Finding]:
    """A stick that two aims begin from nothing: the second gives up what the first put there."""
    if not any(disk.stick for disk in reading.plan.found.disks):
        return
    from inkshelf.core.steps.kinds import NewTable, WriteImage  # late, as above

    for disk in reading.plan.found.disks:
        begun = [one for one in reading.job.steps if isinstance(one, NewTable | WriteImage) and one.disk == disk.id]
        if disk.stick and len(begun) > 1:
            yield Finding(
                f"stick.twice.{disk.id}",
                "warn",
                f"Stick {disk.id} is made twice",
                "What the first aim puts onto it is given up again by the second. Give one of them another stick.",
                (),
                (Show("aim", "Choose another stick"),),
            )


@check
def a_stick_lies(reading: Reading) -> Iterator[Finding]:
    """A stick that says that it is larger than it is."""
    for disk in reading.plan.found.disks:
        if disk.stick and 0 < disk.stick.real_size < disk.size:
            yield Finding(
                f"stick.lies.{disk.id}",
                "stop",
                f"Stick {disk.id} holds less than it says",
                f"It says {decimal(disk.size)}, and holds {decimal(disk.stick.real_size)}: what is written beyond that is lost without a word. Throw it away.",
                (),
                (Know(f"unplugged:{disk.id}", "yes", f"{disk.id} is unplugged"),),
            )


@check
def without_a_sum(reading: Reading) -> Iterator[Finding]:
    """Images of which nobody compared a sum."""
    names = list(dict.fromkeys(one.name for aim, _ in _aims(reading) for one in aim.images if one.checked == ""))
    if names:
        yield Finding(
            "stick.unverified",
            "warn",
            "Not verified yet" if len(names) > 1 else f"{names[0]} is not verified yet",
            f"No published sum was held against {few(names, 3)}. Ask the maker's own site for one.",
            (),
            (Show("media", "Look at the images"),),
        )


@check
def would_not_start(reading: Reading) -> Iterator[Finding]:
    """A way that was taken although this machine would not start it."""
    for aim, found in _aims(reading):
        why = aim.overruled(found)
        if why and reading.job.steps:
            remedy = (
                ChangeAim("way", "auto", "As it fits", aim.id) if aim.kind == "stick" else Show("aim", "Choose another way")
            )
            yield Finding(
                f"stick.refused.{aim.disk}",
                "warn",
                f"This machine would not start stick {aim.disk}",
                f"{aim.images[0].name if len(aim.images) == 1 else 'Its menu'}: {why}. It is made all the same, for another machine.",
                (),
                (remedy,),
            )


@check
def left_out(reading: Reading) -> Iterator[Finding]:
    """Images of the pile that are on no stick."""
    for aim, found in _aims(reading):
        from inkshelf.core.aims.sticks import LEFT_OUT

        for name, why in aim.left_out(found).items() if reading.job.steps else ():
            if why != LEFT_OUT:
                yield Finding(
                    f"stick.left.{name}",
                    "note",
                    f"{name} is left out",
                    f"Best use of the room: {why}.",
                    (),
                    (Show("media", "Look at the sticks"),),
                )


@check
def menu_starts_it_not(reading: Reading) -> Iterator[Finding]:
    """Images on a stick with many that its menu does not start."""
    brought = _brought(reading)
    if not brought:
        return
    from inkshelf.core.media.material import starts_from_file
    from inkshelf.core.steps.kinds import PutImage

    put = [step for step in brought if isinstance(step, PutImage) and not step.image.told]
    lying = [(step, why) for step in put if (why := starts_from_file(step.image))]
    if lying:
        names = few(dict.fromkeys(step.image.name for step, _ in lying), 3)
        reasons = "; ".join(dict.fromkeys(why for _, why in lying))
        yield Finding(
            "stick.unstarted",
            "warn",
            f"{'Images do' if lying[1:] else f'{names} does'} not start from the menu",
            f"{f'{names} lie' if lying[1:] else 'It lies'} there as files: {reasons}.",
            tuple(dict.fromkeys(step.call for step, _ in lying)),
            (Show("aim", "Give it a stick of its own"),),
        )


@check
def label_is_looked_for(reading: Reading) -> Iterator[Finding]:
    """A menu that looks for a label which the file system of the stick does not bear."""
    brought = _brought(reading)
    if not brought:
        return
    from inkshelf.core.aims.sticks import fat_label
    from inkshelf.core.steps.kinds import CopyFiles

    labels = {step.call: step.label for step in reading.job.steps if isinstance(step, Format) and step.filesystem == "fat32"}
    for step in brought:
        if not isinstance(step, CopyFiles) or step.tops is not None:
            continue  # of a stick in two parts the large volume bears it
        sought = step.image.live.label if step.image.live else ""
        if sought and step.call in labels and labels[step.call] != sought:
            yield Finding(
                f"stick.label.{step.call}",
                "warn",
                f"The menu of {step.image.name} looks for another label",
                f"It looks for “{sought}”; FAT32 bears “{fat_label(sought, labels[step.call])}”. Change it in the menu's lines on the stick, or write the image as it is.",
                (step.call,),
                (Show("aim", "Choose another way"),),
            )


@check
def too_slow(reading: Reading) -> Iterator[Finding]:
    """A stick that is too slow for what is to live on it, or of which nobody knows."""
    least = int(table("defaults")["stick_speed"]["keeping_small"])
    for aim, disk in _sticks(reading):
        small = disk.stick.small if disk.stick else 0
        if aim.kind == "keep" and 0 < small < least:
            yield Finding(
                f"stick.slow.{disk.id}",
                "warn",
                f"Stick {disk.id} is slow for a system that keeps changes",
                f"It writes {decimal(small)} a second in small pieces; below {decimal(least)} the live system stands still while it does.",
                (),
                (Show("aim", "Choose a live stick, or a faster one"),),
            )
        elif disk.stick and disk.stick.slow:
            yield Finding(
                f"stick.slows.{disk.id}",
                "note",
                f"Stick {disk.id} becomes slower",
                f"After {both(disk.stick.slows_after)} in one go it writes {decimal(disk.stick.slow)} a second: that is in the times.",
                (),
                (Show("sheet", "Look at the times"),),
            )


@check
def stick_holds_another_family(reading: Reading) -> Iterator[Finding]:
    """A job that makes its own stick, with nothing on it that could install what the job installs."""
    held = [step.image for step in _brought(reading)]
    if not held:
        return
    from inkshelf.core.media.material import families_of

    steps = reading.job.steps
    brought = {family for image in held for family in families_of(image)}
    missing = {step.family: step.title for step in steps if isinstance(step, Install) and step.family not in brought}
    if not missing or not all(families_of(image) for image in held):
        return
    titles = " and ".join(missing.values())
    yield Finding(
        "stick.family",
        "warn",
        f"No image on the stick installs {titles}",
        f"{', '.join(dict.fromkeys(image.name for image in held))}: of another family. The step that installs {titles} has nothing to start from.",
        (),
        (Show("media", "Add its installer"),),
    )


@check
def stick_is_no_part_of_it(reading: Reading) -> Iterator[Finding]:
    """A job needs a stick that is only told of, and one is plugged in that could be planned with it."""
    free = next((one.id for one in reading.plan.found.disks if one.stick), "")
    if medium_asked(reading.job.steps) and free:
        yield Finding(
            "stick.apart",
            "note",
            "The installer's stick is no part of this job yet",
            f"Stick {free} is plugged in: put the image on it in this job: it is made first, and its steps, times and checks stand on the sheet.",
            (),
            (Show("media", "Add the image"),),
        )
