"""Ask a volume's own structures what it holds: file system, start-up files, an installed system."""

from __future__ import annotations

import re
import struct
from collections.abc import Iterator

from inkshelf.core.disk import exfat, ext, fat, lvm, ntfs
from inkshelf.core.disk.others import probe_marks, probe_swap
from inkshelf.core.disk.source import ByteSource
from inkshelf.core.errors import FormatError
from inkshelf.core.machine.state import BootFile, FileSystem, Inside, SystemRoot
from inkshelf.core.value import Value
from inkshelf.data import exact

UUID_TEXT = re.compile(r"[0-9a-fA-F]{8}-(?:[0-9a-fA-F]{4}-){3}[0-9a-fA-F]{12}")
CHAINED = re.compile(r"chainloader\s+(?:\([^)]*\))?(\S+)")


class Contents(Value, frozen=True):
    """What a volume holds; ``fault`` says in words what could not be read."""

    filesystem: FileSystem | None = None
    boot_files: tuple[BootFile, ...] = ()
    holds: SystemRoot | None = None
    fault: str = ""


def probe(source: ByteSource, known_guids: tuple[str, ...] = ()) -> Contents:
    """Return a volume's contents. ``known_guids``: partition GUIDs that NT boot data may name. Never raises for bad bytes."""
    try:
        return _probe(source, known_guids)
    except FormatError as error:
        return Contents(probe_marks(source) or FileSystem("damaged", source.size), fault=f"{error.what} {error.remedy}".strip())
    except (struct.error, ValueError, IndexError, OverflowError) as error:
        return Contents(
            FileSystem("damaged", source.size), fault=f"Its structures make no sense ({error}). Let its own system check it."
        )


def _physical_volume(source: ByteSource) -> FileSystem | None:
    pv = lvm.open_pv(source)
    if pv is None:
        return None
    held = []
    for name, own, data, whole in lvm.logical_volumes(pv, source):
        system = probe(data).filesystem if whole and not isinstance(source, lvm.Mapped) else None
        facts = (system.kind, system.label, system.uuid) if system else ("", "", own)
        held.append(Inside(name, data.size, *facts))
    return lvm.facts(pv, tuple(held))


def _probe(source: ByteSource, known_guids: tuple[str, ...]) -> Contents:
    group = _physical_volume(source)
    if group:
        return Contents(group)
    found = ntfs.probe(source)
    if found:
        facts, names = found
        telling = {exact("nt", key).lower() for key in ("hibernation_file", "page_file", "system_folder")}
        return Contents(facts, holds=SystemRoot("nt", "NT family", True) if telling & names.keys() else None)
    linux = ext.probe(source)
    if linux:
        return Contents(linux, tuple(_linux_files(source)), _linux_root(source))
    flash = exfat.probe(source)
    if flash:
        return Contents(flash)
    swap = probe_swap(source)
    if swap:
        return Contents(swap)
    table = fat.layout(source)
    small = fat.probe(source) if table else None
    if table and small:
        return Contents(small, tuple(_boot_files(source, table, known_guids)))
    return Contents(probe_marks(source))


def _linux_root(source: ByteSource) -> SystemRoot | None:
    volume = ext.open_ext(source)
    release = ext.lookup(volume, exact("linux", "release_file")) if volume else None
    if volume is None or release is None:
        return None
    text = ext.read_inode(volume, release, 65536).decode("utf-8", "replace")
    title = re.search(r'^PRETTY_NAME="?([^"\n]*)"?', text, re.MULTILINE)
    boot = ext.lookup(volume, exact("linux", "boot_folder"))
    kernels = (
        []
        if boot is None
        else [n for name, n in ext.folder(volume, boot).items() if name.startswith(exact("linux", "kernel_prefix"))]
    )
    signed = any(pe_signed(ext.read_inode(volume, number, 4096)) for number in kernels) if kernels else None
    return SystemRoot("linux", title.group(1) if title else "Linux family", signed, _mounts(volume))


def _linux_files(source: ByteSource) -> Iterator[BootFile]:
    """The menu's configuration and the entry files on an ext volume: a root, or a boot loader's own partition."""
    volume = ext.open_ext(source)
    if volume is None:
        return
    paths = [(exact("linux", "menu_config"), "menu-config")]
    for base in exact("linux", "entry_folders").split():
        number = ext.lookup(volume, base)
        names = ext.folder(volume, number) if number else {}
        paths += [(f"{base}/{name}", "entry") for name in sorted(names) if name.endswith(exact("linux", "entry_ending"))]
    for path, kind in paths:
        number = ext.lookup(volume, path)
        if number is not None:
            content = ext.read_inode(volume, number, 1 << 18)
            yield BootFile(path, kind, len(content), None, _targets(kind, content, ()))


def _mounts(volume: ext.Ext) -> tuple[tuple[str, str], ...]:
    node = ext.lookup(volume, exact("linux", "mount_table"))
    if node is None:
        return ()
    lines = ext.read_inode(volume, node, 65536).decode("utf-8", "replace").splitlines()
    fields = [line.split() for line in lines if line.strip() and not line.lstrip().startswith("#")]
    return tuple((one[0], one[1]) for one in fields if len(one) >= 2)


def pe_signed(head: bytes) -> bool:
    """Tell whether a PE image carries a signature: its security directory is not empty (PE format, optional header)."""
    if len(head) < 64 or head[:2] != b"MZ":
        return False
    at = struct.unpack_from("<I", head, 60)[0]
    if at + 24 > len(head) or head[at : at + 4] != b"PE\0\0":
        return False
    wide = head[at + 24 : at + 26] == b"\x0b\x02"
    entry = at + 24 + (112 if wide else 96) + 4 * 8
    return len(head) >= entry + 8 and bool(struct.unpack_from("<II", head, entry)[1])


def _boot_files(source: ByteSource, table: fat.FatLayout, known_guids: tuple[str, ...]) -> list[BootFile]:
    nodes = [node for node in fat.listing(source, table) if not node.folder]
    kinds: dict[bytes, str] = {}
    found = []
    fallbacks = {exact("paths", key).lower() for key in ("fallback_x64", "fallback_ia32", "fallback_aa64")}
    for node in sorted(nodes, key=lambda one: one.path.lower() in fallbacks):  # fallbacks last: they are copies of a known one
        kind = _kind(node.path)
        if not kind:
            continue
        content = fat.read_file(source, table, node)
        if node.path.lower() in fallbacks:
            kind = kinds.get(content, "loader")
        elif kind != "menu-config":
            kinds[content] = kind
        signed = pe_signed(content) if node.path.lower().endswith(".efi") else None
        found.append(BootFile(node.path, kind, node.size, signed, _targets(kind, content, known_guids)))
    return sorted(found, key=lambda one: one.path.lower())


def _kind(path: str) -> str:
    low, name = path.lower(), path.lower().rsplit("\\", 1)[-1]
    if low == exact("paths", "nt_loader").lower():
        return "nt-loader"
    if low == exact("paths", "nt_boot_data").lower():
        return "nt-boot-data"
    if low.startswith(exact("paths", "entry_folder")) and low.endswith(exact("linux", "entry_ending")):
        return "entry"
    named = {
        exact("paths", "first_stage_x64"): "first-stage",
        exact("paths", "menu_x64"): "menu",
        exact("paths", "menu_config"): "menu-config",
    }
    return named.get(name, "loader" if name.endswith(".efi") else "")


def _targets(kind: str, content: bytes, known_guids: tuple[str, ...]) -> tuple[str, ...]:
    """NT boot data holds partition GUIDs as 16 raw bytes; a menu's configuration names file systems by UUID and chains loaders."""
    import uuid

    if kind == "nt-boot-data":
        return tuple(guid for guid in known_guids if guid and uuid.UUID(guid).bytes_le in content)
    if kind in {"menu-config", "entry"}:
        text = content.decode("utf-8", "replace")
        chained = [one.replace("/", "\\") for one in CHAINED.findall(text)]
        return tuple(dict.fromkeys([one.lower() for one in UUID_TEXT.findall(text)] + chained))
    return ()
