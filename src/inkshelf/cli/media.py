"""Commands about images: what they hold, and whether they are whole."""

from __future__ import annotations

from argparse import ArgumentParser, Namespace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from inkshelf.cli.shared import STOP, Command, path, print_json, word

if TYPE_CHECKING:
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
    parser.add_argument("--json", action="store_true", help="as one document")


def _images(words: Namespace) -> int:
    from inkshelf.exchange.images import look
    from inkshelf.exchange.sums import read_sums

    published: tuple[Sum, ...] = ()
    if words.sums:
        from inkshelf.exchange.captures import read_text

        published = read_sums(read_text(words.sums))
    if words.sum:
        published += read_sums(words.sum)
    looked = [look(one) for one in words.images]
    checked = [_checked(one.path, published) for one in looked]
    if words.json:
        from inkshelf.exchange import shapes

        print_json({"images": [{**shapes.image(one), "sum": state} for one, state in zip(looked, checked, strict=True)]})
    else:
        for one, state in zip(looked, checked, strict=True):
            _print(one, state)
    wrong = any(state and not state["agrees"] for state in checked) or any(
        one.image.missing or one.image.fault for one in looked
    )
    return STOP if wrong else 0


def _checked(file: Path, published: tuple[Sum, ...]) -> dict[str, Any] | None:
    """Hold an image against what is published for it; ``None`` where nothing is."""
    from inkshelf.exchange.sums import sum_for, sum_of

    wanted = sum_for(published, file.name)
    if wanted is None:
        return None
    digits = sum_of(file, wanted.method)
    return {"method": wanted.method, "published": wanted.digits, "found": digits, "agrees": digits == wanted.digits}


def _print(one: Looked, state: dict[str, Any] | None) -> None:
    from inkshelf.exchange.imagewords import lines_of

    for line in lines_of(one, state):
        print(line)


COMMANDS = (Command("images", "Say what image files hold, and whether they are whole.", _takes_images, _images),)
