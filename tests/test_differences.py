"""What differs is said by its field, with both values: no field is passed over, and nothing is said of equal states."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from inkshelf.bench.differences import words
from inkshelf.core.machine.state import FileSystem, Volume
from inkshelf.core.size import GIB, grouped
from inkshelf.core.value import replace

VOLUME = Volume("S2", 6, GIB, 50 * GIB, "type", "system", filesystem=FileSystem("ext4", 50 * GIB, "root", "uuid"))


@given(st.sampled_from([name for name in Volume.__struct_fields__ if name != "filesystem"]))
def test_every_field_that_differs_is_named(field: str) -> None:
    old = getattr(VOLUME, field)
    new = (
        not old
        if isinstance(old, bool)
        else old + 1
        if isinstance(old, int)
        else ("x",)
        if isinstance(old, tuple)
        else f"{old}x"
    )
    said = words((VOLUME,), (replace(VOLUME, **{field: new}),))
    if field == "call":
        assert said == "S2: predicted, not there; S2x: there, not predicted"
    else:
        assert said.startswith(f"S2 {field.replace('_', ' ')}: predicted ")
        assert ", read " in said
    assert words(VOLUME, VOLUME) == ""


def test_differences_read_as_sentences() -> None:
    other = replace(VOLUME, size=3, active=True, filesystem=replace(VOLUME.filesystem, label=""))
    assert words(VOLUME, other).split("; ") == [
        f"size: predicted {grouped(50 * GIB)}, read 3",
        "active: predicted no, read yes",
        "filesystem label: predicted root, read none",
    ]
    assert words(VOLUME, replace(VOLUME, filesystem=None)) == "filesystem: predicted ext4, read none"
    assert words((1, 2), (1,)) == "predicted 1, 2, read 1"
    there = (VOLUME, replace(VOLUME, call="D1", size=1))
    assert words(there, (replace(VOLUME, call="W1"), replace(VOLUME, number=7))).split("; ") == [
        "S2 number: predicted 6, read 7",
        "D1: predicted, not there",
        "W1: there, not predicted",
    ]
    many = tuple(range(9)), tuple(range(1, 10))
    assert words(*many).endswith("; and 5 more")
