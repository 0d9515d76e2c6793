"""Which shop's logbook this machine follows, who works here, and bringing both up to date."""

from __future__ import annotations

import getpass
import os
import re

from inkshelf.core.errors import JobError
from inkshelf.store.logbook.book import Logbook
from inkshelf.store.logbook.shared import Synced, sync

SHOP, WHO = "INKSHELF_SHOP", "INKSHELF_WHO"
"""Names in the environment: a shop sets them once for all its machines."""


def shop_of(shop: str = "", who: str = "") -> tuple[str, str]:
    """Return the shop's URL (empty: none) and who works here: as said, or else as the environment says; the user's name at last."""
    return shop or os.environ.get(SHOP, ""), who or os.environ.get(WHO, "") or _user()


def _user() -> str:
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return ""


def without_password(url: str) -> str:
    """Return a URL that can be kept; raises ``JobError`` where it holds a password, which would lie there in plain text."""
    if re.match(r"^[\w+]+://[^/@:]*:[^/]*@", url) or "password=" in url.lower():
        raise JobError(
            "A password would be kept in plain text.",
            "Leave it out of the URL, and write it into ~/.pgpass, which only you can read.",
        )
    return url


def synced(here: Logbook, shop: str) -> Synced:
    """Bring both logbooks up to date; raises ``JobError`` where no shop is named, ``AwayError`` where it cannot be reached."""
    if not shop:
        raise JobError("No shop's logbook is named.", f"Add --shop URL, or set {SHOP} for every program of this machine.")
    there = Logbook(shop)
    try:
        return sync(here, there)
    finally:
        there.close()
