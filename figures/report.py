"""One line of the suite: what was measured, the figure, what is wanted."""

from __future__ import annotations


def line(what: str, figure: str, wanted: str, *, good: bool) -> None:
    print(f"{'reached' if good else 'MISSED '}  {what:58} {figure:>26}   wanted: {wanted}")
