"""What a person makes sure of, prepares and looks at."""

from __future__ import annotations

from inkshelf.core.boot.legacy import BY_CHOICE
from inkshelf.core.boot.mishaps import STANDING
from inkshelf.core.boot.rehearse import BY_ITSELF, outcome
from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.machine.profiles import profile
from inkshelf.core.machine.state import Volume
from inkshelf.core.sheet.scene import Scene
from inkshelf.core.sheet.telling.base import Words, told
from inkshelf.core.size import binary, parse_size
from inkshelf.core.steps.kinds import Confirm, Install, Prove
from inkshelf.core.value import replace
from inkshelf.data import exact, table

ROOT_SHARE = 20  # one block in so many is kept for the administrator on ext
CONFIRM = {
    "consent": Words(
        "Safety",
        "The owner agrees in writing to what this sheet says",
        look="Name, date, signature at the foot of the sheet.",
        minutes=2,
    ),
    "backup": Words(
        "Safety",
        "Back-up made and read back",
        (("open from it", "three files of different kinds"),),
        "They open on another machine.",
        "A copy that nobody has opened is not a back-up.",
        minutes=10,
    ),
    "recovery_key": Words(
        "Safety",
        "Encryption looked up; recovery key at hand if there is any",
        (("key kept", "on paper, away from this machine"),),
        "The key's first eight digits match the identifier that the machine shows.",
        minutes=4,
    ),
    "key_kept": Words(
        "Safety",
        "Passphrase known to its owner, and a copy of the container's header kept elsewhere",
        (
            ("the header's copy", "onto another medium: in a live system it lies in memory only"),
            ("passphrase", "typed twice by its owner, written down once, away from this machine"),
        ),
        "The file is 16 MiB; the passphrase opens the container once more after it was closed.",
        "Whoever holds the header's copy and an old passphrase opens the container: keep both as one keeps a key.",
        minutes=4,
    ),
    "host_fit": Words(
        "Safety",
        "The volume that is to hold the file is neither compressed nor encrypted",
        (("as administrator: compressed?", exact("nt", "compressed")), ("encrypted?", exact("nt", "encryption_listing"))),
        "The first says that new files are not compressed; the second lists the volume as decrypted.",
        "A file inside a compressed or encrypted volume does not start.",
        minutes=3,
    ),
    "file_stays": Words(
        "Tidy",
        "The file stays where it is: its owner knows",
        (("in the new system, as administrator: no hibernation", exact("nt", "hibernation_off")),),
        "It says nothing, and the menu no longer offers it.",
        "Never move, rename or delete the file, nor compress the volume: the second system is that file. Later upgrades of it are often refused.",
        minutes=3,
    ),
    "mains": Words("Safety", "Mains connected, battery charging", look="The charging light is on.", minutes=1),
    "firmware_values": Words(
        "Firmware",
        "Write down what the firmware says, change nothing that is right",
        (("note", "Secure Boot, fast boot, boot order, which key opened it"),),
        "Leave without saving.",
        minutes=5,
    ),
    "medium": Words(
        "Medium",
        "Installer stick written and checked; every other removable unplugged",
        (("note", "image, checksum, size of the stick"),),
        "The stick's own check passes.",
    ),
    "material_newest": Words(
        "Material",
        "Image of the newest release from its maker's own site, its checksum compared",
        (
            ("address", "typed, not from an advert: look-alike sites exist"),
            ("release", "the newest one: its date, and until when it is kept up, noted for the owner"),
            ("checksum", "of the file as it lies here"),
        ),
        "The checksum is the one that the maker publishes, all of it.",
        "An image without a published checksum is not what this sheet was made for.",
        minutes=6,
    ),
    "material": Words(
        "Material",
        "Image from its maker's own site, its checksum compared",
        (
            ("address", "typed, not from an advert: look-alike sites exist"),
            ("release", "the long-term one, where there is a choice"),
            ("checksum", "of the file as it lies here"),
        ),
        "The checksum is the one that the maker publishes, all of it.",
        "An image without a published checksum is not what this sheet was made for.",
        minutes=6,
    ),
    "live_stick": Words(
        "Medium",
        "A live stick of the Linux family is at hand, written and checked",
        (("note", "image, checksum, size of the stick"), ("every other removable", "unplugged")),
        "It starts on this machine; what is typed on a live system below is typed there, with nothing of the disk mounted.",
        minutes=6,
    ),
    "clock_back": Words(
        "Tidy",
        "The clock as the systems that stay expect it",
        (
            ("where the NT family stays", exact("nt", "clock_local")),
            ("where only the Linux family stays", exact("linux", "clock_utc")),
        ),
        "The time is right after a restart.",
        minutes=2,
    ),
    "live_start": Words(
        "Install",
        "Start from the stick, and choose to try it: nothing is installed",
        (("key for the one-time menu", "as noted with the firmware's values"),),
        "A desktop from the stick, slower than an installed one: that is normal.",
        "Do not press anything that is called install.",
        minutes=5,
    ),
    "live_check": Words(
        "Proof",
        "Go through the hardware, one line each",
        (
            ("works", "screen and its brightness, keyboard, pointer, network by cable and by air, sound in and out"),
            ("and", "camera, card reader, printer, a second screen, sleep and waking up, video without jerks"),
        ),
        "Live storage lies in memory, about half of it: what is downloaded or saved there is gone at the end.",
        "Speed of the disk, hibernation, and updates of the kernel cannot be tried this way.",
        minutes=20,
    ),
    "live_end": Words(
        "Proof",
        "Shut down, stick out, start the machine as it was",
        (("compare", "boot order and volumes with what was noted before"),),
        "Everything is as it was found: nothing was written.",
        minutes=4,
    ),
    "others_out": Words(
        "Safety",
        "Every disk but the one of this work and the medium out, or switched off in the firmware",
        (("off, unplugged, static discharged", "before a case is opened"),),
        "The installer's list shows one disk beside its own medium, of the size, model and serial of this sheet.",
        "Where one cannot be taken out: answer “hidden” under Aim, The other disks, and take the sheet anew.",
        minutes=8,
    ),
    "others_in": Words(
        "Tidy", "The other disks in again", look="The firmware lists all of them; the order is as on this sheet.", minutes=6
    ),
    "ports": Words(
        "Firmware",
        "Ports and external start looked up",
        (
            ("two at once", "one for the stick, one for the target"),
            ("external start", "allowed? which setting, and what it was"),
        ),
        "Some makers bar one port during an installation: change over if the target is not listed.",
        minutes=4,
    ),
    "target_in": Words(
        "Proof",
        "First start with the target plugged in, stick out",
        (("choose", "the external disk in the firmware's one-time menu"),),
        "It starts from the external disk; leave it plugged in until it says that it is down.",
        minutes=4,
    ),
    "disk_out": Words(
        "Proof",
        "Start once with the external disk out",
        look="The machine starts as it did before this work; nothing asks for the disk that is out.",
        minutes=4,
    ),
    "from_staging": Words(
        "Install",
        "Start the installer from the disk itself",
        (("in the firmware's one-time menu", "the entry of this sheet, or by partition where the menu shows no name"),),
        "The installer comes up without a stick. Its own volume is in use: it is not offered, or must not be chosen.",
        "Never format or delete the volume that it started from before the end.",
        minutes=5,
    ),
    "summary": Words(
        "Install",
        "Compare the installer's own summary with this sheet, line by line",
        look="Every volume and size is the same; nothing else is ticked to be formatted.",
        caution="Do not press the last button before every line agrees.",
        minutes=3,
    ),
    "clock": Words(
        "Tidy",
        "One clock convention for all systems",
        (("in the NT family", exact("nt", "clock_utc")),),
        "Both systems show the right time after a restart.",
        minutes=2,
    ),
    "recovery_stick": Words(
        "Medium",
        "A stick with the NT family's installer is at hand: its recovery opens a command line",
        (("note", "its release: not older than the system that is mended"), ("keyboard", "the owner's layout is chosen first")),
        "It starts on this machine, and offers to repair the computer beside installing.",
        "Do not press what installs. Where the machine's own recovery opens, that does as well.",
        minutes=6,
    ),
    "disk_seated": Words(
        "Safety",
        "The system's disk is seen: plugged in, its cables seated, listed by the firmware",
        (("off, unplugged, static discharged", "before a case is opened"),),
        "The firmware's settings list it with its size, model and serial.",
        "A disk that comes and goes is copied before anything is written to it.",
        minutes=8,
    ),
    "disk_first": Words(
        "Firmware",
        "The system's disk first in the firmware's list of disks",
        (("note", "the order as it was"),),
        "The list shows it first; the next start begins with it.",
        "Letters and numbers of disks may change with it: what is written by UUID stays true.",
        minutes=3,
    ),
    "plain_graphics": Words(
        "Entries",
        "Start once with plain graphics, put the driver right, start again",
        (
            ("Linux family, at the kernel's line", exact("linux", "plain_graphics")),
            ("NT family", "its start in safe mode, from its own screen"),
        ),
        "A picture comes, larger and slower than usual. The driver is updated or taken off there.",
        minutes=15,
    ),
    "boot_files_anew": Words(
        "Entries",
        "From the NT family's recovery: write its start-up files anew",
        (
            ("the legacy way, on its command line", exact("nt", "boot_files_legacy")),
            ("C: is", "the letter that the recovery gives to its volume: look first"),
        ),
        "It says that the boot files were made.",
        minutes=5,
    ),
    "tidy": Words(
        "Tidy",
        "Tidy up",
        (("put away", "the stick, the notes of firmware values, temporary passwords"),),
        "The machine starts with nothing plugged in.",
        minutes=4,
    ),
}


@told.register
def _confirm(step: Confirm, scene: Scene) -> Words:
    said = CONFIRM[step.subject]
    return replace(said, minutes=_stick_minutes()) if step.subject == "medium" else said


def _stick_minutes() -> float:
    """Finding the right stick, then two passes over the image: writing and checking."""
    image = parse_size(table("defaults")["medium"]["image"])
    return float(table("defaults")["medium"]["fixed_minutes"]) + 2 * image / float(table("defaults")["rates"]["stick"]) / 60


@told.register
def _prove(step: Prove, scene: Scene) -> Words:
    place = scene.at(step.call)
    volume = place[1] if place else None
    name = volume.holds.title if volume and volume.holds else step.call
    free = _free_words(volume)
    if step.when == "after shrinking":
        look = "It may check its disk once. Log in, open two files, shut down fully."
        return Words("Room", f"Start {name} ({step.call}) once and look", free, look, minutes=4)
    if step.when == "mended":
        seen = outcome(scene.before, step.call, STANDING[0])
        look = "Shut down fully and start twice more: it comes up each time. Log in, open two files."
        look += f" The rehearsal says: {seen.why}." if not seen.starts or seen.by_hand or not seen.sure else ""
        return Words(
            "Proof", f"Start {name} ({step.call}){_way(step.call, scene)}: it did not start before", free, look, minutes=6
        )
    if step.when == "before removing":
        look = (
            "By itself, without the menu of the system that goes. Log in, shut down fully. If it does not come up, stop here."
        )
        return Words("Proof", f"Start {name} ({step.call}) before anything is taken away", free, look, minutes=4)
    shown = "; the free space is about what is said here" if free else ""
    if step.when == "new":
        locked = bool(volume and volume.filesystem and KINDS[volume.filesystem.kind].encrypted)
        first = "It asks for its passphrase before anything else. " if locked else ""
        look = f"{first}Log in; network, sound, video, idle memory{shown}."
        return Words("Proof", f"Start {name} ({step.call}){_way(step.call, scene)}", free, look, minutes=4)
    look = f"Open old files and programs{shown}."
    return Words("Proof", f"Start {name} ({step.call}){_way(step.call, scene)}", free, look, minutes=4)


def _way(call: str, scene: Scene) -> str:
    """How a person gets there: nothing where it comes by itself, or nobody knows."""
    seen = outcome(scene.before, call, STANDING[0])
    systems = [one.holds for _, one in scene.before.volumes() if one.holds]
    code_only = scene.before.firmware.mode == "legacy" and not any(one.family == "linux" for one in systems)
    if not seen.starts or not seen.sure or seen.why == BY_ITSELF or (code_only and seen.why != BY_CHOICE):
        return ""  # the NT family's start code has no menu, but for that of its boot data
    return " from the firmware's one-time menu" if seen.by_hand else " from the menu"


def _free_words(volume: Volume | None) -> tuple[tuple[str, str], ...]:
    """What the system will say is free: ext keeps a share for the administrator."""
    free = free_of(volume) if volume else None
    return (("free space it shows, about", binary(free)),) if free is not None else ()


def free_of(volume: Volume, by: Volume | None = None) -> int | None:
    """Return the bytes that its own system shows as free in a volume, in a container in what it mounts of it; ``None`` where the use is not known.

    ``by``: the volume of the system that mounts it, where that is another one.
    """
    system, root = volume.filesystem, by or volume
    if system is None:
        return None
    if not KINDS[system.kind].container:
        return _free(system.kind, system.size_bytes, system.used_bytes)
    mounted = {what.removeprefix("UUID=") for what, where in (root.holds.mounts if root.holds else ()) if where.startswith("/")}
    each = [_free(one.kind, one.size_bytes, one.used_bytes) for one in system.inside if one.uuid in mounted]
    return sum(one or 0 for one in each) if each and None not in each else None


def _free(kind: str, size: int, used: int | None) -> int | None:
    kept = size // ROOT_SHARE if kind.startswith("ext") else 0
    return None if used is None else max(0, size - used - kept)


def installed(step: Install) -> float:
    """Return the minutes of an installation, as the profile says."""
    return float(profile(step.profile).minutes) if step.profile in table("profiles") else 25.0
