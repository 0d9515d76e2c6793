"""The command line: the same core without a window. Every command is also what the window does."""

from inkshelf.cli.main import run

__all__ = ["run"]
