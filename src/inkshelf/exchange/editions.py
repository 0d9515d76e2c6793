"""Read which editions an install image holds: header and own list of an imaging-format file (published file format, versions 1.13 and up).

The list is XML in UTF-16 that stands uncompressed in the file. It comes from elsewhere: sizes are bounded, entities are refused.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import ParseError, fromstring

from inkshelf.core.aims.in_file import Edition, InFile
from inkshelf.core.disk.source import ByteSource, Layout
from inkshelf.core.errors import CaptureError, PlanError
from inkshelf.core.plan.job import Job, replan
from inkshelf.core.texts import shown
from inkshelf.core.value import replace
from inkshelf.data import exact

HEADER = Layout(
    "header of an install image",
    "<",
    mark=(0, "8s"),
    count=(44, "I"),
    list_size=(72, "Q"),
    list_at=(80, "Q"),
    unused=(207, "B"),
)
SIZE = (1 << 56) - 1  # the eighth byte of a size holds flags
LONGEST, MOST = 16 << 20, 64
NO_LIST = "Choose the file install.wim or install.esd of the image, with the image opened."


def editions(path: Path) -> tuple[Edition, ...]:
    """Return the editions that the install image at ``path`` holds; raises ``CaptureError`` where it is none, or its list cannot be read."""
    from inkshelf.exchange.images import File  # late: a file inside an image needs none

    try:
        with File(path) as source:
            return editions_in(source, path.name)
    except (OSError, OverflowError) as error:
        raise CaptureError(f"{path}: {getattr(error, 'strerror', error)}.", NO_LIST) from None


def editions_in(source: ByteSource, name: str) -> tuple[Edition, ...]:
    """Return the editions of an install image that lies in a source; raises ``CaptureError`` as ``editions`` does."""
    raw = source.read(0, HEADER.size)
    own = HEADER.of(raw) if len(raw) == HEADER.size else None
    if own is None or own.mark != exact("disk_files", "image_mark").encode().ljust(8, b"\0"):
        raise CaptureError(f"{name} is no install image.", NO_LIST)
    size = own.list_size & SIZE
    if not 2 <= size <= LONGEST:
        raise CaptureError(f"The list of editions in {name} has {size} bytes.", "Get the image again.")
    if own.list_at > source.size:
        raise CaptureError(f"The list of editions in {name} lies behind its end.", "Get the image again.")
    text = source.read(own.list_at, size)
    if len(text) != size:
        raise CaptureError(f"{name} ends before its list of editions.", "It was cut short: get it again.")
    return _listed(text, name)


def _listed(raw: bytes, name: str) -> tuple[Edition, ...]:
    try:
        root = fromstring(raw.decode("utf-16"))
    except (UnicodeDecodeError, ParseError, DefusedXmlException, ValueError):
        raise CaptureError(f"The list of editions in {name} cannot be read.", "Get the image again.") from None
    found = [_edition(one) for one in root.iter("IMAGE")]
    known = [one for one in found if one is not None][:MOST]
    if not known:
        raise CaptureError(f"{name} lists no edition.", "Choose the install image, not the one that starts the installer.")
    if len({one.index for one in known}) != len(known):
        raise CaptureError(f"The list of editions in {name} names a number twice.", "Get the image again.")
    return tuple(sorted(known, key=lambda one: one.index))


def _edition(image: Any) -> Edition | None:
    index = str(image.get("INDEX", ""))
    if not (index.isascii() and index.isdigit()) or not 0 < int(index) < 1 << 16:
        return None
    names = (image.findtext(key) for key in ("DISPLAYNAME", "NAME", "WINDOWS/EDITIONID"))
    name = next((shown(one.strip())[:120] for one in names if one and one.strip()), "without a name")
    size = (image.findtext("TOTALBYTES") or "").strip()
    return Edition(int(index), name, int(size) if size.isascii() and size.isdigit() and len(size) < 16 else 0)


def with_editions(job: Job, known: tuple[Edition, ...]) -> Job:
    """Return the job with what an install image holds noted at its aims of that kind; nothing is chosen where there is a choice."""
    if not any(isinstance(one, InFile) for one in job.aims):
        raise PlanError("No aim of this job puts a system into a file.", "Add one first: the aim in-file.")
    indexes = {one.index for one in known}
    only = known[0].index if len(known) == 1 else 0
    return replan(
        replace(
            job,
            aims=tuple(
                replace(one, editions=known, edition=one.edition if one.edition in indexes else only)
                if isinstance(one, InFile)
                else one
                for one in job.aims
            ),
        )
    )
