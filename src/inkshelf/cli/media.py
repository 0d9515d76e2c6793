"""Commands about images: what they hold, and whether they are whole."""

from __future__ import annotations

from argparse import ArgumentParser, Namespace
from typing import TYPE_CHECKING, Any

from inkshelf.cli.shared import STOP, Command, load, path, print_json, word

if TYPE_CHECKING:
    from inkshelf.core.machine.state import Machine
    from inkshelf.exchange.images import Looked
    from inkshelf.exchange.sums import Sum


def _takes_images(parser: ArgumentParser) -> None:
    parser.add_argument(
        "images", type=path, metavar="IMAGE", nargs="+", help="an image file: a disc, a disk, compressed or not"
    )
    parser.add_argument(
        "--sums", type=path, metavar="FILE", help="a list of checksums, signed in clear or not; each image is held against it"
    )
    parser.add_argument("--sum", type=word, metavar="DIGITS", help="the one checksum that the maker publishes for one image")
    parser.add_argument(
        "--for", dest="job", type=path, metavar="JOB.json", help="say how a stick is made of it that this job's machine starts"
    )
    parser.add_argument(
        "--stick",
        type=word,
        metavar="SIZE",
        action="append",
        default=[],
        help="a stick that is at hand, for example 16GB; again for more",
    )
    parser.add_argument("--json", action="store_true", help="as one document")


def _images(words: Namespace) -> int:
    from inkshelf.exchange.images import look
    from inkshelf.exchange.sums import held_against, read_sums

    published: tuple[Sum, ...] = ()
    if words.sums:
        from inkshelf.exchange.captures import read_text

        published = read_sums(read_text(words.sums))
    if words.sum:
        published += read_sums(words.sum)
    machine, sticks = _machine(words)
    looked = [look(one) for one in words.images]
    checked = [held_against(one.path, published) for one in looked]
    if words.json:
        from inkshelf.exchange import shapes

        each = [{**shapes.image(one, machine), "sum": state} for one, state in zip(looked, checked, strict=True)]
        print_json({"images": each, "together": shapes.together(looked, sticks)})
    else:
        for one, state in zip(looked, checked, strict=True):
            _print(one, state, machine, max(sticks, default=None))
        _print_together(looked, sticks)
    wrong = any(state and not state["agrees"] for state in checked) or any(
        one.image.missing or one.image.fault for one in looked
    )
    return STOP if wrong else 0


def _machine(words: Namespace) -> tuple[Machine | None, tuple[int, ...]]:
    """The machine that a stick is made for, and the sizes of those at hand."""
    from inkshelf.core.size import parse_size

    return (load(words.job).found if words.job else None), tuple(parse_size(one) for one in words.stick)


def _print_together(looked: list[Looked], sticks: tuple[int, ...]) -> None:
    """Several images are told together, too: which of them fit on which stick."""
    if len(looked) < 2 or not sticks:
        return
    from inkshelf.core.media import many

    for line in many.lines_of(many.on_sizes(tuple(one.image for one in looked), sticks)):
        print(line)


def _print(one: Looked, state: dict[str, Any] | None, machine: Machine | None, stick: int | None) -> None:
    from inkshelf.core.media import ways
    from inkshelf.exchange.imagewords import lines_of

    for line in lines_of(one, state):
        print(line)
    for line in ways.lines_of(one.image, machine, stick) if machine is not None else ():
        print(f"  {line}")


COMMANDS = (Command("images", "Say what image files hold, and whether they are whole.", _takes_images, _images),)
