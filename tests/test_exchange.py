"""Job files, captured text, the sheet and the script."""

from __future__ import annotations

import json
from functools import cache
from html.parser import HTMLParser
from pathlib import Path

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkshelf.bench import demo
from inkshelf.core.aims.beside import Beside
from inkshelf.core.errors import JobError
from inkshelf.core.plan import document
from inkshelf.core.plan.job import Job, Override, with_aim
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.sheet import sheet
from inkshelf.core.size import GIB
from inkshelf.core.steps.identity import Tick
from inkshelf.core.steps.kinds import Retype, Shrink
from inkshelf.core.value import replace
from inkshelf.exchange import render
from inkshelf.store import jobfile
from strategies import aims

# -- the job file ------------------------------------------------------------------------------------------------------


@cache
def _validator() -> jsonschema.protocols.Validator:
    """The schema is looked at once, not for every example."""
    schema = document.schema()
    kind = jsonschema.validators.validator_for(schema)
    kind.check_schema(schema)
    return kind(schema)


@given(aims)
def test_a_job_comes_back_equal_and_keeps_to_its_schema(found_job: Job, aim: Beside) -> None:
    job = replace(with_aim(found_job, aim), overrides=(Override("x", "because"),), ticked=(Tick("a1.x", "0"),))
    raw = document.dump(job)
    assert document.load(raw) == job
    _validator().validate(json.loads(raw))


def test_the_published_schema_is_the_one_in_use() -> None:
    assert jobfile.published_schema() == json.loads(json.dumps(document.schema()))
    assert jobfile.published_schema() == json.loads(Path("docs/job.schema.json").read_text())


@pytest.mark.parametrize(
    ("raw", "says"),
    [
        (b"", "not JSON"),
        (b"\xff\xfe", "not JSON"),
        (b"[1]", "not an Ink Shelf job"),
        (b'{"format": "other"}', "not an Ink Shelf job"),
        (b'{"format": "inkshelf-job"}', "version"),
        (b'{"format": "inkshelf-job", "version": true}', "version"),
        (b'{"format": "inkshelf-job", "version": 99}', "later Ink Shelf"),
        (b'{"format": "inkshelf-job", "version": 1, "job": {"steps": 3}}', "damaged"),
        (b'{"format": "inkshelf-job", "version": 2, "job": {"steps": 3}}', "damaged at job.steps"),
        (b'{"format": "inkshelf-job", "version": 2, "job": {}, "more": 1}', "unknown field `more`"),
        (
            b'{"format": "inkshelf-job", "version": 4, "job": {"steps": [{"kind": "melt"}]}}',
            r"job.steps\[0\]: 'melt' is no kind of step",
        ),
        (
            b'{"format": "inkshelf-job", "version": 4, "job": {"steps": [{"kind": "delete", "call": 3}]}}',
            r"job.steps\[0\].call",
        ),
        (b'{"format": "inkshelf-job", "version": 4, "job": {"steps": [[]]}}', "is no kind of step"),
        (b'{"format": "inkshelf-job", "version": 4, "job": {"by_hand": {}}}', "damaged at job.by_hand"),
        (b'{"format": "inkshelf-job", "version": 4, "job": {"by_hand": [{"id": 3}]}}', r"job.by_hand\[0\].id"),
        (
            b'{"format": "inkshelf-job", "version": 4, "job": {"by_hand": [{"id": "h1", "verb": "exactly", "call": "A", "exactly": {"kind": "StepBase"}}]}}',
            r"job.by_hand\[0\].exactly: 'StepBase' is no kind of step",
        ),
        (b"[" * 100_000, "not JSON"),
    ],
)
def test_what_is_no_job_says_why(raw: bytes, says: str) -> None:
    with pytest.raises(JobError, match=says) as caught:
        document.load(raw)
    assert caught.value.remedy


@given(st.binary(max_size=400))
def test_any_bytes_give_a_job_or_the_documented_error(raw: bytes) -> None:
    try:
        document.load(raw)
    except JobError as error:
        assert error.what


def test_saving_replaces_whole_files_only(job: Job, tmp_path: Path) -> None:
    path = tmp_path / "job.json"
    jobfile.save(job, path)
    first = path.read_bytes()
    with pytest.raises(JobError, match="cannot be written"):
        jobfile.save(job, tmp_path / "nowhere" / "job.json")
    with pytest.raises(JobError):
        jobfile.save(job, path / "below-a-file.json")
    assert path.read_bytes() == first
    assert list(tmp_path.iterdir()) == [path], "no half-written file is left"
    with pytest.raises(JobError, match="not there"):
        jobfile.load(tmp_path / "gone.json")
    with pytest.raises(JobError, match="folder"):
        jobfile.load(tmp_path)


def test_what_could_not_be_opened_again_never_takes_the_place_of_what_can(job: Job, tmp_path: Path) -> None:
    path = tmp_path / "job.json"
    jobfile.save(job, path)
    good = path.read_bytes()
    with pytest.raises(JobError, match="could not be opened again"):
        jobfile.save(replace(job, title="two\nlines"), path)
    assert path.read_bytes() == good
    jobfile.save(replace(job, title="two\nlines"), tmp_path / "rescued.json", read_back=False)


class Reader(HTMLParser):
    """Collects text, and every address that a page would fetch."""

    def __init__(self) -> None:
        super().__init__()
        self.text, self.fetched, self.depth = "", [], []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.fetched += [value for name, value in attrs if name in {"src", "href"}]
        if tag not in {"meta", "br", "link", "img", "input"}:
            self.depth.append(tag)

    def handle_endtag(self, tag: str) -> None:
        assert self.depth.pop() == tag

    def handle_data(self, data: str) -> None:
        self.text += data


def test_the_sheet_holds_every_step_and_fetches_nothing(job: Job) -> None:
    reading = read(replace(job, title="<desk & lamp>"))
    page = Reader()
    page.feed(render.html(reading))
    assert page.fetched == []
    assert page.depth == []
    assert "<desk & lamp>" in page.text
    markdown = render.markdown(reading)
    made = sheet(reading)
    for row in made.rows:
        assert row.words.title in page.text
        assert f"**{row.number}. {row.words.title}**" in markdown
        for _, value in row.words.values:
            assert value in page.text
            assert value in markdown
    assert page.text.count("Point of no return") == markdown.count("POINT OF NO RETURN") == 1
    assert "143360" in page.text
    assert "WN08-8831-C" in page.text


def test_the_sheet_knows_what_stops_and_what_is_put_back(job: Job) -> None:
    made = sheet(read(job))
    line = next(row.number for row in made.rows if row.no_return)
    assert isinstance(job.steps[line - 1], Shrink)
    assert made.put_back == (
        "type of B1 (step " + str(max(number for number, step in enumerate(job.steps, 1) if isinstance(step, Retype))) + ")",
    )
    assert made.minutes > sum(row.minutes for row in made.rows)
    assert all(row.starts for row in made.rows)
    stopped = render.markdown(
        read(replace(job, found=replace(job.found, conditions=replace(job.found.conditions, backup="none"))))
    )
    assert "## Stops" in stopped
    assert "No back-up" in stopped


def test_shapes_hold_exact_integers(job: Job) -> None:
    from inkshelf.core.checks import findings
    from inkshelf.exchange import shapes

    reading = read(with_aim(job, Beside(size_bytes=100 * GIB)))
    document = json.loads(json.dumps(shapes.plan(reading, findings(reading))))
    disk = document["planned"]["disks"][0]
    assert sum(one["size_bytes"] for one in document["ledger"]["stretches"]) == disk["size_bytes"] == demo.DISK_BYTES
    assert document["shrink"] == [
        {"call": "S1", "step": 6, "from_bytes": 489894707200, "to_bytes": 489894707200 - 100 * GIB, "type_mib": 102400}
    ]
