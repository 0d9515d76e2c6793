"""How an image comes onto a stick so that this machine starts it: each way with what it needs, what it starts, and why it would not do here."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

from inkshelf.core.machine.state import Machine
from inkshelf.core.media.material import FAT32_MOST, PART, Image, Loader
from inkshelf.core.size import MIB, align_up, binary
from inkshelf.core.value import Value
from inkshelf.data import table

Key = Literal["raw", "files", "split", "bridge"]
FILES: Key = "files"
ORDER: tuple[Key, ...] = ("raw", "files", "split", "bridge")
SLACK, BRIDGE = 64 * MIB, 64 * MIB


class Way(Value, frozen=True):
    """One way. ``bytes``: what it takes of a stick. ``table`` and ``file_system`` of the stick (empty: as the image has them).

    ``starts``: in words, what the firmware finds; ``reason``: what speaks for it. ``fault``: why it does not do for this image on this
    machine (empty: it does); ``impossible``: it cannot be made at all, whoever wishes it.
    """

    key: Key
    title: str
    bytes: int
    table: str
    file_system: str
    starts: str
    reason: str
    fault: str = ""
    impossible: bool = False


def ways(image: Image, machine: Machine) -> tuple[Way, ...]:
    """Return every way, those that do for this machine first, the usual one in front."""
    made = [make(image, machine) for make in (_raw, _files, _split, _bridge)]
    return tuple(sorted(made, key=lambda one: (bool(one.fault), ORDER.index(one.key))))


def chosen(image: Image, machine: Machine) -> Way | None:
    """Return the way that is usual for an image on a machine, or ``None`` where none does."""
    first = ways(image, machine)[0]
    return None if first.fault else first


def minutes(way: Way) -> float:
    """Return the minutes of writing and of checking, two passes, at the speed of an ordinary stick."""
    rates = table("defaults")["rates"]
    return 2 * way.bytes / float(rates["stick"]) / 60


def _whole(image: Image) -> str:
    """Why an image cannot be used at all."""
    if image.missing:
        return f"the image is cut short: {binary(image.missing)} are missing"
    if image.fault:
        return f"the image cannot be read: {image.fault}"
    if image.kind == "packed":
        return "it is compressed: unpack it first"
    if image.kind == "unknown":
        return "it is no image that is known here"
    return ""


def _fitting(loaders: tuple[Loader, ...], machine: Machine) -> tuple[list[Loader], str]:
    """The loaders that this machine's UEFI starts, and why there is none."""
    narrow = machine.conditions.cpu_bits == 32
    wide = [one for one in loaders if one.width == ("ia32" if narrow else "x64")]
    if not loaders:
        return [], "it has no loader for UEFI"
    if not wide:
        return [], f"its loaders are for {', '.join(sorted({one.width for one in loaders}))}, not for this processor"
    signed = [one for one in wide if one.signed]
    if machine.firmware.secure_boot == "on" and not signed:
        return [], "its loader bears no signature, and Secure Boot is on"
    return signed or wide, ""


def _for_machine(image: Image, machine: Machine, *, legacy: bool, inside: bool) -> tuple[str, str]:
    """What a stick made so would start, and why this machine would not start it.

    ``inside``: firmware finds the loaders in the embedded EFI system partition, and does not read the disc's own files; else among the files.
    """
    loaders = tuple(one for one in image.loaders if one.inside == inside)
    fitting, why = _fitting(loaders, machine)
    found = [f"UEFI, {', '.join(sorted({one.width for one in loaders}))}"] if loaders else []
    found += ["the legacy way"] if legacy else []
    words = " and ".join(found) or "nothing"
    if machine.firmware.mode == "legacy":
        return words, "" if legacy else "it does not start the legacy way, as this machine does"
    if machine.firmware.mode == "uefi":
        return words, why
    return words, "" if fitting or legacy else why


def refused_copied(image: Image, machine: Machine) -> str:
    """Return why this machine would not start an image whose files are copied (empty: it does)."""
    return _for_machine(image, machine, legacy=False, inside=False)[1]


def refused_menu(machine: Machine) -> str:
    """Return why this machine would not start a stick by the loaders of a menu of our own (empty: it does, or its mode is not known)."""
    if machine.firmware.mode == "legacy":
        return "its loaders start by UEFI only, and this machine starts the legacy way"
    return "its loaders are for 64-bit processors" if machine.conditions.cpu_bits == 32 else ""


def _raw(image: Image, machine: Machine) -> Way:
    disk = image.kind == "raw"
    legacy = image.legacy and "mbr" in image.table
    starts, fault = ("as the image has it", "") if disk else _for_machine(image, machine, legacy=legacy, inside=True)
    if image.kind == "iso" and not image.hybrid:
        fault = "it is a disc only: written to a stick as it is, nothing starts"
    return Way(
        "raw",
        "as it is, byte by byte",
        image.size,
        " and ".join(image.table).upper(),
        "",
        starts,
        "as its maker means it: every byte can be compared. The stick holds nothing else afterwards.",
        _whole(image) or fault,
        bool(_whole(image)) or image.as_disk is None,
    )


def _files(image: Image, machine: Machine) -> Way:
    fault = ""
    if image.over:
        path, size = image.over[0]
        fault = f"{path} has {binary(size)}, and FAT32 holds {binary(FAT32_MOST, 2)} at most"
    reason = "every firmware reads it, and files can be added."
    return _copied(image, machine, "files", "its files on FAT32", reason, fault)


def _split(image: Image, machine: Machine) -> Way:
    fault = ""
    if not image.over:
        fault = "no file of it is too large for FAT32: there is nothing to split"
    elif image.told:
        fault = "whether its installer joins parts is not known before the image is here"
    elif image.install is None or [path for path, _ in image.over] != [image.install[0]] or not image.splits:
        fault = f"{image.over[0][0]} is not a payload that its installer joins again"
    parts = f"{-(-image.over[0][1] // PART)} parts" if image.over else "parts"
    reason = "its own installer joins the parts; Secure Boot stays on."
    return _copied(image, machine, "split", f"its files on FAT32, the payload in {parts}", reason, fault)


def _bridge(image: Image, machine: Machine) -> Way:
    refused = machine.firmware.secure_boot == "on"
    fault = "the driver on its bridge bears no signature, and Secure Boot is on" if refused else ""
    reason = "files of any size; the bridge's driver is not signed."
    return _copied(image, machine, "bridge", "its files on NTFS, with a small FAT32 bridge in front", reason, fault)


def _copied(image: Image, machine: Machine, key: Key, title: str, reason: str, fault: str) -> Way:
    """A way in which the image's files are copied; firmware finds its loaders among them."""
    starts, _ = _for_machine(image, machine, legacy=False, inside=False)
    bridge = key == "bridge"
    return Way(
        key,
        title,
        _with_slack(image.payload) + (BRIDGE if bridge else 0),
        "GPT" if machine.firmware.mode == "uefi" else "MBR",
        "ntfs" if bridge else "fat32",
        f"{starts}, by the entry of the small volume" if bridge else starts,
        reason,
        _whole(image) or _listed(image) or fault or refused_copied(image, machine),
        bool(_whole(image) or _listed(image) or (fault and key != "bridge")),
    )


def _listed(image: Image) -> str:
    return "" if image.files else "its files cannot be listed"


def _with_slack(payload: int) -> int:
    """A twentieth more for the file system, and a little to write in."""
    return align_up(payload + payload // 20 + SLACK, MIB)


def lines_of(image: Image, machine: Machine, stick: int | None) -> Iterator[str]:
    """Yield the ways in lines; ``stick``: the size of the one that is at hand, in bytes."""
    for number, one in enumerate(ways(image, machine)):
        if one.fault:
            yield f"not {one.title}: {one.fault}"
            continue
        head = "usual here" if not number else "also possible"
        yield f"{head}: {one.title}; starts {one.starts}; {one.reason}"
        lacks = one.bytes - stick if stick is not None else 0
        took = minutes(one)
        time = f"about {took:.0f} min" if took >= 1 else "less than a minute"
        room = f"it takes {binary(one.bytes)}, {time} to write and check"
        yield f"  {room}" + (f"; the stick is {binary(lacks)} too small" if lacks > 0 else "")
    if chosen(image, machine) is None:
        yield "no way makes a stick of it that this machine starts"
