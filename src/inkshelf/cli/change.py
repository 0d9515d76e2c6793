"""The command ``change``: one step by hand, or several, behind those that are planned."""

from __future__ import annotations

from argparse import ArgumentParser, Namespace
from typing import TYPE_CHECKING

from inkshelf.cli.shared import Command, load, print_json, read_job, save, takes_job, word
from inkshelf.core.errors import PlanError
from inkshelf.core.texts import shown

if TYPE_CHECKING:
    from inkshelf.core.plan.job import Job
    from inkshelf.core.steps.making import WriteFile

OPTIONS = {
    "size": "a size with a unit, or rest",
    "after": "right behind this volume",
    "at": "at this place, for example 40GiB",
    "type": "for create: a partition type, or extended",
    "table": "for create: a fresh table, gpt or mbr; all volumes go",
    "fs": "for format: a file system, for example ext4; another word is answered with the list",
    "label": "for label, format and create: the label, or the name of a partition, group or logical volume",
    "subvolumes": "for format as btrfs: their names, with commas",
}


def _takes(parser: ArgumentParser) -> None:
    takes_job(parser, json_too=True)
    verbs = "create, delete, move, resize, format, label, type, flag, renew, repair, prepare, order, entry, menu, write, arrange, or undo"
    parser.add_argument("verb", metavar="VERB", type=word, help=verbs)
    parser.add_argument(
        "call",
        metavar="CALL",
        nargs="?",
        default="A",
        type=word,
        help="a call number such as S1; for create the disk's letter, or a container; for order and entry a variable such as Boot0001",
    )
    parser.add_argument(
        "words",
        metavar="WORD",
        nargs="*",
        type=word,
        help="the label, the type, a flag and on or off, a file's path and its lines, the line to arrange; for order: first, up, down, last or a number; "
        "for entry: on, off, remove, or rename and a title, and with a volume's call number a loader's path and a title; "
        "for menu (a system's call number, or firmware): begins and a call number, or limit and seconds or none",
    )
    for name, words in OPTIONS.items():
        parser.add_argument(f"--{name}", type=word, help=words)


def _change(said: Namespace) -> int:
    from inkshelf.core.plan.reading import read
    from inkshelf.exchange import plain, shapes

    old = load(said.job)
    changed = _changed(old, said.verb, said.call, said.words, {name: getattr(said, name) for name in OPTIONS})
    save(changed, said.job)
    if said.json:
        print_json(shapes.plan(*read_job(said.job)))
        return 0
    head = f"{said.job}: {len(changed.by_hand)} change(s) by hand, {len(changed.steps)} steps in all"
    print("\n".join([head, *plain.change_lines(read(old), read(changed))]))
    return 0


def _changed(old: Job, verb: str, call: str, said: list[str], options: dict[str, str | None]) -> Job:
    from inkshelf.core.plan import byhand

    if verb == "undo":
        if not old.by_hand:
            raise PlanError("There is no step by hand to take back.", "What the aim plans changes with the aim.")
        return byhand.take_back(old)
    if verb == "arrange":
        return byhand.arrange(old, call, " ".join(said))
    if verb == "write":
        _all_taken(verb, [key for key, value in options.items() if value is not None], [])
        return byhand.exactly(old, _file(call.upper(), said))
    _all_taken(verb, [key for key, value in options.items() if value is not None], said)
    named = {"name": options["label"]} if verb == "create" else {}
    return byhand.change(old, verb, call.upper(), **{**options, **named, **_meant(verb, said)})


def _file(call: str, said: list[str]) -> WriteFile:
    """``write D1 /folder/name "first line" "second line"``."""
    import msgspec

    from inkshelf.core.steps.making import WriteFile

    if len(said) < 2:
        raise PlanError("Say the file's path and its lines.", 'For example: write D1 /notes.txt "first line" "second line".')
    try:
        return msgspec.convert({"kind": "write-file", "call": call, "path": said[0], "lines": said[1:]}, WriteFile)
    except msgspec.ValidationError:
        raise PlanError(
            f"“{shown(said[0])}” in {shown(call)} cannot be written.",
            "A path begins with / and has letters, digits, blanks and ._+@- only; lines have no control characters.",
        ) from None


TAKES = {
    "create": ("size", "after", "at", "type", "table", "label"),
    "move": ("after", "at"),
    "resize": ("size",),
    "format": ("fs", "label", "subvolumes"),
    "label": ("label",),
    **dict.fromkeys(("delete", "type", "flag", "renew", "repair", "prepare", "order", "entry", "menu", "write"), ()),
}
WORDS_TAKEN = {"label": 1, "type": 1, "flag": 2, "prepare": 1, "order": 1, "entry": 2, "menu": 2}


def _all_taken(verb: str, options: list[str], said: list[str]) -> None:
    """Refuse what a verb would pass over: an option that is not heard is a step that was not meant."""
    takes = TAKES.get(verb)
    if takes is None:
        return  # not a verb; it is refused as such
    unheard = next((one for one in options if one not in takes), None)
    if unheard:
        known = ", ".join(f"--{one}" for one in takes)
        raise PlanError(f"{verb} takes no --{unheard}.", f"It takes {known}." if known else "It takes no options.")
    if verb == "label" and not said and "label" not in options:
        raise PlanError("Say which label.", 'In quotation marks with nothing between them, "", it is taken off.')
    if verb == "format" and "fs" not in options:
        raise PlanError("Say which file system.", "For example --fs ext4. What is on the volume now is given up.")
    if len(said) > WORDS_TAKEN.get(verb, 0):
        raise PlanError(f"{verb} makes nothing of “{said[-1]}”.", "A label of several words stands in quotation marks.")


def _meant(verb: str, said: list[str]) -> dict[str, str | None]:
    """What the words behind the call number mean for a verb."""
    first, second = [*said, None, None][:2]
    if first is None:
        return {}
    meant: dict[str, dict[str, str | None]] = {
        "label": {"label": first},
        "type": {"type": first},
        "flag": {"flag": first, "state": second},
        "prepare": {"what": first},
        "order": {"place": first},
        "entry": {"state": first, "title": second},
        "menu": {"what": first, "value": second},
    }
    return meant.get(verb, {})


COMMANDS = (Command("change", "Add one step by hand behind those that are planned.", _takes, _change),)
