"""A shop's own figures: one TOML file in the configuration folder, single figures of it on top of those that ship.

``[schools]`` says what is usual in the shop; ``[profiles.linux-desktop]`` and ``[defaults.room.home]`` name tables of figures. Each
stands alone or as ``{ value = ..., reason = ... }``.
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

from inkshelf.bounded import read_bounded
from inkshelf.core.errors import InkshelfError
from inkshelf.core.machine.figures import FIELDS, WORDS, Fault, faults_of, near, resolved, value_of
from inkshelf.data import FOLDER, table, use_shop

NAME = "figures.toml"
TABLES = ("profiles", "defaults", "schools")
LARGEST = 1 << 20  # bytes of a file of figures
REASON = "from your shop's figures"
SCHOOL = "your shop's way"
DECIDED = {"there", "files", "to", "room", "table"}  # what is given up, and what an aim is about, is said in each job


def shop_file() -> Path:
    """Where a shop keeps its own figures."""
    from inkshelf.store.folders import config_path

    return config_path().with_name(NAME)


def use(path: Path | None = None) -> int:
    """Put the shop's figures in use, and return how many there are; none where there is no file.

    Raises ``InkshelfError`` with the line and what to do where one of them cannot be; those that ship are in use then.
    """
    own = path or shop_file()
    use_shop({})
    if not own.is_file():
        return 0
    document = read(own)
    made = {name: dict(document.get(name, {})) for name in TABLES}
    made["profiles"] = _whole_profiles(made["profiles"])
    made["schools"] = {key: {"value": value_of(given), "reason": _reason_of(given)} for key, given in made["schools"].items()}
    use_shop({name: one for name, one in made.items() if one})
    return _count(document)


def _count(table_of: dict[str, Any]) -> int:
    """How many figures stand in a table, words such as its title aside."""
    figures = [one for key, one in table_of.items() if key not in WORDS]
    return sum(_count(one) if isinstance(one, dict) and "value" not in one else 1 for one in figures)


def read(path: Path) -> dict[str, Any]:
    """Return what stands in a file, checked."""
    import tomllib

    try:
        text = read_bounded(path, LARGEST).decode("utf-8")
        document = tomllib.loads(text)
    except UnicodeDecodeError:
        raise InkshelfError(f"{path} is not text.", "Write it anew as UTF-8.") from None
    except OSError as error:
        raise InkshelfError(f"{path} cannot be read: {error.strerror}.", "Check its permissions.") from None
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise InkshelfError(f"{path} is not TOML: {error}.", "Put that line right.") from None
    fault = next(_faults(document), None)
    if fault is not None:
        line = _line(text, fault.place)
        where = f"{path}, line {line}" if line else str(path)
        raise InkshelfError(f"{where}: {' / '.join(fault.place)}: {fault.what}.", fault.remedy)
    return document


def _whole_profiles(own: dict[str, Any]) -> dict[str, Any]:
    """Every figure with a reason; a profile of the shop's own with what it takes over."""
    shipped = table("profiles")
    named = {key: {field: _with_reason(field, given) for field, given in one.items()} for key, one in own.items()}
    whole = resolved({**shipped, **{key: one for key, one in named.items() if key not in shipped}})
    return {key: named[key] if key in shipped else whole[key] for key in own}


def _reason_of(given: Any) -> str:
    return str(given.get("reason", SCHOOL)) if isinstance(given, dict) else SCHOOL


def schools() -> dict[str, set[str]]:
    """Return the questions that a shop may have its own usual answer to, with all the answers that any aim offers."""
    from inkshelf.core.aims import every_aim
    from inkshelf.core.machine.state import Machine

    found: dict[str, set[str]] = {}
    for kind in every_aim():
        for question in kind().questions(Machine()):
            if question.kind == "choice" and question.key not in DECIDED:
                found.setdefault(question.key, set()).update(one.value for one in question.answers)
    return found


def _wrong_schools(own: dict[str, Any]) -> Any:
    known = schools()
    for key, given in own.items():
        value = value_of(given)
        if key not in known:
            yield Fault(("schools", key), f"“{key}” is no question that a shop has a school in", near(key, known))
        elif not isinstance(value, str) or value not in known[key]:
            yield Fault(("schools", key), f"“{value}” is no answer to it", near(str(value), dict.fromkeys(sorted(known[key]))))
        elif isinstance(given, dict) and not (
            isinstance(given.get("reason", ""), str) and str(given.get("reason", "")).isprintable()
        ):
            yield Fault(("schools", key), "its reason is no sentence")


def _with_reason(field: str, given: Any) -> Any:
    if field not in FIELDS:
        return given
    reason = given.get("reason", REASON) if isinstance(given, dict) else REASON
    return {"value": value_of(given), "reason": reason}


def _faults(document: dict[str, Any]) -> Any:
    for name, inner in document.items():
        if name not in TABLES:
            yield Fault((name,), f"“{name}” is no table of figures", near(name, TABLES))
        elif not isinstance(inner, dict):
            yield Fault((name,), "is no table", f"Write [{name}.NAME] and the figures below it.")
        elif name == "schools":
            yield from _wrong_schools(inner)
        elif name == "profiles":
            known = table("profiles")
            for key, one in inner.items():
                if not re.fullmatch(r"[a-z][a-z0-9-]{0,39}", key):
                    yield Fault((name, key), "a profile's name is of small letters, digits and dashes")
                for fault in faults_of(key, one, known):
                    yield Fault((name, *fault.place), fault.what, fault.remedy)
        else:
            yield from _unlike((name,), inner, table("defaults"))


def _unlike(place: tuple[str, ...], own: dict[str, Any], base: dict[str, Any]) -> Any:
    """Default figures keep their form: a table stays a table, a size a size, a number a number above zero."""
    from inkshelf.core.errors import SizeError
    from inkshelf.core.size import parse_size

    for key, given in own.items():
        at = (*place, key)
        if key not in base:
            yield Fault(at, f"“{key}” is no default figure", near(key, base))
        elif isinstance(base[key], dict):
            if isinstance(given, dict):
                yield from _unlike(at, given, base[key])
            else:
                yield Fault(at, "is no table", f"Write [{'.'.join(at)}] and the figures below it.")
        elif isinstance(base[key], str) and key not in {"reason", "hibernate_reason"}:
            try:
                parse_size(given if isinstance(given, str) else "")
            except SizeError as error:
                yield Fault(at, f"is no size: {error.what} {error.remedy}")
        elif isinstance(base[key], str):
            if not isinstance(given, str) or not given.isprintable():
                yield Fault(at, "is no sentence")
        elif isinstance(given, bool) or not isinstance(given, int | float) or not 0 < given < 1 << 40:
            yield Fault(at, "is no number above zero")


def _line(text: str, place: tuple[str, ...]) -> int:
    """The line that a figure stands in, as far as it can be told: its key below the header of its table; 0 where it cannot."""
    header = 0
    for number, line in enumerate(text.splitlines(), 1):
        bare = re.sub(r"[\"'\s]", "", line.split("#", maxsplit=1)[0])
        named = re.fullmatch(r"\[(.+)\]", bare)
        if named:
            parts = tuple(named.group(1).split("."))
            header = number if parts == place[: len(parts)] else 0
            if parts == place:
                return number
        elif header and bare.split("=", maxsplit=1)[0] == place[-1]:
            return number
    return header


def schema() -> dict[str, Any]:
    """Return the published JSON schema of a shop's file."""
    figure = {key: {"description": words} for key, (words, _) in FIELDS.items()}
    words = {key: {"type": "string"} for key in ("title", "family", "folder", "like")}
    profile = {"type": "object", "properties": {**words, **figure}, "additionalProperties": False}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "a shop's own figures",
        "type": "object",
        "properties": {
            "profiles": {"type": "object", "additionalProperties": profile},
            "schools": {
                "type": "object",
                "properties": {
                    key: {"description": f"one of: {', '.join(sorted(values))}"} for key, values in schools().items()
                },
                "additionalProperties": False,
            },
            "defaults": {
                "type": "object",
                "properties": {key: {"type": "object"} for key in table("defaults")},
                "additionalProperties": False,
            },
        },
        "additionalProperties": False,
    }


EXAMPLE = FOLDER / "profiles.toml"
"""What ships, with every figure and its reason: to copy single figures from."""
