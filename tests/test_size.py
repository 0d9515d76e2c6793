"""Sizes: exact both ways, and clear words for what makes no sense."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.core.errors import SizeError
from inkshelf.core.size import (
    BINARY,
    DECIMAL,
    GIB,
    MIB,
    UNITS,
    align_down,
    align_up,
    apart,
    binary,
    decimal,
    mib_to_type,
    parse_size,
    to_type,
)
from strategies import sizes


@given(st.integers(1, 10**6), st.sampled_from(sorted(UNITS)))
def test_whole_numbers_of_a_unit_are_exact(number: int, unit: str) -> None:
    if number * UNITS[unit] <= 1 << 70:
        assert parse_size(f"{number} {unit}") == number * UNITS[unit]
        assert parse_size(f"{number}{unit.lower()}") == number * UNITS[unit]


@given(sizes)
def test_what_is_shown_can_be_typed_again_within_its_last_digit(size: int) -> None:
    for text, units in ((binary(size, 2), BINARY), (decimal(size, 2), DECIMAL)):
        factor = units.get(text.split(" ")[1], 1)
        if float(text.split(" ")[0]):
            assert abs(parse_size(text) - size) <= factor * 0.00501 + 1


@given(sizes, st.sampled_from([512, 4096, MIB]))
def test_alignment_encloses_the_value(value: int, unit: int) -> None:
    assert align_down(value, unit) <= value <= align_up(value, unit)
    assert align_up(value, unit) - align_down(value, unit) in {0, unit}


@given(st.integers(1, 1 << 44))
def test_the_number_typed_gives_at_least_what_was_asked_for(size: int) -> None:
    boxes = {one.box: one for one in to_type(size)}
    mib = boxes["box labelled MB (it takes MiB)"]
    assert (int(mib.text) - 1) * MIB < size <= int(mib.text) * MIB
    assert int(mib.text) == mib_to_type(size)
    assert bool(mib.hint) == bool(size % MIB)
    assert (int(boxes["decimal MB"].text) - 1) * 10**6 < size <= int(boxes["decimal MB"].text) * 10**6
    assert (int(boxes["sectors of 512"].text) - 1) * 512 < size <= int(boxes["sectors of 512"].text) * 512


def test_the_classic_wrong_unit() -> None:
    assert to_type(80 * GIB)[0].text == "81920"
    assert binary(80000 * MIB) == "78.1 GiB"
    assert (mib_to_type(80 * 10**9), mib_to_type(45 * 10**9)) == (76294, 42916)


@given(st.integers(1, 1 << 50), st.integers(0, 1 << 24))
def test_two_sizes_beside_each_other_never_read_the_same(one: int, more: int) -> None:
    said = apart(one, one + more)
    assert (said[0] == said[1]) == (more == 0)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("-5 GB", "not above zero"),
        ("12 parsecs", "not a unit"),
        ("1e99 TB", "larger than any disk"),
        ("0", "not above zero"),
        ("0 GiB", "not above zero"),
        ("80000", "no unit"),
        ("", "not a size"),
        ("GiB", "not a size"),
        ("1.2.3 GiB", "not a size"),
        ("0.1 B", "not a size"),
        ("120G", "Did you mean 120 GiB"),
        ("1e999999999 TB", "larger"),
        ("٣ GiB", ""),
    ],
)
def test_sizes_without_sense_say_what_to_do(text: str, says: str) -> None:
    if not says:
        assert parse_size(text) == 3 * GIB  # digits of another script are digits
        return
    with pytest.raises(SizeError) as caught:
        parse_size(text)
    assert says in str(caught.value)
    assert caught.value.remedy


@given(st.text(max_size=24))
def test_any_text_gives_a_size_or_the_documented_error(text: str) -> None:
    try:
        assert parse_size(text) > 0
    except SizeError as error:
        assert error.what
