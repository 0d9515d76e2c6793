"""Made from defaults.toml by tools/figures.py: change that, and run make figures."""

from typing import Any

TABLE: dict[str, dict[str, Any]] = {
    "room": {
        "nt_system": {
            "floor": "64 GiB",
            "comfortable": "160 GiB",
            "reason": "system, page file, updates and the owner's programs",
        },
        "home": {"floor": "10 GiB", "comfortable": "30 GiB", "reason": "home grows: it takes what remains"},
        "efi_system": {
            "floor": "100 MiB",
            "floor_4096": "260 MiB",
            "comfortable": "300 MiB",
            "reason": "loaders only; below 65,525 clusters FAT32 is not read by firmware",
        },
        "linux_boot": {
            "floor": "600 MiB",
            "comfortable": "1 GiB",
            "reason": "three kernels with their initial images, and one more while they are renewed",
        },
        "nt_reserved": {
            "floor": "16 MiB",
            "comfortable": "16 MiB",
            "reason": "kept by the NT family for itself, after the EFI system partition and before the data",
        },
        "nt_recovery": {
            "floor": "600 MiB",
            "comfortable": "1 GiB",
            "reason": "the NT family's rescue system; 250 MiB stay free inside for its updates",
        },
        "shared_data": {
            "floor": "10 GiB",
            "comfortable": "100 GiB",
            "reason": "files that every system reads and writes; it takes what remains",
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
    "keeping": {
        "day": "150 MiB",
        "first": "500 MiB",
        "comfort": "4 GiB",
        "reason": "the first updates, then files and settings of a day's work",
    },
    "stick_speed": {
        "system_small": 10000000,
        "system_steady": 60000000,
        "keeping_small": 1500000,
        "reason": "a running system writes small pieces all the time: below this it stands still while it does",
    },
    "rates": {"internal_ssd": 400000000, "stick": 40000000, "usb2": 40000000, "usb3": 400000000, "human_margin": 0.25},
    "learned": {"longer": 0.25, "shops": 0.2, "jobs": 0.25, "stages": 0.4},
}
