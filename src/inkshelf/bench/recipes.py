"""Made-up machines from recipes: built on first use from the demo disk, from nothing, or by the bench itself; sparse, in seconds."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Literal

from inkshelf.bench import demo, tools
from inkshelf.bench.inker import ink
from inkshelf.bench.intake import take_in
from inkshelf.core.aims import kind_of_aim
from inkshelf.core.boot.entries import entry_to
from inkshelf.core.checks import findings
from inkshelf.core.errors import BenchError
from inkshelf.core.machine.state import Conditions
from inkshelf.core.plan.job import Job, Override, and_aim, left_by, with_found
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GB, GIB
from inkshelf.core.value import Value, replace
from inkshelf.data import exact

LOST_LOADER = f"\\EFI\\linux\\{exact('paths', 'first_stage_x64')}"
Said = tuple[str, dict[str, str]]
"""A kind of aim, and what is answered to its questions; the rest is as usual."""


class Label(Value, frozen=True):
    """Who a disk is: what an image cannot tell."""

    model: str
    serial: str
    transport: str = "nvme"
    removable: bool = False
    device: str = ""


def wanting(job: Job, *aims: Said) -> Job:
    """Return the job with these aims, one behind the other."""
    for kind, said in aims:
        job = and_aim(job, kind_of_aim(kind).usual_on(left_by(job), said))
    return job


def blank(path: Path, size: int) -> Path:
    """Make a disk with nothing on it, where it is not there yet."""
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("wb") as out:
            out.truncate(size)
    return path


def inked(path: Path, size: int, *aims: Said, mode: Literal["uefi", "legacy"] = "legacy") -> Path:
    """Make a disk of a machine that starts in this mode, with what these aims put on it, by inking them; where it is not there yet."""
    if path.exists():
        return path
    bare, folder = blank(path.with_suffix(".bare"), size), path.with_suffix(".bench")
    job = wanting(take_in([bare], mode=mode, secure_boot="off", ram_bytes=8 * GIB, seed=path.stem), *aims)
    stops = [one for one in findings(read(job)) if one.severity == "stop" and not one.final]
    report = ink(replace(job, overrides=tuple(Override(one.key, "a recipe") for one in stops)), folder)
    if not report.verified:
        raise BenchError(f"The recipe of {path.name} did not come out as planned.", "Build it again.")
    Path(report.images[0]).rename(path)
    shutil.rmtree(folder)
    bare.unlink()
    return path


def two_disks(folder: Path) -> Job:
    """A desk with a system on one disk, and a new one beside it: a disk of its own, data shared by all, the gap given back."""
    images = [demo.build(folder)[0], blank(folder / "sales-desk-second.img", 256 * GB)]
    labels = (
        Label(demo.MODEL, demo.SERIAL, device="/dev/nvme0n1"),
        Label("Plover C2", "PC-2204-71", "sata", device="/dev/sda"),
    )
    job = _job(images, labels, "sales desk", "Osprey and Daughter", "uefi", 16)
    return wanting(
        job,
        ("own-disk", {"share": "ntfs", "encryption": "all", "home": "apart", "size": "136GiB"}),
        ("give-back", {"to": "S1"}),
    )


def no_stick(folder: Path) -> Job:
    """A laptop without a port that works: the installer starts from the disk itself, and its volume is given back."""
    job = _job(
        [demo.build(folder)[0]],
        (Label(demo.MODEL, "WN08-9022-A", device="/dev/nvme0n1"),),
        "library laptop",
        "Tarn School",
        "uefi",
        8,
    )
    return wanting(job, ("no-stick", {"home": "apart", "size": "120GiB"}))


def travelling(folder: Path) -> Job:
    """A system that goes along on an external disk, with a volume that every machine reads."""
    images = [demo.build(folder)[0], blank(folder / "harbour-external.img", 128 * GB)]
    labels = (
        Label(demo.MODEL, "WN08-7710-F", device="/dev/nvme0n1"),
        Label("Dunlin S1", "0C-5518", "usb", removable=True, device="/dev/sdb"),
    )
    job = _job(images, labels, "harbour office", "Mire Ferries", "uefi", 16)
    return wanting(job, ("travelling", {"share": "exfat"}))


def removal(folder: Path) -> Job:
    """A crowded disk that starts the legacy way: the old system goes, the one that stays moves to the front and takes the room."""
    image = inked(folder / "till.img", 200 * GB, ("clean", {"systems": "nt-old,linux-legacy", "table": "mbr"}))
    job = _job(
        [image], (Label("Heron HD-200", "HH-31-0047", "sata", device="/dev/sda"),), "till 2", "Coppice Dairy", "legacy", 4
    )
    return wanting(job, ("remove", {"system": "S1", "room": "grow"}))


def mending(folder: Path) -> Job:
    """Four systems on three disks, one external, one of the legacy way, Secure Boot on: a folder was tidied away, and the desk goes straight into the NT family."""
    images = [
        _tidied(folder / "atlas-desk.img"),
        inked(folder / "atlas-desk-old.img", 160 * GB, ("clean", {"systems": "linux-legacy", "table": "mbr"})),
        inked(folder / "atlas-desk-road.img", 128 * GB, ("travelling", {"disk": "A", "system": "linux-light"}), mode="uefi"),
    ]
    labels = (
        Label(demo.MODEL, "WN08-6604-B", device="/dev/nvme0n1"),
        Label("Heron HD-160", "HH-29-1180", "sata", device="/dev/sda"),
        Label("Dunlin S1", "0C-7023", "usb", removable=True, device="/dev/sdb"),
    )
    job = _job(images, labels, "atlas desk", "Fenmark Maps", "uefi", 16)
    disk = job.found.disks[0]
    paths = ((exact("paths", "nt_loader"), "NT loader"), (LOST_LOADER, "Linux desktop"))
    entries = tuple(
        replace(entry_to(job.found, disk, disk.volumes[0], path, title), number=number)
        for number, (path, title) in enumerate(paths)
    )
    firmware = replace(job.found.firmware, entries=entries, order=(1, 0), entries_known=True)
    job = with_found(job, replace(job.found, firmware=firmware))
    legacy = Override("start.none.S3", "the old system is started the legacy way, twice a year, by switching the firmware over")
    return wanting(replace(job, overrides=(legacy,)), ("mend", {"seen": "other", "system": "S2"}))


def _tidied(image: Path) -> Path:
    """A disk with two systems whose EFI system partition somebody has cleared of what they did not know."""
    if not image.exists():
        whole = inked(
            image.with_name("atlas-whole.img"), 256 * GB, ("clean", {"systems": "nt-desktop,linux-desktop"}), mode="uefi"
        )
        start = take_in([whole]).found.disks[0].volumes[0].start
        tools.run("mdeltree", "-i", f"{whole}@@{start}", "::" + LOST_LOADER.rsplit("\\", 1)[0].replace("\\", "/"))
        whole.rename(image)
    return image


def bag_of_sticks(folder: Path) -> Job:
    """Sticks and images: many on one, a set of installers on another."""
    from inkshelf.bench import stick_recipes

    return stick_recipes.bag_of_sticks(folder)


def _job(images: list[Path], labels: tuple[Label, ...], title: str, owner: str, mode: str, ram: int) -> Job:
    known = Conditions(mains=True, backup="made", encrypted=False)
    job = take_in(
        images,
        mode="legacy" if mode == "legacy" else "uefi",
        secure_boot="on" if mode == "uefi" else "absent",
        ram_bytes=ram * GIB,
        conditions=known,
        title=title,
        owner=owner,
        seed=title.replace(" ", "-"),
    )
    disks = tuple(
        replace(disk, model=one.model, serial=one.serial, transport=one.transport, removable=one.removable, device=one.device)
        for disk, one in zip(job.found.disks, labels, strict=True)
    )
    return with_found(job, replace(job.found, disks=disks))
