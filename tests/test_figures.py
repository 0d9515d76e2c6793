"""Figures of profiles and defaults: what ships is whole and reasoned, a shop's own file overrides single ones or is refused by its line."""

from __future__ import annotations

import json
import tomllib
from collections.abc import Iterator
from pathlib import Path

import jsonschema
import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from pytestqt.qtbot import QtBot

from inkshelf.cli import run
from inkshelf.core.aims.beside import Beside
from inkshelf.core.checks import findings
from inkshelf.core.errors import InkshelfError, PlanError
from inkshelf.core.machine.figures import FIELDS, faults_of, resolved
from inkshelf.core.machine.profiles import profile, profiles, room_of
from inkshelf.core.plan.job import Job, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.size import GIB
from inkshelf.data import FOLDER, table, use_shop
from inkshelf.store import shop
from inkshelf.ui.frame.shopwatch import ShopWatch
from inkshelf.ui.frame.window import Window


@pytest.fixture(autouse=True)
def shipped_again() -> Iterator[None]:
    yield
    use_shop({})


def own(folder: Path, text: str) -> Path:
    path = folder / "figures.toml"
    path.write_text(text)
    return path


# -- what ships --------------------------------------------------------------------------------------------------------
@pytest.mark.parametrize("name", ["profiles", "defaults"])
def test_what_is_compiled_is_what_stands_in_the_file(name: str) -> None:
    written = tomllib.loads((FOLDER / f"{name}.toml").read_text())
    assert table(name) == (resolved(written) if name == "profiles" else written), "run make figures"


def test_every_profile_is_whole_and_every_figure_has_its_reason() -> None:
    assert len(profiles()) >= 12
    assert {one.family for one in profiles()} == {"nt", "linux", "apfs"}
    for key, one in table("profiles").items():
        assert list(faults_of(key, one, {})) == []
        assert all(given["reason"].strip() for field, given in one.items() if field in FIELDS)
    for one in profiles():
        assert one.installed <= one.floor <= one.comfort, one.key
        assert one.root_floor <= one.floor or one.family == "nt", one.key
        assert set(one.lives_on) <= set(one.reads) | {"ext3"}, one.key
    assert len({one.folder for one in profiles()}) == len(profiles()), "two systems never share a loader folder"


@given(st.sampled_from([one.key for one in profiles() if one.family == "linux"]), st.sampled_from(["together", "apart"]))
def test_every_linux_profile_is_planned_with_its_own_room_or_refused_in_words(found_job: Job, key: str, home: str) -> None:
    job = with_aim(found_job, Beside(system=key, size_bytes=None, home=home, swap="none"))
    if not job.steps:
        assert profile(key).title in job.plan_fault
        return
    new = next(one for _, one in read(job).plan.planned.volumes() if one.planned and one.role == "system")
    assert new.size >= room_of(key, apart=home == "apart").floor
    assert not [one for one in findings(read(job)) if one.key.startswith("room.floor")]


def test_a_system_that_starts_the_legacy_way_only_is_not_planned_beside_a_uefi_one(found_job: Job) -> None:
    assert "legacy way only" in with_aim(found_job, Beside(system="linux-legacy")).plan_fault
    assert "cannot be planned here" in with_aim(found_job, Beside(system="apfs-desktop")).plan_fault
    with pytest.raises(PlanError, match="no system profile"):
        profile("granite")


# -- a shop's own ------------------------------------------------------------------------------------------------------
def test_a_shop_overrides_single_figures_and_they_are_said_to_be_its_own(found_job: Job, tmp_path: Path) -> None:
    text = """
[profiles.linux-desktop]
floor = "90 GiB"
comfort = { value = "95 GiB", reason = "our customers keep films" }
[profiles.counter-desk]
like = "linux-light"
title = "Counter desk"
folder = "counter"
[defaults.room.home]
floor = "12 GiB"
"""
    before = table("profiles")["linux-desktop"]
    assert shop.use(own(tmp_path, text)) == 3
    assert (profile("linux-desktop").floor, profile("linux-desktop").ram) == (90 * GIB, 4 * GIB)
    assert profile("linux-desktop").reasons["comfort"] == "our customers keep films"
    assert (profile("counter-desk").title, profile("counter-desk").floor) == ("Counter desk", 24 * GIB)
    job = with_aim(found_job, Beside(size_bytes=60 * GIB, swap="none"))
    (finding,) = [one for one in findings(read(job)) if one.key.startswith("room.floor")]
    assert "from your shop's figures" in finding.why
    assert shop.use(tmp_path / "none") == 0
    assert table("profiles")["linux-desktop"] == before


@pytest.mark.parametrize(
    ("text", "line", "says"),
    [
        ("[profiles.linux-desktop]\nfloor = 30\n", 2, "floor is a size with its unit"),
        ('[profiles.linux-desktop]\n\nflor = "30 GiB"\n', 3, "Did you mean floor"),
        ('[profiles.linux-dekstop]\nfloor = "30 GiB"\n', 1, "lacks title"),
        ('[profiles.mine]\nlike = "linux-dekstop"\n', 2, "Did you mean linux-desktop"),
        ('[profiles.linux-desktop]\nfloor = "30 furlongs"\n', 2, "not a unit of size"),
        ("[profiles.linux-desktop]\ncpu_bits = 48\n", 2, "32, 64"),
        ('[profiles.linux-desktop]\nfloor = { value = "30 GiB", reason = 3 }\n', 2, "one line"),
        ('[profiles.linux-desktop]\nfloor = { value = "30 GiB", reason = "a\\nb" }\n', 2, "one line"),
        ('[profiles.linux-desktop]\nmenus = ["own", "grand"]\n', 2, "a list of"),
        ('[profiles.linux-desktop]\nsigned = "yes"\n', 2, "true or false"),
        ('[profiles.linux-desktop]\nfamily = "granite"\n', 2, "nt, linux, apfs"),
        ('[profiles."Bad Name"]\nlike = "linux-light"\n', 0, "small letters"),
        ("[profiles]\nlinux-desktop = 3\n", 0, "no table of figures"),
        ("[profile.linux-desktop]\n", 0, "Did you mean profiles"),
        ("[defaults.room.home]\nflor = '1 GiB'\n", 2, "Did you mean floor"),
        ("[defaults.room.home]\nfloor = '1'\n", 2, "is no size"),
        ("[defaults.room]\nhome = 3\n", 2, "is no table"),
        ("[defaults.rates]\nstick = -1\n", 2, "above zero"),
        ("[defaults.rates]\nstick = true\n", 2, "above zero"),
        ("[profiles.linux-desktop\n", 1, "is not TOML"),
    ],
)
def test_a_figure_that_cannot_be_is_refused_by_its_line(tmp_path: Path, text: str, line: int, says: str) -> None:
    with pytest.raises(InkshelfError, match=says) as caught:
        shop.use(own(tmp_path, text))
    assert (f"line {line}" in str(caught.value)) == bool(line)
    assert profile("linux-desktop").floor == 24 * GIB, "those that ship are in use"


VALUES = st.one_of(
    st.none().map(lambda _: "30 GiB"),
    st.integers(-3, 99),
    st.booleans(),
    st.text(max_size=5),
    st.lists(st.sampled_from(["own", "x"]), max_size=2),
)


@given(st.dictionaries(st.sampled_from([*FIELDS, "title", "like", "other"]), VALUES, max_size=4))
@example({"like": []})
def test_any_figures_are_used_or_refused_in_one_line(
    tmp_path_factory: pytest.TempPathFactory, figures: dict[str, object]
) -> None:
    lines = "\n".join(f"{key} = {json.dumps(value, ensure_ascii=True)}" for key, value in figures.items())
    path = own(tmp_path_factory.mktemp("shop"), f"[profiles.linux-desktop]\n{lines}\n")
    try:
        shop.use(path)
        assert all(one.floor >= 0 for one in profiles())
    except InkshelfError as error:
        assert error.what
    finally:
        use_shop({})


def test_the_published_schema_is_the_one_in_use_and_takes_what_is_used(tmp_path: Path) -> None:
    published = json.loads(Path("docs/figures.schema.json").read_text())
    assert published == shop.schema()
    good = {"profiles": {"linux-desktop": {"floor": "30 GiB"}}, "defaults": {"room": {"home": {"floor": "12 GiB"}}}}
    jsonschema.validate(good, published)
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({"profiles": {"linux-desktop": {"flor": "30 GiB"}}}, published)


def test_the_command_lists_profiles_with_their_reasons(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path))
    assert run(["profiles"]) == 0
    assert len(capsys.readouterr().out.splitlines()) == len(profiles())
    assert run(["profiles", "linux-rolling", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["profiles"]["linux-rolling"]["floor"]["value"] == "44 GiB"
    assert run(["profiles", "linux-roling"]) == 2
    assert "Did you mean linux-rolling?" in capsys.readouterr().err
    assert run(["profiles", "--shop"]) == 0
    place = Path(capsys.readouterr().out.splitlines()[0])
    assert place == tmp_path / "inkshelf" / "figures.toml"
    place.parent.mkdir()
    own(place.parent, '[profiles.nt-old]\nfloor = "41 GiB"\n')
    assert run(["profiles", "nt-old"]) == 0
    assert "41 GiB" in capsys.readouterr().out
    own(place.parent, "[profiles.nt-old]\nfloor = 41\n")
    assert run(["profiles"]) == 2
    assert "line 2" in capsys.readouterr().err


def test_an_edit_shows_in_the_window_at_once(window: Window, qtbot: QtBot, tmp_path: Path, found_job: Job) -> None:
    window.desk.change(with_aim(found_job, Beside(size_bytes=60 * GIB, swap="none")), "the aim")
    assert not [one for one in window.desk.findings if one.key.startswith("room.floor")]
    watch = ShopWatch(window.desk, window, tmp_path / "figures.toml")
    own(tmp_path, '[profiles.linux-desktop]\nfloor = "90 GiB"\n')
    qtbot.waitUntil(lambda: bool([one for one in window.desk.findings if one.key.startswith("room.floor")]))
    assert "1 figures from your shop's file" in window.desk.notice.what
    own(tmp_path, "[profiles.linux-desktop]\nfloor = 9\n")
    qtbot.waitUntil(lambda: window.desk.notice.bad)
    assert "line 2" in window.desk.notice.what
    watch.path.unlink()
    qtbot.waitUntil(lambda: not window.desk.notice.bad)
    assert not [one for one in window.desk.findings if one.key.startswith("room.floor")]


def test_a_shop_has_its_own_usual_answers(found_job: Job, tmp_path: Path) -> None:
    plain = Beside.usual_on(found_job.found)
    text = '[schools]\nhome = "apart"\nswap = { value = "none", reason = "our machines have memory enough" }\n'
    try:
        assert shop.use(own(tmp_path, text)) == 2
        aim = Beside.usual_on(found_job.found)
        assert (aim.home, aim.swap) == ("apart", "none")
        said = {one.key: (one.usual, one.why) for one in aim.asked(found_job.found)}
        assert said["home"] == ("apart", "your shop's way")
        assert said["swap"] == ("none", "our machines have memory enough")
        assert Beside.usual_on(found_job.found, {"home": "together"}).home == "together", "a job may differ"
        assert with_aim(found_job, plain).aims == (plain,), "what was answered stays answered"
    finally:
        use_shop({})
    assert Beside.usual_on(found_job.found) == plain


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ('[schools]\nhme = "apart"\n', "line 2.*hme.*Did you mean home"),
        ('[schools]\nhome = "upstairs"\n', "line 2.*upstairs.*no answer"),
        ('[schools]\nhome = ["apart"]\n', "line 2.*no answer"),
        ('[schools]\nthere = "erase"\n', "line 2.*there.*no question"),
        ('[schools]\nhome = { value = "apart", reason = 3 }\n', "line 2.*reason is no sentence"),
        ("schools = 1\n", "schools.*is no table"),
    ],
)
def test_a_school_that_cannot_be_is_refused_by_its_line(text: str, says: str, tmp_path: Path) -> None:
    with pytest.raises(InkshelfError, match=says):
        shop.use(own(tmp_path, text))
