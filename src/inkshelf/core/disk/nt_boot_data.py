"""The NT family's boot data as it lies on a start-up volume: a hive of objects with numbered elements, both ways.

Which systems its menu lists in which order, which one begins by itself, how long it waits; each system by the volume that it lies on
(GPT: the partition's GUID; MBR: the disk's signature and the volume's first byte) or by the disk file. Objects, elements and the form
of a device are known from published descriptions; a device of another form leads nowhere that is known.
"""

from __future__ import annotations

import re
import struct
import uuid
from collections.abc import Iterable

from inkshelf.core.disk import hive
from inkshelf.core.disk.contents import BootFile
from inkshelf.core.disk.hive import HiveData, HiveKey
from inkshelf.core.disk.menus import ELSEWHERE
from inkshelf.core.errors import FormatError
from inkshelf.core.texts import shown
from inkshelf.core.value import Value
from inkshelf.data import exact

PATH_IN_DATA = (
    rb"(?:\x5c\x00(?:[\x20-\x5b\x5d-\x7e]\x00){1,120}){1,12}"  # compiled at first use: the window waits for this module
)
TITLE, DEVICE, SYSTEM_DEVICE = "12000004", "11000001", "21000001"  # elements of a system
DEFAULT, ORDER, SECONDS = "23000003", "24000001", "25000004"  # and of the menu
MANAGER_TYPE, SYSTEM_TYPE, MENU_WAITS = 0x10100002, 0x10200003, 30
DEVICE_HEAD = struct.Struct("<16sIIII")  # options, kind, flags, bytes from the kind on, unused
PLACE = struct.Struct(
    "<16sII16s16s"
)  # of a partition: GUID or first byte; kind of disk, of table; the disk's GUID or signature
PARTITION, FILE, ON_GPT, ON_MBR = 6, 0, 0, 1
MOST = 64  # systems that are looked at


class NtSystem(Value, frozen=True):
    """One system of the menu: its title, and what it lies on (``targets`` as those of a ``BootFile``; empty: not known)."""

    title: str
    targets: tuple[str, ...] = ()


class BootData(Value, frozen=True):
    """The menu: its systems in their order, the place of the one that begins by itself (``None``: none of them), and for how many seconds it waits (``None``: it does not say)."""

    systems: tuple[NtSystem, ...] = ()
    default: int | None = 0
    seconds: int | None = None


def on_mbr(signature: str, start: int) -> str:
    """Return how boot data's target names a volume of an MBR: by the disk's signature (eight hexadecimal digits) and its first byte."""
    return f"{signature.lower()}@{start}"


def read(raw: bytes) -> BootData:
    """Return what boot data says; raises ``FormatError`` where it cannot be read."""
    objects = hive.read(raw).key("Objects")
    manager = objects.key(exact("nt", "boot_manager_guid")) if objects else None
    if objects is None or manager is None:
        raise FormatError("A hive that is no boot data.")
    order = _element(manager, ORDER)
    listed = tuple(one.lower() for one in order.texts) if order else ()
    chosen = _element(manager, DEFAULT)
    first = chosen.text.lower() if chosen else next(iter(listed), "")
    if first and first not in listed:
        listed = (first, *listed)  # it begins although no menu shows it
    waits = _element(manager, SECONDS)
    seconds = int.from_bytes(waits.raw[:8], "little") if waits else None
    systems = tuple(_system(objects.key(one)) for one in listed[:MOST])
    return BootData(systems, listed.index(first) if first in listed[:MOST] else None, seconds)


def _element(of: HiveKey, code: str) -> HiveData | None:
    key = of.key("Elements", code)
    return key.value("Element") if key else None


def _system(found: HiveKey | None) -> NtSystem:
    if found is None:
        return NtSystem("")
    title = _element(found, TITLE)
    held = [_element(found, code) for code in (SYSTEM_DEVICE, DEVICE)]
    targets = next((named for one in held if one and (named := device_targets(one.raw))), ())
    return NtSystem(shown(title.text)[:200] if title else "", targets)


def device_targets(raw: bytes) -> tuple[str, ...]:
    """Return what the device of an element is: a volume, or disk files; empty where its form is another."""
    if len(raw) < DEVICE_HEAD.size:
        return ()
    if DEVICE_HEAD.unpack_from(raw)[1] != PARTITION:
        return disk_files(raw)
    if len(raw) < DEVICE_HEAD.size + PLACE.size:
        return ()
    place, _, table, disk, _ = PLACE.unpack_from(raw, DEVICE_HEAD.size)
    if table == ON_GPT:
        return (str(uuid.UUID(bytes_le=place)).upper(),)
    if table == ON_MBR:
        return (on_mbr(f"{int.from_bytes(disk[:4], 'little'):08x}", int.from_bytes(place[:8], "little")),)
    return ()


def disk_files(content: bytes) -> tuple[str, ...]:
    """Disk files that bytes name: their paths stand in them as text, two bytes a character."""
    paths = (one.decode("utf-16-le") for one in re.findall(PATH_IN_DATA, content))
    ending = exact("disk_files", "ending")
    return tuple(dict.fromkeys(one for one in paths if one.lower().endswith(ending)))


def boot_data_file(path: str, size: int, content: bytes, known_guids: Iterable[str] = ()) -> BootFile:
    """Return the start-up file that boot data is.

    Where it cannot be read it is searched for ``known_guids`` and disk files, and which of several begins is not known.
    """
    try:
        said = read(content)
    except (FormatError, struct.error, ValueError):
        named = tuple(one for one in known_guids if one and uuid.UUID(one).bytes_le in content)
        targets = (*named, *disk_files(content))
        return BootFile(path, "nt-boot-data", size, None, targets, begins=ELSEWHERE if len(targets) > 1 else "")
    targets = tuple(dict.fromkeys(target for one in said.systems for target in one.targets))
    first = said.systems[said.default].targets[:1] if said.default is not None else ()
    begins = ELSEWHERE if said.systems and not first else "" if first == targets[:1] else first[0]
    return BootFile(path, "nt-boot-data", size, None, targets, begins=begins)


def build(data: BootData, size: int) -> bytes:
    """Return boot data of ``size`` bytes that says this; raises ``FormatError`` where it needs more."""
    keys = [f"{{{uuid.uuid5(uuid.NAMESPACE_OID, f'{number} {one}')}}}" for number, one in enumerate(data.systems)]
    objects = [_object(key, SYSTEM_TYPE, _of_system(one)) for key, one in zip(keys, data.systems, strict=True)]
    menu = [(TITLE, hive.TEXT, _text("stand-in boot manager")), (ORDER, hive.TEXTS, b"".join(map(_text, keys)) + b"\0\0")]
    if data.default is not None and keys:
        menu.append((DEFAULT, hive.TEXT, _text(keys[data.default])))
    if data.seconds is not None:
        menu.append((SECONDS, hive.BINARY, data.seconds.to_bytes(8, "little")))
    objects.append(_object(exact("nt", "boot_manager_guid"), MANAGER_TYPE, menu))
    raw = hive.build(HiveKey("stand-in", keys=(HiveKey("Description"), HiveKey("Objects", keys=tuple(objects)))), size)
    if len(raw) > size:
        raise FormatError(f"Boot data of {len(data.systems)} systems needs more than {size} bytes.")
    return raw


def _text(words: str) -> bytes:
    return words.encode("utf-16-le") + b"\0\0"


def _of_system(one: NtSystem) -> list[tuple[str, int, bytes]]:
    raw = device(one.targets[0]) if one.targets else b""
    return [(code, hive.BINARY, raw) for code in (DEVICE, SYSTEM_DEVICE) if raw] + [(TITLE, hive.TEXT, _text(one.title))]


def _object(key: str, kind: int, elements: list[tuple[str, int, bytes]]) -> HiveKey:
    made = tuple(HiveKey(code, (HiveData("Element", form, raw),)) for code, form, raw in elements)
    described = HiveKey("Description", (HiveData("Type", hive.NUMBER, kind.to_bytes(4, "little")),))
    return HiveKey(key, keys=(described, HiveKey("Elements", keys=made)))


def device(target: str) -> bytes:
    """Return the device of an element that names a target: a volume by GUID, or by signature and first byte, or a disk file (our own form of it)."""
    if target.startswith("\\"):
        body = target.encode("utf-16-le") + b"\0\0"
        return DEVICE_HEAD.pack(b"", FILE, 0, 16 + len(body), 0) + body
    if "@" in target:
        signature, start = target.split("@")
        body = PLACE.pack(int(start).to_bytes(16, "little"), 0, ON_MBR, bytes.fromhex(signature)[::-1], b"")
    else:
        body = PLACE.pack(uuid.UUID(target).bytes_le, 0, ON_GPT, b"", b"")
    return DEVICE_HEAD.pack(b"", PARTITION, 0, 16 + len(body), 0) + body
