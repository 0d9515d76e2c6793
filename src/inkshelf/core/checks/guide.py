"""The built-in guide: a page for every finding, found by the beginning of its key."""

from __future__ import annotations

from inkshelf.core.errors import PlanError
from inkshelf.core.value import Value
from inkshelf.data import table


class Page(Value, frozen=True):
    """One page: what a finding means, and what practitioners do about it."""

    key: str
    title: str
    means: str
    do: str


def page_of(key: str) -> Page:
    """Return the page of a finding, by the longest beginning of its key that has one; raises ``PlanError`` where there is none."""
    pages = table("guide")
    parts = key.split(".")
    for count in range(len(parts), 0, -1):
        found = pages.get(".".join(parts[:count]))
        if found:
            return Page(".".join(parts[:count]), found["title"], found["means"], found["do"])
    from inkshelf.core.machine.figures import near

    raise PlanError(f"The guide has no page for “{key}”.", near(key, dict(pages)))


def pages() -> tuple[Page, ...]:
    """Return every page, in the order of their keys."""
    return tuple(page_of(key) for key in sorted(table("guide")))
