"""The built-in guide: a page for every finding, found by the beginning of its key, and one for every chapter; searched by words."""

from __future__ import annotations

from typing import Literal

from inkshelf.core.errors import PlanError
from inkshelf.core.value import Value
from inkshelf.data import table


class Page(Value, frozen=True):
    """One page: what a finding means, or what a chapter is for, and what practitioners do; ``keys``: of a chapter, its keys."""

    key: str
    title: str
    means: str
    do: str
    about: Literal["finding", "chapter"] = "finding"
    keys: str = ""


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
    """Return every page of a finding, in the order of their keys."""
    return tuple(page_of(key) for key in sorted(table("guide")))


def chapter_page(key: str) -> Page:
    """Return the page of a chapter; raises ``PlanError`` where there is none."""
    found = table("guide_chapters").get(key)
    if found is None:
        raise PlanError(
            f"The guide has no page for the chapter “{key}”.", f"Choose one of: {', '.join(table('guide_chapters'))}."
        )
    return Page(key, found["title"], found["means"], found["do"], "chapter", found["keys"])


def chapter_pages() -> tuple[Page, ...]:
    """Return the pages of all chapters, in the order of the work."""
    return tuple(chapter_page(key) for key in table("guide_chapters"))


def search(words: str) -> tuple[Page, ...]:
    """Return every page that holds all of these words, or parts of them: those that have them in their title first; all where nothing is said."""
    parts = words.lower().split()
    every = (*chapter_pages(), *pages())
    found = [one for one in every if all(part in f"{one.title} {one.means} {one.do} {one.keys}".lower() for part in parts)]
    return tuple(sorted(found, key=lambda one: not all(part in one.title.lower() for part in parts)))
