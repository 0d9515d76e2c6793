"""Generated jobs about sticks: images of several makes, sticks of several sizes, every aim and way, cut at random writes."""

from __future__ import annotations

import os
import random
import subprocess
from functools import cache
from pathlib import Path

import isos
from cut_jobs import CutJobs
from inkshelf.bench import sticks
from inkshelf.bench.intake import take_in, with_stick
from inkshelf.core.aims import kind_of_aim
from inkshelf.core.aims.asking import answered
from inkshelf.core.aims.installer_set import InstallerSet
from inkshelf.core.aims.keeping import Keep
from inkshelf.core.aims.many import ManyImages
from inkshelf.core.aims.stick import Stick
from inkshelf.core.aims.sticks import use_files
from inkshelf.core.aims.two_part import TwoPart
from inkshelf.core.errors import InkshelfError
from inkshelf.core.machine.state import StickFacts
from inkshelf.core.media.material import Image
from inkshelf.core.plan import document
from inkshelf.core.plan.job import Job, and_aim
from inkshelf.core.size import MIB
from inkshelf.core.value import replace
from inkshelf.exchange.images import for_job

SIZES = {"roomy": 1_200 * MIB, "small": 420 * MIB + 512 * 77, "two": 700 * MIB}
KINDS = (Stick, ManyImages, Keep, TwoPart, InstallerSet)
MOUNTS = os.access("/dev/fuse", os.R_OK | os.W_OK)  # filling NTFS needs it, and says so where it is not there


def stick_job(folder: Path, sizes: tuple[int, ...], *, mode: str = "uefi", fill: bool = False) -> Job:
    """A job with sticks from M on, each a sparse file; ``fill``: something is on the first one."""
    use_files(for_job)
    folder.mkdir(parents=True, exist_ok=True)
    job = take_in([], mode=mode, secure_boot="off", title="sticks", seed="sticks", alone=True)  # type: ignore[arg-type]
    for number, size in enumerate(sizes):
        one = sticks.Simulated(f"stick-{number}", size, "Testling", f"T-{number}")
        sticks.make(folder, (one,))
        path = folder / f"{one.name}{sticks.IMAGE}"
        if fill and not number:
            _filled(path)
        facts = StickFacts("usb3", 40_000_000, 2_000_000, real_size=size)
        job = with_stick(job, sticks.as_disk(one, path, facts, failing=False), path)
    return job


def _filled(path: Path) -> None:
    """An old data stick: an MBR with a FAT32, a file in it, and rubbish at its end."""
    size = path.stat().st_size
    subprocess.run(
        ["sfdisk", "--quiet", "--no-tell-kernel", "--no-reread", path],
        input=f"label: dos\nstart=2048,size={size // 512 - 4096},type=c\n",
        text=True,
        check=True,
    )
    subprocess.run(
        ["mkfs.fat", "-F", "32", "--offset", "2048", path, str((size // 512 - 4096) // 2)], check=True, capture_output=True
    )
    with path.open("r+b") as out:
        out.seek(size - 1024)
        out.write(b"EFI PART" + b"rubbish" * 50)


@cache
def images_in(folder: Path) -> tuple[Image, ...]:
    """Five images: hybrid, plain, with UDF, one whose loader is not signed, one without a loader."""
    folder.mkdir(parents=True, exist_ok=True)
    tree = isos.tree(folder / "tree")
    esp = isos.start_up(folder / "esp", tree / "EFI/BOOT/BOOTX64.EFI")
    made = [isos.make(way, tree, folder / f"{name}.iso", esp=esp if way == "hybrid" else None) for way, name in MAKES]
    other = isos.tree(folder / "other", signed=False)
    (other / "boot/grub/grub.cfg").write_text(isos.MENU.replace("boot=live", "boot=casper"))
    made.append(isos.make("both", other, folder / "Ember Rescue (2).iso"))
    bare = isos.tree(folder / "bare", loaders=())
    made.append(isos.make("rock ridge", bare, folder / "knot.iso"))
    return tuple(for_job(str(one)) for one in made)


MAKES = (("hybrid", "heron"), ("udf", "alder"), ("both", "quill"))


def random_stick_job(found: Job, images: tuple[Image, ...], dice: random.Random) -> Job:
    """Return the job with one aim or two about its sticks that can be planned, answers at random."""
    job = found
    for _ in range(dice.randint(1, 2)):
        kind = dice.choice(KINDS)
        chosen = dice.sample(images, dice.randint(1, len(images)) if kind in {ManyImages, InstallerSet} else 1)
        aim = replace(kind(), images=tuple(chosen), disk=dice.choice(job.found.disks).id)
        for question in aim.questions(job.found):
            values = [one.value for one in question.answers if MOUNTS or one.value not in {"ntfs", "bridge"}]
            if question.key in {"disk", "image"} or not values or dice.random() < 0.4:
                continue
            said = ",".join(dice.sample(values, 1)) if question.kind != "size" else f"{dice.randint(100, 700)}MiB"
            try:
                aim = answered(aim, job.found, question.key, said)
            except InkshelfError:
                continue
        wider = and_aim(job, aim)
        job = job if wider.plan_fault else wider
    return job


class StickJobs(CutJobs):
    """Jobs about sticks instead of steps by hand."""

    def _taken_in(self, key: str) -> Job:
        sizes = (SIZES[key], SIZES[key] + 31 * MIB) if key == "two" else (SIZES[key],)
        return stick_job(self.folder / key, sizes, mode="legacy" if key == "small" else "uefi", fill=key == "roomy")

    def job(self, dice: random.Random) -> Job:
        """Return a job about sticks."""
        job = random_stick_job(self.found(dice.choice(sorted(SIZES))), images_in(self.folder / "images"), dice)
        assert document.load(document.dump(job)) == job, "what is saved can be opened again"
        return job


def wanted(job: Job, kind: str, images: tuple[Image, ...], **said: object) -> Job:
    made = and_aim(job, replace(kind_of_aim(kind)(), images=images, **said))
    assert not made.plan_fault
    return made
