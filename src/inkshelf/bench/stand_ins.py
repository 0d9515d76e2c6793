"""Small stand-ins for files that real systems bring: loaders, boot data, a menu's configuration.

They carry what the reader looks at (PE header with or without a security directory, partition GUIDs, UUIDs) and nothing that runs.
"""

from __future__ import annotations

import struct
import uuid


def loader(words: str, *, signed: bool, size: int = 64 << 10) -> bytes:
    """Return ``size`` bytes of a PE32+ image that starts nothing: headers, a security directory if signed, what it stands for."""
    certificate = f"stand-in signature for {words}".encode().ljust(512, b"\0") if signed else b""
    body_size = size - len(certificate)
    optional = bytearray(240)
    struct.pack_into("<H", optional, 0, 0x20B)
    struct.pack_into("<I", optional, 108, 16)
    if signed:
        struct.pack_into("<II", optional, 112 + 4 * 8, body_size, len(certificate))
    coff = struct.pack("<HHIIIHH", 0x8664, 0, 0, 0, 0, len(optional), 0x22)
    head = b"MZ" + bytes(58) + struct.pack("<I", 64) + b"PE\0\0" + coff + bytes(optional)
    return (head + b"\nstand-in: " + words.encode()).ljust(body_size, b"\0") + certificate


def boot_data(disk_guid: str, partition_guid: str) -> bytes:
    """Return NT boot data that names a system volume by disk and partition GUID, as raw bytes."""
    return (
        b"regf stand-in boot data".ljust(4096, b"\0")
        + uuid.UUID(disk_guid).bytes_le
        + uuid.UUID(partition_guid).bytes_le
        + bytes(4064)
    )


def menu_config(root_uuid: str, title: str, others: tuple[tuple[str, str], ...], size: int = 0) -> bytes:
    """Return a menu that loads a kernel by file-system UUID and chains the ``others`` (title, loader path), filled up to ``size``."""
    lines = [
        f"# start-up menu of {title}",
        "set timeout=8",
        f'menuentry "{title}" {{',
        f"  search --fs-uuid --set=root {root_uuid}",
        f"  linux /boot/vmlinuz root=UUID={root_uuid} ro",
        "  initrd /boot/initrd.img",
        "}",
    ]
    for name, path in others:
        lines += [f'menuentry "{name}" {{', f"  chainloader {path.replace(chr(92), '/')}", "}"]
    return ("\n".join(lines) + "\n").encode().ljust(size, b"\n")


def mount_table(lines: tuple[str, ...]) -> bytes:
    """Return an fstab of these lines."""
    return ("\n".join(["# what  where  file system and options  dump  check", *lines]) + "\n").encode()


def release_file(title: str) -> bytes:
    """Return the file by which a Linux-family system says its name."""
    return f'PRETTY_NAME="{title}"\nID=standin\n'.encode()
