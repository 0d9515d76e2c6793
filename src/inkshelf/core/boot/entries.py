"""Boot variables and the state's entries, one made of the other: what the state keeps of a load option, and what firmware is given for an entry."""

from __future__ import annotations

import re
from collections.abc import Mapping

from inkshelf.core.boot import paths
from inkshelf.core.boot.paths import Drive, Node, Path
from inkshelf.core.boot.variables import (
    ACTIVE,
    APPLICATION,
    HIDDEN,
    LoadOption,
    build_option,
    build_order,
    parse_option,
    parse_order,
)
from inkshelf.core.errors import FormatError
from inkshelf.core.machine.entries import entry_on
from inkshelf.core.machine.state import BootEntry, Disk, Firmware, Leads, Machine, Volume
from inkshelf.core.texts import shown
from inkshelf.data import exact

NAME = re.compile(r"^Boot([0-9A-F]{4})$")
NETWORK = {11, 12, 13, 24}  # of the messaging nodes: MAC, IPv4, IPv6, URI
USB_CLASSES = {15, 16}


def entry_of(number: int, option: LoadOption) -> BootEntry:
    """Return what the state keeps of a load option."""
    path = option.paths[0] if option.paths else ()
    drive, leads = paths.drive_of(path), _leads(path)
    shell = exact("firmware", "shell") in paths.words_of(path)
    return BootEntry(
        number,
        shown(option.title)[:4096],
        partition_number=drive.number if drive else 0,
        partition_guid=drive.identity if drive and drive.scheme == "gpt" else "",
        signature=drive.identity if drive and drive.scheme == "mbr" else "",
        start_lba=min(drive.start, 1 << 62) if drive else 0,
        size_lba=min(drive.size, 1 << 62) if drive else 0,
        path=paths.file_of(path)[:4096],
        active=option.active,
        hidden=bool(option.attributes & HIDDEN) and leads != "firmware",
        leads=leads,
        device=paths.words_of(path)[:4096],
        application=not option.ordinary or (leads == "firmware" and not shell),
    )


def _leads(path: Path) -> Leads:
    kinds = {(one.type, one.subtype) for one in path}
    if (paths.MEDIA, 1) in kinds:
        return "partition"
    if any(kind == paths.BBS for kind, _ in kinds):
        return "legacy"
    if kinds & {(paths.MEDIA, 6), (paths.MEDIA, 7)}:
        return "firmware"
    if kinds & {(paths.MESSAGING, one) for one in NETWORK}:
        return "network"
    if kinds & {(paths.MESSAGING, one) for one in USB_CLASSES}:
        return "usb"
    if path and (path[0].type, path[0].subtype) == (paths.MEDIA, 4):
        return "file"
    return "device" if path else "unknown"


def option_of(entry: BootEntry, device: tuple[Node, ...] = ()) -> LoadOption:
    """Return the load option of an entry: partition and file in the short form, or behind ``device``.

    Raises ``FormatError`` for an entry whose path the state does not hold whole.
    """
    nodes: list[Node] = [*device]
    if entry.leads == "partition":
        scheme, identity = ("gpt", entry.partition_guid) if entry.partition_guid else ("mbr", entry.signature)
        if not identity:
            raise FormatError(f"{entry.variable} names no partition.")
        nodes.append(paths.drive_node(Drive(entry.partition_number, entry.start_lba, entry.size_lba, scheme, identity)))  # type: ignore[arg-type]
    elif entry.leads != "file" and not device:
        raise FormatError(f"The path of {entry.variable} is not held whole.")
    nodes += [paths.file_node(entry.path)] if entry.path else []
    attributes = (ACTIVE if entry.active else 0) | (HIDDEN if entry.hidden else 0) | (APPLICATION if entry.application else 0)
    return LoadOption(entry.title, (tuple(nodes),), attributes)


def entry_to(
    machine: Machine, disk: Disk, volume: Volume, path: str, title: str, taken: frozenset[int] = frozenset()
) -> BootEntry:
    """Return a new entry that names a file on a volume, with the lowest number that is free."""
    used = {one.number for one in machine.firmware.entries} | taken
    number = next(one for one in range(0x10000) if one not in used)
    return entry_on(disk, volume, number, title, path)


def firmware_of(variables: Mapping[str, bytes]) -> Firmware:
    """Return the firmware that a set of variables says, by their names; a load option that cannot be read raises ``FormatError`` with its name."""
    entries = []
    for name in sorted(variables):
        match = NAME.match(name)
        if match is None:
            continue
        try:
            entries.append(entry_of(int(match.group(1), 16), parse_option(variables[name])))
        except FormatError as error:
            raise FormatError(f"{name}: {error.what}") from None
    following = parse_order(variables.get("BootNext", b""))
    secure = variables.get("SecureBoot")
    return Firmware(
        "uefi",
        None if secure is None else "on" if secure[:1] == b"\1" else "off",
        tuple(entries),
        parse_order(variables.get("BootOrder", b"")),
        following[0] if following else None,
        True,
        next(iter(parse_order(variables.get("Timeout", b""))), None),
    )


def variables_of(firmware: Firmware) -> dict[str, bytes]:
    """Return the variables of a firmware whose entries are held whole: options, order, next once."""
    made = {one.variable: build_option(option_of(one)) for one in firmware.entries}
    made["BootOrder"] = build_order(firmware.order)
    if firmware.next is not None:
        made["BootNext"] = build_order((firmware.next,))
    if firmware.timeout is not None:
        made["Timeout"] = build_order((firmware.timeout,))  # one number of 16 bits, too (3.3)
    return made


__all__ = ["entry_of", "entry_to", "firmware_of", "option_of", "variables_of"]
