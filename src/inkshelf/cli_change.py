"""The command ``change``: one step by hand, or several, behind those that are planned."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from inkshelf.cli_shared import JobPath, JsonFlag, print_json, read_job
from inkshelf.core.errors import PlanError

if TYPE_CHECKING:
    from inkshelf.core.plan.job import Job

Verb = Annotated[
    str, typer.Argument(help="create, delete, move, resize, format, label, type, flag, renew, repair, arrange, or undo")
]
Call = Annotated[str, typer.Argument(help="A call number such as S1; for create the disk's letter, or a container.")]
Words = Annotated[list[str] | None, typer.Argument(help="The label, the type, or a flag and on or off.")]
Size = Annotated[str | None, typer.Option("--size", help="A size with a unit, or rest.")]
After = Annotated[str | None, typer.Option("--after", help="Right behind this volume.")]
At = Annotated[str | None, typer.Option("--at", help="At this place, for example 40GiB.")]
Kind = Annotated[str | None, typer.Option("--type", help="For create: a partition type, or extended.")]
TableKind = Annotated[str | None, typer.Option("--table", help="For create: a fresh table, gpt or mbr; all volumes go.")]
FileSystemKind = Annotated[
    str | None, typer.Option("--fs", help="For format: fat32, exfat, ntfs, ext4, xfs, btrfs, swap, luks or lvm.")
]
LabelText = Annotated[
    str | None,
    typer.Option(
        "--label", help="For label, format and create: the label, or the name of a partition, group or logical volume."
    ),
]
Subvolumes = Annotated[str | None, typer.Option("--subvolumes", help="For format as btrfs: their names, with commas.")]


def change(
    job: JobPath,
    verb: Verb,
    call: Call = "A",
    words: Words = None,
    size: Size = None,
    after: After = None,
    at: At = None,
    kind: Kind = None,
    table: TableKind = None,
    fs: FileSystemKind = None,
    label: LabelText = None,
    subvolumes: Subvolumes = None,
    as_json: JsonFlag = False,
) -> None:
    """Add one step by hand behind those that are planned."""
    from inkshelf.core.plan.reading import read
    from inkshelf.exchange import plain, shapes
    from inkshelf.store import jobfile

    options = {"size": size, "after": after, "at": at, "type": kind, "fs": fs, "table": table}
    options |= {"label": label, "subvolumes": subvolumes}
    old = jobfile.load(job)
    changed = _changed(old, verb, call, words or [], options)
    jobfile.save(changed, job)
    if as_json:
        reading, found = read_job(job)
        print_json(shapes.plan(reading, found))
        return
    head = f"{job}: {len(changed.by_hand)} step(s) by hand, {len(changed.steps)} in all"
    print("\n".join([head, *plain.change_lines(read(old), read(changed))]))


def _changed(old: Job, verb: str, call: str, said: list[str], options: dict[str, str | None]) -> Job:
    from inkshelf.core.plan import byhand

    if verb == "undo":
        if not old.by_hand:
            raise PlanError("There is no step by hand to take back.", "What the aim plans changes with the aim.")
        return byhand.take_back(old)
    if verb == "arrange":
        return byhand.arrange(old, call, " ".join(said))
    _all_taken(verb, [key for key, value in options.items() if value is not None], said)
    named = {"name": options["label"]} if verb == "create" else {}
    return byhand.change(old, verb, call.upper(), **{**options, **named, **_meant(verb, said)})


TAKES = {
    "create": ("size", "after", "at", "type", "table", "label"),
    "move": ("after", "at"),
    "resize": ("size",),
    "format": ("fs", "label", "subvolumes"),
    "label": ("label",),
    **dict.fromkeys(("delete", "type", "flag", "renew", "repair"), ()),
}
WORDS_TAKEN = {"label": 1, "type": 1, "flag": 2}


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
    return {"label": {"label": first}, "type": {"type": first}, "flag": {"flag": first, "state": second}}.get(verb, {})
