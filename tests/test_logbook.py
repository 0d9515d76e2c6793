"""The logbook: every job found again by any word of it, on whichever machine; in and out whole; an owner forgotten; a cut that loses nothing."""

from __future__ import annotations

import csv
import importlib
import io
import json
import random
import sqlite3
import subprocess
import sys
from pathlib import Path

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from alembic.operations import Operations
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import create_engine, text

from inkshelf.cli.main import run
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan import document
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.plan.working import with_events
from inkshelf.core.sheet.logged import logged
from inkshelf.core.steps.identity import said
from inkshelf.core.value import replace
from inkshelf.core.work.events import Began, Noted, Paused, Resumed, ended
from inkshelf.store import jobfile
from inkshelf.store.logbook.backups import back_up, restore
from inkshelf.store.logbook.book import Logbook
from inkshelf.store.logbook.changes import ChangedMeanwhileError, Says
from inkshelf.store.logbook.forgetting import NOBODY, forget, without
from inkshelf.store.logbook.forms import as_csv, json_lines, take_lines
from inkshelf.store.logbook.models import Base

T0 = 1_764_590_000


@pytest.fixture
def book(tmp_path: Path) -> Logbook:
    return Logbook(f"sqlite:///{tmp_path / 'log.sqlite'}")


def of(job: Job, seed: str, owner: str = "Marrow & Finch", note: str = "the lid is cracked") -> Job:
    first = job.steps[0]
    events = (
        Began(T0, first.id),
        Paused(T0 + 120, first.id, "customer"),
        Resumed(T0 + 420, first.id),
        Noted(T0 + 430, first.id, note),
        ended(first.id, T0 + 480, "done", said(first)),
    )
    return with_events(replace(job, seed=seed, owner=owner, title=f"{owner}, counter"), *events)


def put(book: Logbook, job: Job, at: int = T0, knows: int | None = None) -> int:
    return book.put(logged(read(job)), document.dump(job), Says(at, knows=knows))


def test_a_job_is_kept_whole_with_its_times_and_found_by_any_word(job: Job, book: Logbook) -> None:
    one = of(job, "one")
    assert put(book, one) == 1
    raw, revision = book.read("one")
    assert (document.load(raw), revision) == (one, 1)
    kept = book.logged("one")
    assert kept == logged(read(one))
    step = kept.steps[0]
    assert (step.took, step.waited, step.stands) == (3.0, 5.0, "done")
    assert kept.ended is None, "it is not over yet"
    for words in ("crack", "FINCH", "marrow lid", "WN08", "linux desktop", "counter cracked finch"):
        assert [one.seed for one in book.search(words)] == ["one"], words
    for words in ("zebra", "marrow zebra", '" OR seed:*', "NEAR(", "a AND"):
        assert book.search(words) == (), words
    assert [one.seed for one in book.search("  ")] == ["one"], "nothing typed: all of them"


def test_a_later_putting_in_takes_the_place_and_who_changed_an_older_one_is_told(job: Job, book: Logbook) -> None:
    put(book, of(job, "one"))
    assert put(book, of(job, "one", note="a new hinge"), T0 + 5, knows=1) == 2
    assert book.search("cracked") == ()
    assert [one.revision for one in book.search("hinge")] == [2]
    with pytest.raises(ChangedMeanwhileError) as told:
        put(book, of(job, "one", note="an old one"), T0 + 9, knows=1)
    assert told.value.revision == 2
    assert [one.revision for one in book.search("hinge")] == [2], "nothing of it was written"
    assert book.count() == 1


def test_a_machine_that_comes_back_is_known_by_its_disks(job: Job, book: Logbook) -> None:
    put(book, of(job, "one"), T0)
    put(book, of(job, "two", note="entry lost"), T0 + 9)
    serial = job.found.disks[0].serial
    assert [one.seed for one in book.before([serial, ""])] == ["two", "one"]
    assert [one.seed for one in book.before([serial], but="two")] == ["one"]
    assert book.before(["", ""]) == ()
    assert [one.seed for one in book.brief()] == ["two", "one"], "the newest first"


def test_an_owner_is_forgotten_everywhere_or_deleted(job: Job, book: Logbook, tmp_path: Path) -> None:
    put(book, of(job, "one", "Al"))
    put(book, of(job, "two", "Saltmarsh"))
    assert forget(book, "Al", Says(T0), delete=False) == 1
    raw, _ = book.read("one")
    assert document.load(raw).owner == NOBODY
    assert document.load(raw).steps == job.steps, "a short name inside other words is no name"
    assert book.search("Al") == ()
    assert [one.seed for one in book.search("somebody counter")] == ["one"]
    assert forget(book, "Saltmarsh", Says(T0), delete=True) == 1
    assert (book.count(), book.search("saltmarsh")) == (1, ())
    book.close()
    held = b"".join(path.read_bytes() for path in tmp_path.glob("log.sqlite*"))
    assert b"Al, counter" not in held, "nor in what the file still holds"
    with pytest.raises(InkshelfError):
        forget(book, " ", Says(T0), delete=True)


@given(owner=st.sampled_from(["Al", "S1", "ext4", "a+b", 'O\'Neil "x"', "Ünsal"]))
def test_a_document_without_a_name_can_always_be_opened(job: Job, owner: str) -> None:
    made = of(job, "one", owner)
    left = document.load(without(document.dump(made), owner))
    assert left.owner == NOBODY
    assert len(left.steps) == len(made.steps)


def test_it_goes_out_and_comes_in_whole(job: Job, book: Logbook, tmp_path: Path) -> None:
    put(book, of(job, "one", owner='=cmd|"x"'))
    put(book, of(job, "two"), T0 + 7)
    lines = list(json_lines(book))
    other = Logbook(f"sqlite:///{tmp_path / 'other.sqlite'}")
    assert take_lines(other, iter(lines)).jobs == 2
    assert list(json_lines(other)) == lines
    assert [other.logged(one) for one in other.seeds()] == [book.logged(one) for one in book.seeds()]
    rows = list(csv.reader(io.StringIO(as_csv(book.brief()))))
    assert len(rows) == 3
    assert not any(cell.startswith(("=", "+", "-", "@")) for row in rows for cell in row), "no cell is a formula"
    back_up(book, tmp_path / "copy.sqlite")
    with pytest.raises(InkshelfError, match="there already"):
        back_up(book, tmp_path / "copy.sqlite")
    forget(book, "Marrow & Finch", Says(T0), delete=True)
    assert restore(book, tmp_path / "copy.sqlite").jobs == 2
    assert list(json_lines(book)) == lines
    for bad in ("nonsense", "{}", '{"format": "inkshelf-log", "version": 1, "job": {}}', "[" * 5000):
        with pytest.raises(InkshelfError, match="Line 2"):
            take_lines(other, iter(["", bad]))


def test_the_tables_that_are_made_are_those_that_are_used(book: Logbook) -> None:
    """What the steps of migration come to is what the models say, so that none was forgotten."""
    with book.engine.connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_type": True})
        differences = [one for one in compare_metadata(context, Base.metadata) if "entry_words" not in str(one)]
    assert differences == []
    again = Logbook(book.url)
    assert again.count() == 0, "opened twice, it is brought up to date once"


def test_a_logbook_of_the_first_version_is_taken_over(job: Job, tmp_path: Path) -> None:
    """What is in it stays, with its revisions: who read it at one of them is told what came later."""
    path = tmp_path / "old.sqlite"
    first = importlib.import_module("inkshelf.store.logbook.migrations.versions.v001_first")
    with create_engine(f"sqlite:///{path}").begin() as connection:
        with Operations.context(MigrationContext.configure(connection)):
            first.upgrade()
        connection.execute(text("CREATE TABLE alembic_version (version_num VARCHAR(32) NOT NULL)"))
        connection.execute(text("INSERT INTO alembic_version VALUES ('001')"))
        row = {"raw": document.dump(of(job, "one")), "words": "the lid is cracked"}
        connection.execute(
            text("INSERT INTO entry VALUES ('one', 'counter', 'Al', '', '', NULL, NULL, 7, 0, 0, 4, :words, :raw)"), row
        )
        connection.execute(text("INSERT INTO entry_words (seed, words) VALUES ('one', :words)"), row)
    held = Logbook(f"sqlite:///{path}")
    assert [(one.seed, one.revision) for one in held.search("crack")] == [("one", 4)]
    assert document.load(held.read("one")[0]) == of(job, "one")
    with pytest.raises(ChangedMeanwhileError):
        put(held, of(job, "one"), T0, knows=3)
    assert put(held, of(job, "one"), T0, knows=4) == 5


CUT = """
import os, sys
from pathlib import Path
from inkshelf.store.logbook.book import Logbook
from inkshelf.store.logbook.changes import Says
from inkshelf.core.plan import document
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.logged import logged
from inkshelf.core.value import replace
job = document.load(Path(sys.argv[2]).read_bytes())
book = Logbook(sys.argv[1])
for number in range(1000):
    one = replace(job, seed=f"j{number}")
    book.put(logged(read(one)), document.dump(one), Says(number))
    print(number, flush=True)
"""


def test_a_cut_while_it_writes_loses_nothing_that_was_put_in(job: Job, tmp_path: Path) -> None:
    """The program is killed in the middle: what it said was kept is there, whole, and the file is sound."""
    path, file = tmp_path / "log.sqlite", tmp_path / "job.json"
    file.write_bytes(document.dump(of(job, "one")))
    running = subprocess.Popen([sys.executable, "-c", CUT, f"sqlite:///{path}", str(file)], stdout=subprocess.PIPE, text=True)
    assert running.stdout is not None
    last = -1
    for line in running.stdout:
        last = int(line)
        if last == 12:
            running.kill()
            break
    running.stdout.close()
    running.wait()
    book = Logbook(f"sqlite:///{path}")
    assert set(book.seeds()) >= {f"j{number}" for number in range(last + 1)}
    assert all(document.load(book.read(seed)[0]).seed == seed for seed in book.seeds())
    assert {one.seed for one in book.search("cracked")} == set(book.seeds())
    book.close()
    with sqlite3.connect(path) as held:
        assert held.execute("PRAGMA integrity_check").fetchone() == ("ok",)
    held.close()


def test_every_change_is_flushed_before_it_is_said_to_be_kept(book: Logbook) -> None:
    with book.engine.connect() as connection:
        said = [connection.exec_driver_sql(f"PRAGMA {one}").scalar() for one in ("synchronous", "journal_mode", "foreign_keys")]
    assert said == [2, "wal", 1]


def test_the_power_may_go_at_any_byte_that_is_written(job: Job, tmp_path: Path) -> None:
    """What is on the disk then is the file and a beginning of its log: every job that was kept before is there, whole, and none besides."""
    url = f"sqlite:///{tmp_path / 'log.sqlite'}"
    book, log = Logbook(url), tmp_path / "log.sqlite-wal"
    book.settle_down()
    sizes = []
    for number in range(6):
        put(book, of(job, f"j{number}"), T0 + number)
        sizes.append(log.stat().st_size)
    raw, kept = log.read_bytes(), (tmp_path / "log.sqlite").read_bytes()
    book.close()
    draw = random.Random(1)
    cuts = {0, len(raw), *sizes, *(one - 1 for one in sizes), *(draw.randrange(len(raw)) for _ in range(30))}
    for cut in sorted(cuts):
        for torn in (b"", bytes(draw.randrange(256) for _ in range(700))):
            place = tmp_path / f"cut-{cut}-{len(torn)}"
            place.mkdir()
            (place / "log.sqlite").write_bytes(kept)
            (place / "log.sqlite-wal").write_bytes(raw[:cut] + torn)
            left = Logbook(f"sqlite:///{place / 'log.sqlite'}")
            whole = sum(size <= cut for size in sizes)
            assert left.seeds() == tuple(f"j{number}" for number in range(whole)), cut
            assert {one.seed for one in left.search("cracked")} == set(left.seeds())
            assert all(document.load(left.read(seed)[0]).seed == seed for seed in left.seeds())
            left.close()


def test_a_logbook_that_cannot_be_reached_is_said_without_its_password(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("no database")
    with pytest.raises(InkshelfError, match="cannot be used"):
        Logbook(f"sqlite:///{tmp_path / 'file'}")


def test_by_command(job: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    url, file = ["--logbook", f"sqlite:///{tmp_path / 'log.sqlite'}"], tmp_path / "job.json"
    jobfile.save(of(job, "one"), file)
    assert run(["log", "put", str(file), *url]) == 0
    assert run(["log", "search", "crack", "lid", *url]) == 0
    assert "Marrow & Finch" in capsys.readouterr().out
    assert run(["log", "show", "one", "--json", *url]) == 0
    assert json.loads(capsys.readouterr().out)["steps"][0]["took"] == 3.0
    assert run(["log", "open", "one", "-o", str(tmp_path / "again.json"), *url]) == 0
    assert jobfile.load(tmp_path / "again.json") == jobfile.load(file)
    for ending in ("jsonl", "csv", "html"):
        assert run(["log", "export", "-o", str(tmp_path / f"all.{ending}"), *url]) == 0
    jobfile.save(of(job, "two"), file)
    assert run(["log", "before", str(file), *url]) == 0
    assert "one" in capsys.readouterr().out
    assert run(["log", "delete", "Marrow & Finch", *url]) == 0
    assert run(["log", "import", str(tmp_path / "all.jsonl"), *url]) == 0
    assert run(["log", "list", *url]) == 0
    assert "Marrow & Finch" in capsys.readouterr().out
    assert run(["log", "show", "nine", *url]) == 2
    assert run(["log", "burn", *url]) == 2
