"""The command that reckons backwards: what a number in a box means, alone and in a job."""

from __future__ import annotations

from argparse import ArgumentParser, Namespace

from inkshelf.cli.shared import Command, choice, load, path, print_json, takes_json, word
from inkshelf.core.errors import InkshelfError


def _takes_reckon(parser: ArgumentParser) -> None:
    parser.add_argument("number", type=word, help="what was typed, as it stands in the box")
    parser.add_argument("job", metavar="JOB.json", nargs="?", type=path, help="a job file: what the number means there")
    parser.add_argument(
        "call", metavar="VOLUME", nargs="?", type=word, help="the volume that the box speaks of, for example S2"
    )
    parser.add_argument("--box", required=True, type=word, help="mib, gib, mb, gb, suffix, sectors, percent or bytes")
    parser.add_argument("--whole", type=word, help="how large the disk is, for percent")
    parser.add_argument("--sector", type=word, default="512", help="bytes in a sector: 512 or 4096")
    takes_json(parser)


def _reckon(said: Namespace) -> int:
    from inkshelf.core.boxes import BOXES, meaning
    from inkshelf.core.size import parse_size

    box = choice("--box", said.box, {key: key for key in BOXES})
    sector = choice("--sector", said.sector, {"512": 512, "4096": 4096})
    notes: tuple[str, ...]
    if said.job is None:
        number = meaning(said.number, box, whole=parse_size(said.whole) if said.whole else None, sector=sector)
        notes = (number.mistake,) if number.mistake else ()
    else:
        from inkshelf.core.plan.reading import read
        from inkshelf.core.sheet.meant import meant

        if said.call is None:
            raise InkshelfError("Which volume the box speaks of is not said.", "Name it behind the job, for example S2.")
        number, notes = meant(read(load(said.job)), said.call.upper(), said.number, box)
    if said.json:
        print_json(
            {"box": box, "typed": number.text, "bytes": number.size, "beside_bytes": number.beside, "notes": list(notes)}
        )
        return 0
    print(f"{number.text} in {BOXES[box].title}: {number.size} B = {number.said}")
    for one in notes:
        print(f"  {one}")
    return 0


COMMANDS = (
    Command("reckon", "Say what a number in a box means: bytes, both units, and beside the plan.", _takes_reckon, _reckon),
)
