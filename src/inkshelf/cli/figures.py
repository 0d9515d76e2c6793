"""The command that lists profiles of systems with every figure and its reason, and says where a shop keeps its own."""

from __future__ import annotations

from argparse import ArgumentParser, Namespace
from typing import TYPE_CHECKING

from inkshelf.cli.shared import Command, choice, print_json, takes_json, word

if TYPE_CHECKING:
    from inkshelf.core.checks.guide import Page


def _takes_profiles(parser: ArgumentParser) -> None:
    parser.add_argument("profile", nargs="?", type=word, help="one profile, with every figure and its reason")
    parser.add_argument("--shop", action="store_true", help="say where a shop's own figures are kept, and how one is written")
    takes_json(parser)


def _profiles(said: Namespace) -> int:
    from inkshelf.core.machine.profiles import profiles
    from inkshelf.data import table
    from inkshelf.store import shop

    if said.shop:
        print(shop.shop_file())
        print(f'[profiles.linux-desktop]\nfloor = "30 GiB"  # what can be overridden, with its reason: {shop.EXAMPLE}')
        return 0
    shop.use()
    known = {one.key: one for one in profiles()}
    chosen = [choice("PROFILE", said.profile, known)] if said.profile else list(known.values())
    if said.json:
        print_json({"profiles": {one.key: table("profiles")[one.key] for one in chosen}})
        return 0
    for one in chosen:
        figures = table("profiles")[one.key]
        room = f"{figures['floor']['value']:>8} to {figures['comfort']['value']:>8}"
        print(f"{one.key:15} {one.title:32} {one.family:6} {room}")
        if said.profile:
            _every_figure(figures)
    return 0


def _every_figure(figures: dict[str, object]) -> None:
    from inkshelf.core.machine.figures import FIELDS

    for field, (words, _) in FIELDS.items():
        given = figures[field]
        assert isinstance(given, dict)  # noqa: S101
        value = ", ".join(given["value"]) or "none" if isinstance(given["value"], list) else given["value"]
        print(f"  {field:16} {value!s:20} {words}: {given['reason']}")


def _takes_explain(parser: ArgumentParser) -> None:
    parser.add_argument(
        "finding", nargs="?", type=word, help="a finding's key, as plan --json has it, or a chapter; without one, every finding"
    )
    takes_json(parser)


def _explain(said: Namespace) -> int:
    from inkshelf.core.checks.guide import chapter_page, chapter_pages, page_of, pages

    if said.finding in {one.key for one in chapter_pages()}:
        found: tuple[Page, ...] = (chapter_page(said.finding),)
    else:
        found = (page_of(said.finding),) if said.finding else pages()
    if said.json:
        print_json({"pages": [{"key": one.key, "title": one.title, "means": one.means, "do": one.do} for one in found]})
        return 0
    for one in found:
        print(f"{one.key}: {one.title}\n  {one.means}\n  What to do: {one.do}")
    return 0


COMMANDS = (
    Command(
        "profiles", "List the kinds of system that are known, with every figure and its reason.", _takes_profiles, _profiles
    ),
    Command("explain", "Say what a finding means and what to do about it, or what a chapter is for.", _takes_explain, _explain),
)
