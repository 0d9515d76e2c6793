"""A logbook's back-up holds all of it, and all of it is put back: jobs, known faults, pictures and captures; nothing is left by halves."""

from __future__ import annotations

import sqlite3
from pathlib import Path

import pytest
from sqlalchemy import select

from inkshelf.cli import run
from inkshelf.core.errors import InkshelfError
from inkshelf.core.plan import document
from inkshelf.core.plan.job import Job
from inkshelf.core.plan.reading import read
from inkshelf.core.sheet.logged import logged
from inkshelf.core.value import replace
from inkshelf.store.logbook import shared
from inkshelf.store.logbook.backups import PutBack, back_up, restore
from inkshelf.store.logbook.book import Logbook
from inkshelf.store.logbook.changes import KINDS, Says
from inkshelf.store.logbook.faults import Fault, faults, put_fault
from inkshelf.store.logbook.files import content, held_of, keep
from inkshelf.store.logbook.following import synced
from inkshelf.store.logbook.forms import json_lines, take_lines
from inkshelf.store.logbook.models import KeptFile
from inkshelf.store.logbook.records import EXCHANGED

T0 = 1_764_590_000


@pytest.fixture
def full(job: Job, tmp_path: Path) -> Logbook:
    """Two jobs, a picture of one, a known fault and one that was taken back; what is not confirmed by the shop waits."""
    book = Logbook(f"sqlite:///{tmp_path / 'own' / 'log.sqlite'}")
    for at, seed in enumerate(("one", "two")):
        made = replace(job, seed=seed, owner="Marrow & Finch")
        book.put(logged(read(made)), document.dump(made), Says(T0 + at, "Ida", waits=seed == "two"))
    keep(book, "one", "lid.jpg", b"a picture of the lid", Says(T0 + 3, "Ida"))
    put_fault(book, Fault("Tern 400", "forgets its boot order", "set it twice"), Says(T0 + 4, "Jon"))
    gone = put_fault(book, Fault("Wren 2", "none, in truth"), Says(T0 + 5))
    put_fault(book, replace(gone, fault=""), Says(T0 + 6))
    return book


def all_of(book: Logbook) -> dict[str, dict[str, bytes]]:
    """Every record of a logbook, as it would go to another one."""
    keys = {"job": book.seeds(), "fault": tuple(one.seed for one in faults(book))}
    with book.reading() as session:
        kept = tuple(f"{seed}/{digest}" for seed, digest in session.execute(select(KeptFile.seed, KeptFile.digest)))
        known: dict[str, tuple[str, ...]] = {**keys, "file": kept}
        assert set(known) == set(KINDS), "a kind that is added is compared here, too"
        return {kind: {seed: EXCHANGED[kind].pack(session, seed) for seed in seeds} for kind, seeds in known.items()}


def test_on_an_empty_logbook_everything_is_there_again_and_the_back_up_is_as_it_was(full: Logbook, tmp_path: Path) -> None:
    back_up(full, tmp_path / "copy.sqlite")
    raw = (tmp_path / "copy.sqlite").read_bytes()
    other = Logbook(f"sqlite:///{tmp_path / 'new' / 'log.sqlite'}")
    assert restore(other, tmp_path / "copy.sqlite") == PutBack(jobs=2, faults=1, files=1)
    here, there = all_of(full), all_of(other)
    assert (there["job"], there["file"]) == (here["job"], here["file"])
    assert [replace(one, revision=0) for one in faults(other)] == [replace(one, revision=0) for one in faults(full)]
    assert [(one.seed, one.changed) for one in other.brief()] == [("two", T0 + 1), ("one", T0)]
    assert shared.standing(other).waiting == 1, "what the shop does not have waits for it again"
    assert (tmp_path / "copy.sqlite").read_bytes() == raw
    assert [one.name for one in tmp_path.iterdir() if one.name.startswith(".")] == []
    assert [one.name for one in (tmp_path / "new").iterdir() if one.name.startswith(".")] == []


def test_a_damaged_picture_comes_back_out_of_it_as_it_is_promised(full: Logbook, tmp_path: Path) -> None:
    back_up(full, tmp_path / "copy.sqlite")
    (held,) = held_of(full, "one")
    with full.writing() as session:
        row = session.get(KeptFile, ("one", held.digest))
        assert row is not None
        row.content = b"something else"
    with pytest.raises(InkshelfError, match=r"damaged\. Restore the last back-up"):
        content(full, "one", held.digest)
    restore(full, tmp_path / "copy.sqlite")
    assert content(full, "one", held.digest) == b"a picture of the lid"


def test_what_is_damaged_in_the_back_up_is_named_and_the_rest_is_put_back(
    full: Logbook, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    back_up(full, tmp_path / "copy.sqlite")
    with sqlite3.connect(tmp_path / "copy.sqlite") as connection:
        connection.execute("UPDATE entry SET document = x'00' WHERE seed = 'one'")
        connection.execute("UPDATE kept SET content = x'00'")
    connection.close()
    done = restore(Logbook(f"sqlite:///{tmp_path / 'new.sqlite'}"), tmp_path / "copy.sqlite")
    assert (done.jobs, done.faults, done.files) == (1, 1, 0)
    assert [one.split(":")[0].split("/")[0] for one in done.damaged] == ["job one", "file one"]
    url = f"sqlite:///{tmp_path / 'by hand.sqlite'}"
    assert run(["log", "restore", str(tmp_path / "copy.sqlite"), "--logbook", url]) != 0
    said = capsys.readouterr()
    assert "1 job, 1 known fault, 0 files put back" in said.out
    assert "Not put back, for it is damaged there: job one" in said.err


@pytest.mark.parametrize("where", ["no such folder/copy.sqlite", "file/copy.sqlite"])
def test_a_back_up_that_cannot_be_written_says_so_and_leaves_nothing(full: Logbook, tmp_path: Path, where: str) -> None:
    (tmp_path / "file").write_text("")
    before = sorted(tmp_path.rglob("*"))
    with pytest.raises(InkshelfError, match="cannot be written"):
        back_up(full, tmp_path / where)
    assert sorted(tmp_path.rglob("*")) == before


def test_a_disk_that_is_full_leaves_no_half_of_a_back_up(
    full: Logbook, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("os.fsync", lambda _: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    with pytest.raises(InkshelfError, match="No space left"):
        back_up(full, tmp_path / "copy.sqlite")
    assert [one.name for one in tmp_path.iterdir()] == ["own"]


def test_what_is_no_back_up_is_refused(full: Logbook, tmp_path: Path) -> None:
    (tmp_path / "words.sqlite").write_text("not a logbook, but long enough to be looked at" * 40)
    for path, says in ((tmp_path / "words.sqlite", "is no logbook"), (tmp_path, "is not there")):
        with pytest.raises(InkshelfError, match=says):
            restore(full, path)


def test_known_faults_go_out_and_come_in_with_the_jobs(full: Logbook, tmp_path: Path) -> None:
    lines = list(json_lines(full))
    other = Logbook(f"sqlite:///{tmp_path / 'other.sqlite'}")
    assert take_lines(other, iter(lines)) == (2, 1, 0)
    assert list(json_lines(other)) == lines
    assert take_lines(other, iter(lines)) == (2, 1, 0)
    assert len(faults(other)) == 1, "the same one again is the same one"
    head = '{"format": "inkshelf-log", "version": 1, "fault": '
    for bad in ("1}", "{}}", '{"seed": "../x", "model": "m", "fault": "f", "workaround": ""}}', '{"seed": "a", "model": 1}}'):
        with pytest.raises(InkshelfError, match="Line 1"):
            take_lines(other, iter([head + bad]))


def test_what_was_changed_here_since_stays_when_an_older_export_comes_in(full: Logbook, job: Job) -> None:
    lines = list(json_lines(full))
    later = replace(job, seed="one", owner="Marrow & Finch", title="with what was noted since")
    full.put(logged(read(later)), document.dump(later), Says(T0 + 90))
    (fault,) = faults(full)
    put_fault(full, replace(fault, workaround="hold F2 meanwhile"), Says(T0 + 91))
    assert take_lines(full, iter(lines)) == (1, 0, 2)
    assert full.logged("one").title == "with what was noted since"
    assert faults(full)[0].workaround == "hold F2 meanwhile"


def test_a_shops_logbook_is_not_begun_where_its_share_is_not_mounted(full: Logbook, tmp_path: Path) -> None:
    with pytest.raises(InkshelfError, match="is not there"):
        synced(full, f"sqlite:///{tmp_path / 'share' / 'shop.sqlite'}")
    assert not (tmp_path / "share").exists()
    (tmp_path / "share").mkdir()
    assert synced(full, f"sqlite:///{tmp_path / 'share' / 'shop.sqlite'}").sent == 1
