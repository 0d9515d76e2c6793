"""The capture kit: two short scripts that a person reads first and runs on the machine, and the one file that each of them leaves."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

from inkshelf.atomic import write_atomically
from inkshelf.core.errors import CaptureError
from inkshelf.core.machine.captured import Facts
from inkshelf.core.machine.state import Disk
from inkshelf.core.size import KIB
from inkshelf.core.texts import shown
from inkshelf.core.value import Value
from inkshelf.data import text

HEAD, MARK, VERSION = "inkshelf-capture", "== ", 1
SCRIPTS = ("capture-linux.sh", "capture-nt.ps1")
LARGEST_MEMORY = 1 << 50  # bytes


class Kit(Value, frozen=True):
    """One file of the kit: ``texts`` as base utilities printed them, ``disks`` that are read already, ``missing`` with the reasons.

    ``mount_table`` and ``release``: of the system that it was made in, as they stand there.
    """

    facts: Facts
    texts: tuple[str, ...] = ()
    disks: tuple[Disk, ...] = ()
    missing: tuple[str, ...] = ()
    mount_table: str = ""
    release: str = ""


def scripts() -> dict[str, str]:
    """Return the scripts by the name of their file. Exact strings of the NT family come from their one list."""
    from inkshelf.exchange.render import environment

    return {SCRIPTS[0]: text(f"templates/{SCRIPTS[0]}"), SCRIPTS[1]: environment().get_template(f"{SCRIPTS[1]}.j2").render()}


def save_scripts(folder: Path) -> list[Path]:
    """Write the scripts into a folder, which is made where it is not there; raises ``CaptureError`` where that cannot be."""
    made = []
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for name, body in scripts().items():
            write_atomically(folder / name, body.encode())
            made.append(folder / name)
    except OSError as error:
        raise CaptureError(f"{folder} cannot be written: {error.strerror}.", "Choose another folder.") from None
    return made


def is_capture(captured: str) -> bool:
    """Tell whether a text is a file of the kit."""
    head = captured.lstrip("\ufeff \r\n\t")[:4096]
    return head.startswith(HEAD) or (head.startswith("{") and f'"{HEAD}"' in captured)


def read_kit(captured: str) -> Kit:
    """Return what a file of the kit says; raises ``CaptureError`` where it is cut short or of a version to come."""
    body = captured.lstrip("\ufeff \r\n\t")
    if body.startswith("{"):
        from inkshelf.exchange.ntcapture import read_nt

        return read_nt(_document(body))
    return _read_linux(body.replace("\r\n", "\n"))


def _document(body: str) -> dict[str, Any]:
    try:
        document = json.loads(body)
    except (ValueError, RecursionError):
        raise CaptureError("This capture is not whole: its JSON ends too early.", "Run the script again.") from None
    _refuse_version(document.get(HEAD) if isinstance(document, dict) else None)
    return document  # type: ignore[no-any-return]


def _refuse_version(version: object) -> None:
    if version != VERSION:
        raise CaptureError(
            f"This capture is of version {shown(str(version))[:20]}; this program reads {VERSION}.",
            "Make the kit with this program and capture again.",
        )


def _read_linux(body: str) -> Kit:
    first, _, rest = body.partition("\n")
    version = first.removeprefix(HEAD).strip()
    _refuse_version(int(version) if version.isdigit() and len(version) < 9 else version)
    parts = [part.partition("\n") for part in re.split(rf"^{MARK}", rest, flags=re.MULTILINE)[1:]]
    names = [name.strip() for name, _, _ in parts]
    if not names or names[-1] != "end":
        raise CaptureError("This capture is not whole: its end is missing.", "Run the script again, and copy the whole file.")
    twice = next((name for at, name in enumerate(names) if name in names[:at]), "")
    if twice:
        raise CaptureError(f"“{shown(twice)[:40]}” stands twice in this capture.", "Run the script again into a new file.")
    held = {name: content for name, (_, _, content) in zip(names, parts, strict=True)}
    texts = [
        held[name] for name in names if name.split(" ")[0] in {"lsblk", "sfdisk", "blkid", "efibootmgr"} and held[name].strip()
    ]
    missing = [f"{name.removeprefix('missing ')}: {held[name].strip()}" for name in names if name.startswith("missing ")]
    return Kit(
        facts=_facts(held.get("facts", "")),
        texts=tuple(texts),
        missing=tuple(shown(one.replace("\n", " "))[:200] for one in missing),
        mount_table=held.get("fstab", ""),
        release=held.get("release", ""),
    )


def _facts(lines: str) -> Facts:
    said = dict(line.split("=", 1) for line in lines.splitlines() if "=" in line)
    mode, secure = said.get("firmware"), said.get("secure-boot")
    ram = said.get("memory-kib", "")
    bytes_ = int(ram) * KIB if ram.isdigit() and len(ram) < 16 else None
    return Facts(
        mode="uefi" if mode == "uefi" else "legacy" if mode == "legacy" else None,
        secure_boot="on" if secure == "on" else "off" if secure == "off" else None,
        ram_bytes=nominal(bytes_),
        mains={"1": True, "0": False}.get(said.get("mains", "")),
        maker=shown(" ".join(said[key].strip() for key in ("sys_vendor", "product_name") if said.get(key)))[:200],
    )


def nominal(size: int | None) -> int | None:
    """Return the memory as it is sold: what firmware and graphics keep back is not shown, so that it is rounded up to a whole GiB."""
    return None if size is None or not 0 < size < LARGEST_MEMORY else -(-size >> 30) << 30 if size >> 30 else size
