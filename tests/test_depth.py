"""Every property goes as much deeper in the long run as the others: none has a bound of its own."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from hypothesis import settings

from strategies import USUAL, drawn


@pytest.mark.parametrize(("examples", "deep"), [(USUAL, 1000), (30, 500), (300, 5000), (1, 16)])
def test_as_many_times_more_examples_in_the_long_run(examples: int, deep: int) -> None:
    kept = settings.get_current_profile_name()
    try:
        settings.load_profile("soak")
        assert drawn(examples).max_examples == deep
        settings.load_profile("ci")
        assert drawn(examples).max_examples == examples
    finally:
        settings.load_profile(kept)


def test_no_property_has_a_bound_of_its_own() -> None:
    here = Path(__file__).parent
    bound = re.compile(r"max_examples\s*=")
    assert {one.name for one in here.glob("test_*.py") if bound.search(one.read_text())} <= {Path(__file__).name}
