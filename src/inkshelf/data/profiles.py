"""What the planner must know of a kind of system. Made-up names, families only."""

from __future__ import annotations

from typing import Any

TABLE: dict[str, dict[str, Any]] = {
    "linux-desktop": {
        "title": "Linux desktop",
        "family": "linux",
        "folder": "linux",
        "installed": "9 GiB",
        "loaders": "24 MiB",
        "room": "linux_desktop",
        "root_label": "root",
        "signed": True,
        "minutes": 25,
    },
    "nt-desktop": {
        "title": "NT desktop",
        "family": "nt",
        "folder": "nt",
        "installed": "30 GiB",
        "loaders": "40 MiB",
        "room": "nt_system",
        "root_label": "system",
        "signed": True,
        "minutes": 45,
    },
}
