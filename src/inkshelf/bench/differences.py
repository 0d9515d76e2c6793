"""Say in words in what two states differ: the field, what was predicted, what was read."""

from __future__ import annotations

from collections.abc import Iterator

from inkshelf.core.size import grouped
from inkshelf.core.texts import few
from inkshelf.core.value import Value

MOST = 4


def words(expected: object, seen: object) -> str:
    """Return the first few differences of two values as one line; an empty string where they are equal."""
    return few(_walk(expected, seen, ()), MOST, "; ")


def _walk(expected: object, seen: object, path: tuple[str, ...]) -> Iterator[str]:
    if expected == seen:
        return
    if isinstance(expected, Value) and type(expected) is type(seen):
        for name in expected.__struct_fields__:
            yield from _walk(getattr(expected, name), getattr(seen, name), (*path, name.replace("_", " ")))
    elif isinstance(expected, tuple) and isinstance(seen, tuple) and _named(expected) and _named(seen):
        yield from _by_name({_name(one): one for one in expected}, {_name(one): one for one in seen}, path)
    elif isinstance(expected, tuple) and isinstance(seen, tuple) and len(expected) == len(seen):
        for number, (one, other) in enumerate(zip(expected, seen, strict=True), 1):
            yield from _walk(one, other, (*path, str(number)))
    else:
        yield f"{' '.join(path)}: predicted {_brief(expected)}, read {_brief(seen)}".removeprefix(": ")


def _by_name(expected: dict[str, object], seen: dict[str, object], path: tuple[str, ...]) -> Iterator[str]:
    for name in dict.fromkeys((*expected, *seen)):
        if name in expected and name in seen:
            yield from _walk(expected[name], seen[name], (*path, name))
        else:
            yield f"{' '.join((*path, name))}: {'predicted, not there' if name in expected else 'there, not predicted'}"


def _named(values: tuple[object, ...]) -> bool:
    names = [_name(one) for one in values]
    return all(names) and len(set(names)) == len(names)


def _name(value: object) -> str:
    """What a value is called among others of its kind: a call number, or a system and what befell it."""
    told = [str(getattr(value, name)) for name in ("call", "system", "mishap") if getattr(value, name, "")]
    return ", ".join(told[:2])


def _brief(value: object) -> str:
    if value is None or value in ("", ()):
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int):
        return grouped(value)
    if isinstance(value, tuple):
        return ", ".join(_brief(one) for one in value[:6]) + (f" and {len(value) - 6} more" if len(value) > 6 else "")
    if isinstance(value, Value):
        named = (getattr(value, name, "") for name in ("title", "call", "kind", "name"))
        return next((str(one) for one in named if one), type(value).__name__)
    return f"{value!s:.80}"
