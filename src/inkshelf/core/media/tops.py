"""What the top folders of an image take when their files are copied: by it a stick is sized, and a two-part stick is parted. Sizes in bytes."""

from __future__ import annotations

from collections.abc import Iterable

from inkshelf.core.media.entries import Entry
from inkshelf.core.media.material import CLUSTERS, Top, top_of

MOST = 200  # top folders; what is beyond them counts as one


def top_told(size: int, largest: int) -> Top:
    """Return what an image takes that is only told of: as one file."""
    return Top("", 1, 0, size, largest, tuple(-(-size // cluster) * cluster for cluster in CLUSTERS))


def tops_of(listed: Iterable[Entry]) -> tuple[Top, ...]:
    """Return the top folders of an image, by name."""
    held: dict[str, list[Entry]] = {}
    for one in listed:
        key = top_of(one.path).lower()
        held.setdefault(key if key in held or len(held) < MOST else "", []).append(one)
    return tuple(_top(top_of(files[0].path) if key else "", files) for key, files in sorted(held.items()))


def _top(name: str, files: list[Entry]) -> Top:
    folders = {one.path.lower().rsplit("/", 1)[0] for one in files}
    for folder in tuple(folders):
        parts = folder.split("/")
        folders |= {"/".join(parts[:end]) for end in range(2, len(parts))}
    return Top(
        name,
        len(files),
        len(folders - {""}),
        sum(one.size for one in files),
        max(one.size for one in files),
        tuple(sum(-(-one.size // cluster) * cluster for one in files) for cluster in CLUSTERS),
    )
