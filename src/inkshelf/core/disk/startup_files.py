"""A FAT volume, and the files on it that starting depends on."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial
from typing import NamedTuple

from inkshelf.core.disk import fat
from inkshelf.core.disk.contents import BootFile, FileKind
from inkshelf.core.disk.entry_files import menu_part
from inkshelf.core.disk.generations import told
from inkshelf.core.disk.nt_boot_data import boot_data_file
from inkshelf.core.disk.probe import Contents, pe_digest, pe_signed, pe_unfit
from inkshelf.core.disk.signatures import altered, marks_of, signers
from inkshelf.core.disk.source import ByteSource
from inkshelf.core.texts import shown
from inkshelf.core.value import replace
from inkshelf.data import exact

TEXTS: frozenset[FileKind] = frozenset({"menu-config", "entry", "entry-config"})


class Seen(NamedTuple):
    """A file of a start-up volume: its path as firmware writes it, its size, and how its first bytes are read."""

    path: str
    size: int
    read: Callable[[], bytes]


def contents(source: ByteSource, known_guids: tuple[str, ...]) -> Contents | None:
    """Return what a FAT volume holds, or ``None`` where it is not one. ``known_guids``: partition GUIDs that NT boot data may name."""
    table = fat.layout(source)
    found = fat.probe(source) if table else None
    if table is None or found is None:
        return None
    nodes = (node for node in fat.listing(source, table) if not node.folder)
    seen = (Seen(node.path, node.size, partial(fat.read_file, source, table, node)) for node in nodes)
    return Contents(found, boot_files(seen, known_guids))


def boot_files(seen: Iterable[Seen], known_guids: tuple[str, ...] = ()) -> tuple[BootFile, ...]:
    """Return the files that starting depends on, among all that a start-up volume, or an image that is copied to one, holds."""
    kinds: dict[bytes, FileKind] = {}
    found = []
    fallbacks = {exact("paths", key).lower() for key in ("fallback_x64", "fallback_ia32", "fallback_aa64")}
    seen = tuple(seen)
    there = {node.path.lower() for node in seen}
    for node in sorted(seen, key=lambda one: one.path.lower() in fallbacks):  # fallbacks last: they are copies of a known one
        kind = _kind(node.path)
        if kind is None:
            continue
        content = node.read()
        says, generation = told(content) if kind not in {*TEXTS, "nt-boot-data"} else (None, None)
        if node.path.lower() in fallbacks:
            kind = kinds.get(content, says or "loader")
        elif says and kind != "nt-loader":
            kind = says  # a first stage under another name is one
            kinds[content] = kind
        elif kind != "menu-config":
            kinds[content] = kind
        if shown(node.path) != node.path:
            continue  # no loader bears such a name
        if kind in TEXTS:
            part = menu_part(node.path, kind, content, node.size)
            found.append(replace(part, lacks=bool(part.program) and part.program.lower() not in there))
        else:
            found.append(replace(_file(node, kind, content, known_guids), generation=generation))
    return tuple(sorted(found, key=lambda one: one.path.lower()))


def _file(node: Seen, kind: FileKind, content: bytes, known_guids: tuple[str, ...]) -> BootFile:
    """A program, with who signed it, or NT boot data, with what it names."""
    if kind == "nt-boot-data":
        return boot_data_file(node.path, node.size, content, known_guids)
    if not node.path.lower().endswith(".efi"):
        return BootFile(node.path, kind, node.size)
    signed = pe_signed(content)
    held, digest = signers(content) if signed else (), pe_digest(content)
    return BootFile(
        node.path,
        kind,
        node.size,
        signed,
        unfit=pe_unfit(content),
        digest=digest,
        altered=bool(held) and altered(content, digest),
        signer=held[0].name if held else "",
        marks=marks_of(held),
    )


def _kind(path: str) -> FileKind | None:
    low, name = path.lower(), path.lower().rsplit("\\", 1)[-1]
    if low == exact("paths", "nt_loader").lower():
        return "nt-loader"
    if low in {exact("paths", key).lower() for key in ("nt_boot_data", "nt_boot_data_legacy")}:
        return "nt-boot-data"
    if low.startswith(exact("paths", "entry_folder")) and low.endswith(exact("linux", "entry_ending")):
        return "entry"
    if low == exact("paths", "entry_settings"):
        return "entry-config"
    named: dict[str, FileKind] = {
        exact("paths", "first_stage_x64"): "first-stage",
        exact("paths", "menu_x64"): "menu",
        exact("paths", "menu_config"): "menu-config",
        exact("paths", "entry_menu_x64"): "entry-menu",
    }
    return named.get(name, "loader" if name.endswith(".efi") else None)
