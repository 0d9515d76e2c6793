"""What strings and numbers from outside may hold. A document is checked against these where it is read, and its schema says the same.

A call number becomes a file's name on the bench, a title a comment in a script: what could mean something else there is refused here.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import cache
from typing import Annotated

from inkshelf.core.errors import InkshelfError
from inkshelf.core.value import Meta

_END = r"$(?!\n)"  # in Python a bare dollar sign also matches before a last line break
_CONTROL = r"\x00-\x1f\x7f-\x9f\u2028\u2029"
_HEX_GUID = r"[0-9A-Fa-f]{8}-(?:[0-9A-Fa-f]{4}-){3}[0-9A-Fa-f]{12}"

Call = Annotated[str, Meta(pattern=rf"^[A-Z][1-9][0-9]{{0,3}}{_END}")]
"""A call number, for example ``S1``."""
CallOrNone = Annotated[str, Meta(pattern=rf"^(?:[A-Z][1-9][0-9]{{0,3}})?{_END}")]
Letter = Annotated[str, Meta(pattern=rf"^[A-Z]{_END}")]
"""A disk's letter."""
LetterOrNone = Annotated[str, Meta(pattern=rf"^[A-Z]?{_END}")]
Line = Annotated[str, Meta(pattern=rf"^(?:(?![\u2028\u2029])[^\x00-\x1f\x7f-\x9f])*{_END}", max_length=4096)]
"""One line of text: no line breaks, no control characters."""
Key = Annotated[str, Meta(pattern=rf"^[A-Za-z0-9][A-Za-z0-9._:-]{{0,199}}{_END}")]
KeyOrNone = Annotated[str, Meta(pattern=rf"^(?:[A-Za-z0-9][A-Za-z0-9._:-]{{0,199}})?{_END}")]
"""A key of ours, or the identity of a step or an intent."""
Guid = Annotated[str, Meta(pattern=rf"^(?:{_HEX_GUID})?{_END}")]
TypeId = Annotated[str, Meta(pattern=rf"^(?:{_HEX_GUID}|0x[0-9A-Fa-f]{{2}})?{_END}")]
Signature = Annotated[str, Meta(pattern=rf"^(?:[0-9A-Fa-f]{{8}})?{_END}")]
Identity = Annotated[str, Meta(pattern=rf"^[A-Za-z0-9-]{{0,64}}{_END}")]
"""A file system's UUID, serial or LVM identifier."""
Digest = Annotated[str, Meta(pattern=rf"^[0-9a-f]{{64}}{_END}")]
"""A SHA-256 sum in hexadecimal."""
_PART = r"\.?[A-Za-z0-9_+@-](?:[A-Za-z0-9 ._+@-]{0,98}[A-Za-z0-9_+@-])?"
_FILE = rf"^(?:/{_PART}){{1,12}}{_END}"
FilePath = Annotated[str, Meta(pattern=_FILE)]
"""A file's place in a volume, from its root, in characters that every file system, utility and shell takes as they are."""
LoaderPath = Annotated[str, Meta(pattern=rf"^(?:\\[A-Za-z0-9_][A-Za-z0-9 ._-]{{0,98}}){{1,8}}{_END}")]
"""A folder or file of a start-up volume, as firmware writes it."""
Count = Annotated[int, Meta(ge=0, le=1 << 62)]
"""Bytes, sectors or a number: never below zero."""

Attributes = Annotated[int, Meta(ge=0)]
"""The 64 attribute bits of a GPT entry."""


@cache
def _unfit() -> re.Pattern[str]:
    """Compiled when it is first asked for: a set of characters this far apart takes its time, and most texts never need it."""
    return re.compile(f"[{_CONTROL}\ud800-\udfff]")


def _plain(text: str) -> bool:
    return text.isascii() and text.isprintable()


def is_folder(text: str) -> bool:
    """Tell whether a step may name a place so: as ``FilePath`` has it."""
    return re.match(_FILE, text) is not None


def shown(text: str) -> str:
    """Return ``text`` as it may be shown and printed: control characters and what is no character become ``\ufffd``."""
    return text if _plain(text) else _unfit().sub("\ufffd", text)


def few(words: Iterable[str], most: int, between: str = ", ") -> str:
    """Return the first ``most`` words in one line, and how many more there are: nothing is left out without a word."""
    known = list(words)
    more = len(known) - most
    return between.join(known[:most]) + (f"{';' if between.startswith(';') else ''} and {more} more" if more > 0 else "")


def zero_ended(raw: bytes) -> str:
    """Return the text of a field that ends with a zero byte or is full."""
    return shown(raw.split(b"\0")[0].decode("utf-8", "replace"))


def one_line(text: str, what: str) -> str:
    """Return ``text``, or raise ``InkshelfError`` that names ``what`` where it is more than one line of characters."""
    if not _plain(text) and _unfit().search(text):
        raise InkshelfError(f"{what} has characters that no line can hold.", "Leave out line breaks and control characters.")
    return text
