"""Bring one's own logbook and the shop's up to date."""

from __future__ import annotations

from pathlib import Path

from inkshelf.core.errors import JobError
from inkshelf.store.logbook.book import Logbook
from inkshelf.store.logbook.connection import SQLITE, AwayError
from inkshelf.store.logbook.shared import Synced, sync
from inkshelf.store.logbook.where import SHOP


def synced(here: Logbook, shop: str) -> Synced:
    """Bring both logbooks up to date; raises ``JobError`` where no shop is named, ``AwayError`` where it cannot be reached."""
    if not shop:
        raise JobError("No shop's logbook is named.", f"Add --shop URL, or set {SHOP} for every program of this machine.")
    if shop.startswith(SQLITE) and not (folder := Path(shop.removeprefix(SQLITE)).parent).is_dir():
        raise AwayError(
            f"{folder} is not there.", "Mount the share that holds the shop's logbook, or make the folder for a new one."
        )
    there = Logbook(shop)
    try:
        return sync(here, there)
    finally:
        there.close()
