"""Write docs/guide/ from the pages that ship with the program: one a chapter, one a finding, and a list of them; pictures are those of the demo."""

from pathlib import Path

from inkshelf.core.checks.guide import Page, chapter_pages, pages

FOLDER, PICTURES = Path("docs/guide"), Path("docs/screenshots")


def whole(page: Page) -> str:
    """Return a page as Markdown."""
    lines = [f"# {page.title}", "", page.means, ""]
    picture = PICTURES / f"{page.key}.png"
    if page.about == "chapter":
        if picture.exists():
            lines += [f"![{page.title}](../screenshots/{picture.name})", ""]
        lines += [*(f"- {line}" for line in page.do.split("\n")), "", f"Keys: {page.keys}", ""]
    else:
        lines += [f"**What to do.** {page.do}", "", f"`inkshelf explain {page.key}`", ""]
    return "\n".join([*lines, "[All pages](README.md)", ""])


def contents(chapters: tuple[Page, ...], findings: tuple[Page, ...]) -> str:
    """Return the list of all pages."""
    lines = [
        "# The guide",
        "",
        "The same pages stand in the program: F1 opens that of the chapter where you are, the sign of a note that of a finding.",
        "",
    ]
    for words, listed in (("Chapters", chapters), ("Findings", findings)):
        lines += [f"## {words}", "", *(f"- [{one.title}]({name(one)})" for one in listed), ""]
    return "\n".join(lines)


def name(page: Page) -> str:
    """Return the name of a page's file."""
    return f"{page.about}-{page.key.replace('.', '-')}.md"


def made() -> dict[str, str]:
    """Return every file of the folder by its name."""
    chapters, findings = chapter_pages(), pages()
    return {"README.md": contents(chapters, findings), **{name(one): whole(one) for one in (*chapters, *findings)}}


if __name__ == "__main__":
    FOLDER.mkdir(parents=True, exist_ok=True)
    files = made()
    for old in FOLDER.glob("*.md"):
        if old.name not in files:
            old.unlink()
    for file, text in files.items():
        (FOLDER / file).write_text(text, encoding="utf-8")
    print(f"{len(files)} pages")
