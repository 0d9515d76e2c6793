"""Which shop's logbook this machine follows, and who works here. No database is loaded for it."""

from __future__ import annotations

import getpass
import os
import re

from inkshelf.core.errors import JobError

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
