"""Captured boot variables: what ``efibootmgr -v`` prints, from old and new versions."""

from __future__ import annotations

import re

from inkshelf.core.errors import CaptureError
from inkshelf.core.machine.state import BootEntry, Firmware
from inkshelf.core.value import replace

ENTRY = re.compile(
    r"^Boot([0-9A-Fa-f]{4})(\*?) ([^\t]*?)(?:\t|\s{2,}|\s(?=(?:HD|PciRoot|File|VenHw|BBS|Acpi|FvVol|FvFile|USB|CDROM|MAC)\()|$)(.*)$"
)
DRIVE = re.compile(r"HD\((\d+),(GPT|MBR),([^,)]*),(0x[0-9A-Fa-f]+|\d+),(0x[0-9A-Fa-f]+|\d+)\)")
FILE = re.compile(r"File\((\\[^)]*)\)|/(\\[^\s]*?\.(?:efi|EFI))")
NUMBERS = re.compile(r"^(BootOrder|BootNext|BootCurrent|Timeout):\s*(.*)$")


def read_efibootmgr(text: str) -> Firmware:
    """Return the firmware's entries and order; disks are not known yet (see ``with_boot_variables``).

    Raises ``CaptureError`` where the text is something else, or its order names nothing that can be read.
    """
    entries: list[BootEntry] = []
    heads: dict[str, str] = {}
    for line in text.splitlines():
        number = NUMBERS.match(line.strip())
        entry = ENTRY.match(line.rstrip())
        if number:
            heads[number.group(1)] = number.group(2).strip()
        elif entry:
            entries.append(_entry(entry))
    if not heads and not entries:
        raise CaptureError(
            "This is not what efibootmgr -v prints.", "Capture it on the machine, as root: efibootmgr -v > entries.txt"
        )
    order = _numbers(heads.get("BootOrder", ""))
    following = _numbers(heads.get("BootNext", ""))
    return Firmware("uefi", None, tuple(entries), order, following[0] if following else None, True)


def _numbers(text: str) -> tuple[int, ...]:
    parts = [one.strip() for one in text.split(",") if one.strip()]
    if not all(re.fullmatch(r"[0-9A-Fa-f]{4}", one) for one in parts):
        raise CaptureError(f"“{text}” is not a list of boot entries.", "Capture efibootmgr -v again.")
    return tuple(int(one, 16) for one in parts)


def _entry(match: re.Match[str]) -> BootEntry:
    number, star, title, path = match.groups()
    made = BootEntry(int(number, 16), title.strip(), active=star == "*")
    drive, file = DRIVE.search(path), FILE.search(path)
    if drive:
        guid = drive.group(3).upper() if drive.group(2) == "GPT" else ""
        made = replace(
            made,
            partition_number=int(drive.group(1)),
            partition_guid=guid,
            start_lba=int(drive.group(4), 0),
            size_lba=int(drive.group(5), 0),
        )
    named = (file.group(1) or file.group(2)) if file else ""
    return replace(made, path=named.replace("/", "\\"))
