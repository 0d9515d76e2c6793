"""What a profile's figures may be, and the check of a table of them: the one that ships, and a shop's own on top of it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from inkshelf.core.disk.kinds import KINDS
from inkshelf.core.errors import SizeError
from inkshelf.core.size import parse_size
from inkshelf.core.texts import Line, few
from inkshelf.core.value import Value

WORDS = ("title", "family", "folder", "like")
FAMILIES = ("nt", "linux", "apfs")
LARGEST = 10_000


class Fault(Value, frozen=True):
    """What is wrong with a figure: where it stands, from the outermost table inward, and what to do."""

    place: tuple[str, ...]
    what: Line
    remedy: Line = ""


def _size(value: object) -> str:
    if not isinstance(value, str):
        return "is a size with its unit, for example “24 GiB”"
    if value.split() and value.split()[0] in {"0"}:
        return ""
    try:
        parse_size(value)
    except SizeError as error:
        return f"is no size: {error.what} {error.remedy}"
    return ""


def _whole(value: object) -> str:
    fits = isinstance(value, int) and not isinstance(value, bool) and 0 <= value <= LARGEST
    return "" if fits else f"is a whole number from 0 to {LARGEST}"


def _yes_no(value: object) -> str:
    return "" if isinstance(value, bool) else "is true or false"


def _one_of(*known: object) -> Callable[[object], str]:
    return lambda value: "" if value in known and type(value) in {str, int} else f"is one of: {', '.join(map(str, known))}"


def _some_of(*known: str) -> Callable[[object], str]:
    def check(value: object) -> str:
        fits = isinstance(value, list) and all(isinstance(one, str) and one in known for one in value)
        return "" if fits else f"is a list of: {', '.join(known)}"

    return check


FIELDS: dict[str, tuple[str, Callable[[object], str]]] = {
    "ram": ("memory it needs", _size),
    "cpu_bits": ("width of its processor", _one_of(32, 64)),
    "graphics": ("graphics it needs", _one_of("none", "basic", "accelerated")),
    "installed": ("installed size", _size),
    "floor": ("least room, with home", _size),
    "comfort": ("comfortable room, with home", _size),
    "root_floor": ("least room of root alone", _size),
    "root_comfort": ("comfortable room of root alone", _size),
    "growth": ("growth a month", _size),
    "loaders": ("what it writes to the EFI system partition", _size),
    "kernels_on_esp": ("its kernels lie there too", _yes_no),
    "kernel_size": ("a kernel with its initial image", _size),
    "kernels_a_month": ("new kernels a month", _whole),
    "signed": ("its loaders are signed", _yes_no),
    "generation": ("generation of its first stage", _whole),
    "menus": ("menus it can make", _some_of("own", "simple", "entries", "firmware")),
    "finds_others": ("its menu looks for other systems by itself", _yes_no),
    "divides": ("ways its installer divides the disk", _some_of("divider", "gap", "partition", "disk", "hand", "typed")),
    "shows": ("unit that its divider counts in", _one_of("GB", "GiB")),
    "takes_esp": ("EFI system partition it takes", _one_of("first", "same-disk", "asked", "none")),
    "typed_with": ("tools of its packages, where it is installed by commands", _one_of("none", "deb")),
    "restarts": ("restarts on the way", _whole),
    "minutes": ("minutes it takes", _whole),
    "automatic": (
        "what its automatic layout sets that is lost by hand",
        _some_of("subvolumes", "compression", "lvm", "encryption"),
    ),
    "lives_on": ("file systems it can live on", _some_of(*KINDS)),
    "reads": ("file systems it reads", _some_of(*KINDS)),
    "writes": ("file systems it writes", _some_of(*KINDS)),
    "portable": ("starts from a portable disk", _yes_no),
}
"""Every figure of a profile: what it is in words, and what may stand there (an empty text: nothing is wrong)."""


def resolved(profiles: dict[str, Any]) -> dict[str, Any]:
    """Return profiles with what they take over from another; raises ``KeyError`` for one that is not there, ``RecursionError`` for a circle."""

    def whole(key: str, depth: int = 0) -> dict[str, Any]:
        if depth > len(profiles):
            raise RecursionError(key)
        own = dict(profiles[key])
        like = own.pop("like", None)
        return {**(whole(like, depth + 1) if like else {}), **own}

    return {key: whole(key) for key in profiles}


def near(word: str, known: object) -> str:
    """Return what to do about an unknown word: the near match, or all there are."""
    choices = list(known) if isinstance(known, dict | tuple) else []
    import difflib  # late: only what is not known is compared

    found = difflib.get_close_matches(word, choices, 1, 0.6)
    return f"Did you mean {found[0]}?" if found else f"Choose one of: {', '.join(choices)}."


def faults_of(key: str, profile: object, known: dict[str, Any]) -> Iterator[Fault]:
    """Yield what is wrong with one profile. ``known``: those that may be taken over; one of a name that is known needs not be whole."""
    if not isinstance(profile, dict):
        yield Fault((key,), "is no table of figures", f"Write [{key}] and the figures below it.")
        return
    for field, given in profile.items():
        if field == "like":
            if not isinstance(given, str) or given not in known:
                yield Fault((key, field), f"there is no profile “{given}”", near(str(given), known))
        elif field in WORDS:
            wrong = (
                not isinstance(given, str)
                or not given
                or not given.isprintable()
                or (field == "family" and given not in FAMILIES)
            )
            if wrong:
                yield Fault(
                    (key, field),
                    f"“{given}” cannot be its {field}",
                    f"Choose one of: {', '.join(FAMILIES)}." if field == "family" else "",
                )
        elif field not in FIELDS:
            yield Fault((key, field), f"“{field}” is no figure of a profile", near(field, FIELDS))
        else:
            wrong_value = FIELDS[field][1](value_of(given)) or _reason(given)
            if wrong_value:
                yield Fault((key, field), f"{field} {wrong_value}")
    if key not in known and "like" not in profile:
        missing = [one for one in ("title", "family", "folder", *FIELDS) if one not in profile]
        if missing:
            yield Fault(
                (key,), f"a profile of its own lacks {few(missing, 4)}", 'Add them, or take one over: like = "linux-desktop".'
            )


def _reason(given: object) -> str:
    """What is wrong with the reason beside a value: it is printed on one line."""
    if not isinstance(given, dict):
        return ""
    reason = given.get("reason", "")
    fits = isinstance(reason, str) and (reason.isprintable() or not reason) and set(given) <= {"value", "reason"}
    return "" if fits else 'stands alone, or as { value = ..., reason = "one line" }'


def value_of(given: object) -> object:
    """The value of a figure, which may stand with its reason or alone."""
    return given["value"] if isinstance(given, dict) and "value" in given else given
