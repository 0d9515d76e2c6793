"""The command ``change``: one step by hand, or several, behind those that are planned."""

from __future__ import annotations

from typing import Annotated

import typer

from inkshelf.cli_shared import JobPath, JsonFlag, print_json, read_job

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
    str | None, typer.Option("--label", help="For format and create: the label, or the name of a group or logical volume.")
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
    from inkshelf.core.plan.byhand import arrange, take_back
    from inkshelf.core.plan.byhand import change as by_hand
    from inkshelf.store import jobfile

    old, said = jobfile.load(job), words or []
    if verb == "undo":
        changed = take_back(old)
    elif verb == "arrange":
        changed = arrange(old, call, " ".join(said))
    else:
        options = {"size": size, "after": after, "at": at, "type": kind, "fs": fs, "table": table}
        more = {"label": label, "subvolumes": subvolumes} if verb in {"format", "create"} else _meant(verb, said)
        changed = by_hand(old, verb, call.upper(), **{**options, **more})
    jobfile.save(changed, job)
    if as_json:
        from inkshelf.exchange import shapes

        reading, found = read_job(job)
        print_json(shapes.plan(reading, found))
        return
    print(f"{job}: {len(changed.by_hand)} step(s) by hand, {len(changed.steps)} in all")


def _meant(verb: str, said: list[str]) -> dict[str, str | None]:
    """What the words behind the call number mean for a verb."""
    first, second = [*said, None, None][:2]
    return {"label": {"label": first}, "type": {"type": first}, "flag": {"flag": first, "state": second}}.get(verb, {})
