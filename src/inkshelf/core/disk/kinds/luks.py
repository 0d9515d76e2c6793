"""LUKS containers, versions 1 and 2: what is inside is nobody's to read without the key."""

from __future__ import annotations

from typing import TYPE_CHECKING

from inkshelf.core.disk.contents import FileSystem
from inkshelf.core.disk.kinds.base import Kind, Make
from inkshelf.core.draw import file_system_uuid
from inkshelf.core.errors import StepError
from inkshelf.core.size import MIB
from inkshelf.core.value import replace

if TYPE_CHECKING:
    from inkshelf.core.disk.probe import Contents
    from inkshelf.core.disk.source import ByteSource


def _fresh(size: int, label: str, uuid: str, sector: int) -> FileSystem:
    return FileSystem(kind="luks", size_bytes=size, label=label, uuid=uuid, smallest_why="inside first")


def _resized(system: FileSystem, size: int) -> FileSystem:
    """Its partition may grow; what is inside follows where it is unlocked."""
    if size < system.size_bytes:
        raise StepError("LUKS container cannot be resized.", "Shrink what is inside it first, with its own tools.")
    return replace(system, size_bytes=size)


def _probe(source: ByteSource, known_guids: tuple[str, ...]) -> Contents | None:
    from inkshelf.core.disk.others import probe_luks
    from inkshelf.core.disk.probe import Contents

    found = probe_luks(source)
    return Contents(found) if found else None


def _make(make: Make) -> tuple[str, ...]:
    options = f"--type luks2 --uuid {make.uuid}{make.option('--label')}"
    return (f"cryptsetup luksFormat {options} {make.node}  # asks for the owner's passphrase, twice",)


def _label(node: str, label: str) -> tuple[str, ...]:
    return (f"cryptsetup config {node} --label {label}",)


def _renew(node: str, uuid: str) -> tuple[str, ...]:
    return (f"cryptsetup luksUUID {node} --uuid {uuid}",)


KIND = Kind(
    "luks",
    "LUKS container",
    rank=70,
    listed=("crypto_LUKS",),
    probe=_probe,
    label_units=47,
    label_bytes=True,
    smallest=17 * MIB,
    fresh=_fresh,
    resized=_resized,
    grows_itself="cryptsetup resize",
    identity=file_system_uuid,
    make_lines=_make,
    make_tools=("cryptsetup",),
    label_lines=_label,
    renew_lines=_renew,
    payload=16 * MIB,
    container=True,
    encrypted=True,
    renewable=True,
)
