"""What an image holds, in lines for a person: how it starts, what it needs, what is wrong with it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from inkshelf.core.media.image import Image
from inkshelf.core.size import both, grouped

if TYPE_CHECKING:
    from inkshelf.exchange.images import Looked

KINDS = {"iso": "disc image", "raw": "disk image", "packed": "compressed", "unknown": "nothing that is known here"}


def lines_of(looked: Looked, state: dict[str, Any] | None) -> Iterator[str]:
    """Yield the lines; ``state``: how it stands against a published sum, as ``images --json`` has it (``None``: nothing was published)."""
    image = looked.image
    name = f"{image.name}: {KINDS[image.kind]}" + (f" “{image.label}”" if image.label else "")
    yield f"{name}, {both(image.size)} ({grouped(image.size)} B)"
    if image.fault:
        yield f"  cannot be read: {image.fault}"
    if image.missing:
        yield f"  CUT SHORT: {grouped(image.missing)} B are missing at its end; get it again"
    yield from (f"  {line}" for line in _starts(image))
    yield from (f"  {line}" for line in _holds(image))
    for one in looked.editions:
        yield f"  edition {one.index}: {one.name}" + (f", unpacks to {both(one.size_bytes)}" if one.size_bytes else "")
    if state is None:
        yield "  WARNING: no checksum is known for it; a source without one is not to be trusted"
    elif state["agrees"]:
        yield f"  {state['method']} agrees: {state['found']}"
    else:
        yield f"  {state['method'].upper()} DIFFERS: published {state['published']}, this file has {state['found']}"


def _starts(image: Image) -> Iterator[str]:
    if image.kind == "packed" and image.packing:
        size = (
            both(image.packing.unpacked) if image.packing.unpacked is not None else "not said by the format: unpack it to know"
        )
        yield f"packed as {image.packing.packing}; unpacked: {size}"
        return
    for one in image.loaders:
        where = "in its EFI system partition" if one.inside else "among its files"
        yield f"UEFI, {one.width}: loader {where}, {'signed' if one.signed else 'NOT signed: Secure Boot refuses it'}"
    if image.kind == "iso":
        yield f"legacy: {'yes' if image.legacy else 'no'}; as it is on a stick: {' and '.join(image.table).upper() or 'does not start, it is no hybrid'}"
        if not image.loaders and not image.legacy:
            yield "nothing in it starts a machine"


def _holds(image: Image) -> Iterator[str]:
    if image.largest is not None:
        yield f"{grouped(image.files)} files, {both(image.payload)}; the largest: {image.largest[0]}, {both(image.largest[1])}"
    for path, size in image.over:
        yield f"larger than FAT32 holds: {path}, {both(size)}"
    if image.udf:
        yield "its files are on UDF: a host that reads ISO 9660 alone does not see them"
    if image.live is not None:
        looks = f", its menu looks for the label {image.live.label}" if image.live.label else ""
        yield f"live system: {image.live.kernel}" + (f" with {image.live.initial}" if image.live.initial else "") + looks
    if image.install is not None:
        yield f"install image: {image.install[0]}, {both(image.install[2])}"
