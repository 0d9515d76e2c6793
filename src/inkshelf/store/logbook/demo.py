"""The made-up shop's logbook, built from its recipe where it is not there yet."""

from __future__ import annotations

from pathlib import Path

from inkshelf.core.plan import document
from inkshelf.core.plan.reading import read
from inkshelf.core.practice.shop import RECIPE, made_up_shop
from inkshelf.core.sheet.logged import logged
from inkshelf.store.logbook.book import Logbook
from inkshelf.store.logbook.changes import Says
from inkshelf.store.logbook.connection import SQLITE
from inkshelf.store.logbook.faults import Fault, put_fault

NAME = "made-up-shop"
FAULTS = (
    Fault("Tern 7", "It drops its boot entry when the battery was out", "A fallback file on the EFI system partition"),
    Fault(
        "Avocet 14", "Its right port gives too little for a disk that travels", "The left one, or a port with its own supply"
    ),
)


def demo_logbook(folder: Path) -> str:
    """Return the URL of the made-up shop's logbook in a folder; built first where it is not there whole."""
    place, half = folder / f"{NAME}-{RECIPE}.sqlite", folder / f"{NAME}.part.sqlite"
    if not place.exists():
        for left in folder.glob(f"{NAME}*"):  # half a one, or one of an earlier recipe
            left.unlink()
        fill(f"{SQLITE}{half}")
        half.rename(place)
    return f"{SQLITE}{place}"


def fill(url: str) -> None:
    """Put the shop's jobs and known faults into a logbook."""
    book = Logbook(url)
    try:
        last = 0
        for one in made_up_shop():
            book.put(logged(read(one.job)), document.dump(one.job), Says(one.at, one.who))
            last = one.at
        for fault in FAULTS:
            put_fault(book, fault, Says(last, "Reed"))
        book.settle_down()
    finally:
        book.close()
