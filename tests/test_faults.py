"""The lists of small faults fit the code: one that fits no more finds nothing, and nobody would notice."""

from __future__ import annotations

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tools"))
from faults import FAULTS
from faults_logging import LOGGING
from faults_starting import STARTING
from faults_working import WORKING

ROOT = Path(__file__).parent.parent


def test_every_fault_stands_in_one_place_of_the_code_and_names_tests_that_are_there() -> None:
    texts: dict[str, str] = {}
    unfit = []
    for name, old, new, tests in (*FAULTS, *STARTING, *WORKING, *LOGGING):
        text = texts.setdefault(name, (ROOT / "src" / "inkshelf" / name).read_text(encoding="utf-8"))
        there = all((ROOT / "tests" / f"test_{one}.py").exists() for one in tests.split())
        unfit += [] if text.count(old) == 1 and old != new and there else [(name, old)]
    assert unfit == []
