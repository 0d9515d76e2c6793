"""Find the command, read its words, do it. Only the module of the command that was asked for is loaded: a start takes a moment."""

from __future__ import annotations

import argparse
from importlib import import_module
from pathlib import Path
from typing import NoReturn

from inkshelf import __version__
from inkshelf.cli.shared import Command, nearest
from inkshelf.core.errors import InkshelfError
from inkshelf.ending import bad, status

MODULES = {
    "looking": ("inspect", "plan", "ledger", "rehearse"),
    "reckoning": ("reckon",),
    "figures": ("profiles", "explain"),
    "jobs": ("new", "take", "kit", "know", "answer"),
    "media": ("images",),
    "sticks": ("sticks",),
    "aiming": ("aims", "aim", "candidates", "choose", "lock", "editions"),
    "mending": ("causes",),
    "mishaps": ("mishap",),
    "change": ("change",),
    "inking": ("ink", "resume"),
    "papers": ("sheet", "script"),
    "working": ("work",),
    "comparing": ("compare", "handover"),
    "logging": ("log",),
    "practising": ("practice",),
}
WHERE = {name: module for module, names in MODULES.items() for name in names}


class UsageError(InkshelfError):
    """Words that make no command."""


class Parser(argparse.ArgumentParser):
    """A parser whose faults are one line, as everywhere."""

    def error(self, message: str) -> NoReturn:
        """Raise what is wrong."""
        raise UsageError(f"{message[:1].upper()}{message[1:]}.", f"See {self.prog} --help.")


def run(arguments: list[str]) -> int:
    """Run one command and return the exit status: 0 done, 1 a finding of severity stop, 2 bad input."""
    return status(lambda: _run(arguments))


def _run(arguments: list[str]) -> int:
    try:
        if arguments and not arguments[0].startswith("-"):
            return _command(arguments[0], arguments[1:])
        return _window(arguments)
    except SystemExit as leaving:  # the parser printed its help
        return leaving.code if isinstance(leaving.code, int) else 0
    except UsageError as error:
        return bad(str(error))


def _command(name: str, rest: list[str]) -> int:
    if name not in WHERE:
        near = nearest(name, list(WHERE))
        shown = name.encode("utf-8", "backslashreplace").decode()
        raise UsageError(f"There is no command “{shown}”.", f"Did you mean {near}?" if near else "See inkshelf --help.")
    command = commands(WHERE[name])[name]
    parser = Parser(prog=f"inkshelf {name}", description=command.words, allow_abbrev=False)
    command.takes(parser)
    if not {"-h", "--help"} & set(rest):
        parser.usage = ""  # nobody sees it, and putting it together takes longer than reading the words
    said, unknown = parser.parse_known_intermixed_args(rest)
    if unknown:
        raise UsageError(f"{name}: “{unknown[0]}” is not understood.", _meant(parser, unknown[0]))
    return command.do(said)


def _meant(parser: Parser, word: str) -> str:
    """The near match of an option that there is not."""
    known = [one for action in parser._actions for one in action.option_strings]  # noqa: SLF001 - argparse has no other list
    near = nearest(word.split("=", maxsplit=1)[0], known) if word.startswith("-") else ""
    return f"Did you mean {near}?" if near else f"See {parser.prog} --help."


def commands(module: str) -> dict[str, Command]:
    """Return the commands of a module, by name."""
    found: tuple[Command, ...] = import_module(f"inkshelf.cli.{module}").COMMANDS
    return {one.name: one for one in found}


def _window(arguments: list[str]) -> int:
    parser = Parser(
        prog="inkshelf",
        allow_abbrev=False,
        formatter_class=argparse.RawDescriptionHelpFormatter,
        description="Plan, rehearse and record disk layouts that several operating systems share. Without a command it opens the window.",
        epilog=_epilog() if {"-h", "--help"} & set(arguments) else None,
    )
    parser.add_argument("--demo", action="store_true", help="open the window with the demo job")
    parser.add_argument("--version", action="store_true", help="print the version")
    parser.add_argument(
        "--pictures", type=Path, metavar="DIR", help="with --demo: leave pictures of the main views in this folder and close"
    )
    parser.add_argument("--open", type=Path, metavar="JOB.json", help="open the window with this job file")
    said = parser.parse_args(arguments)
    if said.version:
        print(f"inkshelf {__version__}")
        return 0
    from inkshelf.ui.start import open_window

    return open_window(demo=said.demo, pictures=said.pictures, job=said.open)


def _epilog() -> str:
    known = [one for module in MODULES for one in commands(module).values()]
    return "commands (inkshelf COMMAND --help says more):\n" + "\n".join(f"  {one.name:10} {one.words}" for one in known)
