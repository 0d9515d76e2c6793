"""Compile the figures that ship as TOML into modules, so that a start does not parse them. A test holds the two against each other."""

import pprint
import sys
import tomllib
from pathlib import Path

from inkshelf.core.machine.figures import resolved

DATA = Path(__file__).parents[1] / "src" / "inkshelf" / "data"
HEAD = '"""Made from {name}.toml by tools/figures.py: change that, and run make figures."""\n\nfrom typing import Any\n\nTABLE: dict[str, dict[str, Any]] = '


def compiled(name: str) -> str:
    """Return the module's text."""
    table = tomllib.loads((DATA / f"{name}.toml").read_text(encoding="utf-8"))
    made = resolved(table) if name == "profiles" else table
    return HEAD.format(name=name) + pprint.pformat(made, width=120, sort_dicts=False) + "\n"


if __name__ == "__main__":
    for name in ("profiles", "defaults"):
        (DATA / f"{name}.py").write_text(compiled(name), encoding="utf-8")
    sys.stdout.write("figures compiled; format them: ruff format src/inkshelf/data\n")
