"""Editions of an install image: images that another writer made, hostile lists, and what a job does with them."""

from __future__ import annotations

import json
import struct
import subprocess
from pathlib import Path

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

import machines
from inkshelf.bench.recipes import wanting
from inkshelf.cli import run
from inkshelf.core.aims.in_file import Edition
from inkshelf.core.checks import apply_remedy, findings
from inkshelf.core.errors import CaptureError, PlanError
from inkshelf.core.plan.job import Job, changed_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.value import replace
from inkshelf.exchange.editions import editions, with_editions
from inkshelf.exchange.render import markdown
from inkshelf.store import jobfile


@pytest.fixture(scope="module")
def one(tmp_path_factory: pytest.TempPathFactory) -> Job:
    return wanting(machines.one_disk(tmp_path_factory.mktemp("editions")), ("in-file", {"size": "44GiB"}))


def image(folder: Path, *names: str, packed: str = "none") -> Path:
    path = folder / "install.wim"
    for number, name in enumerate(names):
        (folder / f"t{number}").mkdir()
        (folder / f"t{number}" / "file").write_bytes(bytes(1000 * (number + 1)))
        verb = ["wimcapture", f"--compress={packed}"] if not number else ["wimappend"]
        subprocess.run([verb[0], str(folder / f"t{number}"), str(path), name, *verb[1:]], check=True, capture_output=True)
    return path


def by_hand(xml: str, *, size: int | None = None, raw: bytes | None = None) -> bytes:
    text = raw if raw is not None else xml.encode("utf-16")
    head = bytearray(208)
    struct.pack_into("<8sI", head, 0, b"MSWIM\0\0\0", 208)
    struct.pack_into("<QQQ", head, 72, (len(text) if size is None else size) | 2 << 56, 208, len(text))
    return bytes(head) + text


@pytest.mark.parametrize("packed", ["none", "LZX"])
def test_an_image_of_another_writer_is_read(packed: str, tmp_path: Path) -> None:
    names = ["Home", "Professional & <more>", "Größer"]
    assert editions(image(tmp_path, *names, packed=packed)) == tuple(
        Edition(number, name, 1000 * number) for number, name in enumerate(names, 1)
    )


@pytest.mark.parametrize(
    ("raw", "said"),
    [
        (b"short", "no install image"),
        (bytes(4096), "no install image"),
        (by_hand("<WIM/>"), "lists no edition"),
        (by_hand("<WIM>"), "cannot be read"),
        (by_hand("", raw=b"\xff\xfe\x00"), "cannot be read"),
        (by_hand("<WIM/>", size=1 << 40), "bytes"),
        (by_hand("<WIM/>")[:-2], "ends before"),
        (by_hand('<!DOCTYPE x [<!ENTITY a "aaaa">]><WIM><IMAGE INDEX="1"><NAME>&a;</NAME></IMAGE></WIM>'), "cannot be read"),
        (by_hand('<WIM><IMAGE INDEX="1"/><IMAGE INDEX="1"/></WIM>'), "twice"),
        (by_hand('<WIM><IMAGE INDEX="-1"/><IMAGE INDEX="99999999"/><IMAGE/></WIM>'), "lists no edition"),
    ],
)
def test_what_is_no_list_of_editions_is_one_line(raw: bytes, said: str, tmp_path: Path) -> None:
    path = tmp_path / "odd.wim"
    path.write_bytes(raw)
    with pytest.raises(CaptureError, match=said):
        editions(path)


@example(b"\0\0", 87, 128)
@given(st.binary(max_size=400), st.integers(0, 207), st.integers(0, 255))
def test_odd_bytes_never_end_in_a_traceback(tmp_path_factory: pytest.TempPathFactory, text: bytes, at: int, value: int) -> None:
    path = tmp_path_factory.mktemp("odd") / "odd.wim"
    raw = bytearray(by_hand("", raw=text))
    raw[at] = value
    path.write_bytes(raw)
    try:
        assert all(0 < one.index < 1 << 16 and "\n" not in one.name for one in editions(path))
    except CaptureError as error:
        assert str(error)


def test_a_name_with_line_breaks_is_one_line(tmp_path: Path) -> None:
    path = tmp_path / "odd.wim"
    path.write_bytes(by_hand('<WIM><IMAGE INDEX="3"><NAME>one\u2028two&#10;rm -rf</NAME></IMAGE></WIM>'))
    (only,) = editions(path)
    assert only.name.isprintable()


def test_nothing_is_chosen_where_there_is_a_choice(one: Job) -> None:
    two = (Edition(2, "Home"), Edition(5, "Professional"))
    job = with_editions(one, two)
    assert job.aims[0].edition == 0
    asked = next(question for question in job.aims[0].questions(job.found) if question.key == "edition")
    assert [answer.value for answer in asked.answers] == ["2", "5", "0"]
    said = next(finding for finding in findings(read(job)) if finding.key.startswith("wish.edition"))
    chosen = apply_remedy(job, said.remedies[1])
    assert chosen.aims[0].chosen == two[1]
    assert "/Index:5 " in markdown(read(chosen))
    assert not any(finding.key.startswith("wish.edition") for finding in findings(read(chosen)))
    assert with_editions(one, two[:1]).aims[0].edition == 2, "the only one is meant"
    kept = with_editions(changed_aim(job, replace(job.aims[0], edition=5)), two)
    assert kept.aims[0].edition == 5
    assert with_editions(kept, (Edition(1, "a"), Edition(2, "b"))).aims[0].edition == 0, "another image, another number"


def test_a_job_without_such_an_aim_says_so(one: Job) -> None:
    with pytest.raises(PlanError, match="in-file"):
        with_editions(replace(one, aims=()), (Edition(1, "a"),))


def test_the_command_lists_notes_and_chooses(one: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path, job = image(tmp_path, "Home", "Professional"), tmp_path / "job.json"
    jobfile.save(one, job)
    assert run(["editions", str(path), "--json"]) == 0
    listed = json.loads(capsys.readouterr().out)["editions"]
    assert [(edition["index"], edition["name"]) for edition in listed] == [(1, "Home"), (2, "Professional")]
    assert run(["editions", str(path), str(job)]) == 0
    assert run(["aim", str(job), "--change", "1", "--edition", "2"]) == 0
    assert jobfile.load(job).aims[0].chosen.name == "Professional"
    assert run(["aim", str(job), "--change", "1", "--edition", "7"]) == 2
    assert "not one of the answers" in capsys.readouterr().err
