"""What an image holds, in lines for a person: how it starts, what it needs, what is wrong with it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from inkshelf.core.media.material import Image
from inkshelf.core.size import both, decimal, grouped

if TYPE_CHECKING:
    from inkshelf.exchange.images import Looked

KINDS = {"iso": "disc image", "raw": "disk image", "packed": "compressed", "unknown": "nothing that is known here"}


def head_of(image: Image) -> str:
    """Return what it is, and how large."""
    name = KINDS[image.kind] + (f" “{image.label}”" if image.label else "")
    return f"{name}, {both(image.size)} ({grouped(image.size)} B)"


def facts_of(looked: Looked) -> Iterator[str]:
    """Yield what it holds, line by line; what is wrong with it first."""
    image = looked.image
    if image.fault:
        yield f"cannot be read: {image.fault}"
    if image.missing:
        yield f"CUT SHORT: {grouped(image.missing)} B are missing at its end; get it again"
    yield from _starts(image)
    yield from _holds(image)
    for one in looked.editions:
        yield f"edition {one.index}: {one.name}" + (f", unpacks to {both(one.size_bytes)}" if one.size_bytes else "")


def sum_words(state: dict[str, Any] | None) -> str:
    """Return how it stands against a published sum, as ``images --json`` has it (``None``: nothing was published)."""
    if state is None:
        return "WARNING: no checksum is known for it; a source without one is not to be trusted"
    if state["agrees"]:
        return f"{state['method']} agrees: {state['found']}"
    return f"{state['method'].upper()} DIFFERS: published {state['published']}, this file has {state['found']}"


def lines_of(looked: Looked, state: dict[str, Any] | None) -> Iterator[str]:
    """Yield all of it in lines."""
    yield f"{looked.image.name}: {head_of(looked.image)}"
    yield from (f"  {one}" for one in (*facts_of(looked), sum_words(state)))


def progress_words(done: int, whole: int, seconds: float) -> str:
    """Return how far a checksum is: bytes, speed, time left."""
    speed = done / seconds if seconds > 0 else 0.0
    left = f", {max(1, round((whole - done) / speed))} s left" if speed and done < whole else ""
    return f"{decimal(done)} of {decimal(whole)}" + (f" at {decimal(int(speed))} a second{left}" if speed else "")


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
        yield f"legacy way: {'yes' if image.legacy else 'no'}; written to a stick as it is, it bears {' and '.join(image.table).upper() or 'no table and does not start'}"
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
