"""Captured boot variables: what ``efibootmgr -v`` prints, from old and new versions."""

from __future__ import annotations

import re

from inkshelf.core.errors import CaptureError
from inkshelf.core.machine.state import BootEntry, Firmware, Leads
from inkshelf.core.texts import shown
from inkshelf.core.value import replace
from inkshelf.data import exact

ENTRY = re.compile(
    r"^Boot([0-9A-Fa-f]{4})(\*?) ([^\t]*?)(?:\t|\s{2,}|\s(?=(?:HD|PciRoot|File|VenHw|BBS|Acpi|FvVol|FvFile|USB|CDROM|MAC)\()|$)(.*)$"
)
HEX_GUID = r"[0-9A-Fa-f]{8}-(?:[0-9A-Fa-f]{4}-){3}[0-9A-Fa-f]{12}"
WHOLE = r"0x[0-9A-Fa-f]{1,15}|[0-9]{1,18}"
DRIVE = re.compile(rf"HD\(([0-9]{{1,9}}),(?:(GPT),({HEX_GUID})|(MBR),(?:0x)?([0-9A-Fa-f]{{1,8}})),({WHOLE}),({WHOLE})\)")
FILE = re.compile(r"\bFile\(([^)]*)\)|/(\\[^\t]*?\.efi|\\[^\t]*)", re.IGNORECASE)
MARKS: tuple[tuple[str, Leads], ...] = (
    (r"\bHD\(", "partition"),
    (r"\bBBS\(", "legacy"),
    (r"\bFv(?:Vol|File)?\(", "firmware"),
    (r"\b(?:MAC|IPv4|IPv6|Uri)\(", "network"),
    (r"\bUsb(?:Class|Wwid)\(", "usb"),
    (r"^(?:File\(|\\)", "file"),
)
"""Nodes of a path in words, the most telling first."""
LONGEST = 4096
LONGEST_LIMIT = 0xFFFF  # seconds, in sixteen bits
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
    limit = re.match(r"(\d{1,5})\b", heads.get("Timeout", ""))
    return Firmware(
        "uefi",
        None,
        tuple(entries),
        order,
        following[0] if following else None,
        True,
        int(limit.group(1)) if limit and int(limit.group(1)) <= LONGEST_LIMIT else None,
    )


def _numbers(text: str) -> tuple[int, ...]:
    parts = [one.strip() for one in text.split(",") if one.strip()]
    if not all(re.fullmatch(r"[0-9A-Fa-f]{4}", one) for one in parts):
        raise CaptureError(f"“{text}” is not a list of boot entries.", "Capture efibootmgr -v again.")
    return tuple(int(one, 16) for one in parts)


def _leads(path: str) -> Leads:
    """What a path in words names; the most telling node of it decides."""
    if not path.strip():
        return "unknown"
    return next((leads for mark, leads in MARKS if re.search(mark, path)), "device")


def _entry(match: re.Match[str]) -> BootEntry:
    number, star, title, path = match.groups()
    path = path[:LONGEST]  # what is longer is no path, and a search in it takes the square of its length
    said = shown(path.strip())[:LONGEST]
    made = BootEntry(int(number, 16), shown(title.strip())[:LONGEST], active=star == "*", leads=_leads(path), device=said)
    made = replace(made, application=made.leads == "firmware" and exact("firmware", "shell") not in path.lower())
    drive, file = DRIVE.search(path), FILE.search(path)
    if drive:
        place, _, guid, _, mark, start, size = drive.groups()
        made = replace(
            made,
            partition_number=int(place),
            partition_guid=(guid or "").upper(),
            signature=(mark or "").upper().rjust(8, "0") if mark else "",
            start_lba=_whole(start),
            size_lba=_whole(size),
        )
    elif made.leads == "partition":
        made = replace(made, leads="unknown")  # of a partition that is not named in a way that anybody could look for
    named = (file.group(1) or file.group(2) or "") if file else ""
    return replace(made, path=shown(named)[:LONGEST])


def _whole(text: str) -> int:
    return int(text, 16) if text.startswith("0x") else int(text)
