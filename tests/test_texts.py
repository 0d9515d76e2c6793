"""Words in one line: what is left out is counted."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from inkshelf.core.texts import few


@given(st.lists(st.text("abc", min_size=1), max_size=9), st.integers(1, 5), st.sampled_from([", ", "; ", " and ", "\n"]))
def test_what_does_not_fit_is_counted(words: list[str], most: int, between: str) -> None:
    said = few(words, most, between)
    assert said.startswith(between.join(words[:most]))
    rest = said.removeprefix(between.join(words[:most]))
    assert rest == ("" if len(words) <= most else f"{';' if between == '; ' else ''} and {len(words) - most} more")
