"""Default figures. Every one is a default with a reason, not a law; edit a copy, not the program."""

from __future__ import annotations

from typing import Any

TABLE: dict[str, dict[str, Any]] = {
    "room": {
        "nt_system": {
            "floor": "64 GiB",
            "comfortable": "160 GiB",
            "reason": "system, page file, updates and the owner's programs",
        },
        "linux_desktop": {
            "floor": "24 GiB",
            "comfortable": "80 GiB",
            "reason": "root with home: twice the installed size, at least 24 GiB",
        },
        "linux_root": {
            "floor": "20 GiB",
            "comfortable": "50 GiB",
            "reason": "root alone; add 20 GiB for snapshots or a rolling release",
        },
        "home": {"floor": "10 GiB", "comfortable": "30 GiB", "reason": "home grows: it takes what remains"},
        "efi_system": {
            "floor": "100 MiB",
            "floor_4096": "260 MiB",
            "comfortable": "300 MiB",
            "reason": "loaders only; below 65,525 clusters FAT32 is not read by firmware",
        },
    },
    "reserve": {
        "bytes": "20 GiB",
        "share": 0.15,
        "reason": "free on the old system after a shrink: at least max(20 GiB, 15 % of its new size)",
    },
    "swap": {"hibernate_reason": "the whole memory plus its square root", "largest_sqrt": 8},
    "medium": {
        "image": "4 GiB",
        "fixed_minutes": 8,
        "reason": "finding the right stick, listing it twice, then two passes over the image: writing and checking",
    },
    "rates": {  # bytes a second, for time estimates
        "internal_ssd": 400_000_000,
        "stick": 40_000_000,
        "human_margin": 0.25,
    },
}
