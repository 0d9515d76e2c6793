"""The logbook itself: put a job in, find it again, list what was done on a machine before; by URL, SQLite in the person's folder by default."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event, func, select, text
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session, selectinload

from inkshelf.core.errors import JobError
from inkshelf.core.plan import document
from inkshelf.core.sheet.logged import Logged, LoggedDisk, LoggedFinding, LoggedStep
from inkshelf.core.value import Value
from inkshelf.store.folders import data_folder
from inkshelf.store.logbook.models import Entry, MetFinding, SeenDisk, TimedStep

MIGRATIONS = Path(__file__).parent / "migrations"
MOST = 500
WORD = re.compile(r"\w+")
NEWEST = "SELECT seed FROM entry_words WHERE entry_words MATCH :asked ORDER BY rowid DESC LIMIT :most"
"""Words are put in anew with every change, so that their own order is that of the changes: the index needs not be sorted."""
WRITTEN = ("owner", "title", "reasons")
NOBODY = "somebody"
"""Who an owner becomes that is to be known no more."""


class Brief(Value, frozen=True):
    """A job in a list: minutes, times as seconds since the epoch."""

    seed: str
    title: str
    owner: str
    aim: str
    changed: int
    begun: int | None
    ended: int | None
    planned: float
    took: float
    revision: int


class ChangedMeanwhileError(JobError):
    """Somebody else changed the job in the logbook since it was read; ``revision`` is the one that is there now."""

    def __init__(self, revision: int) -> None:
        super().__init__(
            "Somebody else changed this job in the logbook meanwhile.", "Look at both, and put yours in once more."
        )
        self.revision = revision


def default_url() -> str:
    """Return where a person's own logbook is."""
    return f"sqlite:///{data_folder() / 'logbook.sqlite'}"


class Logbook:
    """One logbook. Every call is a transaction of its own; raises ``JobError`` where the database cannot be reached."""

    def __init__(self, url: str = "") -> None:
        self.url = url or default_url()
        if self.url.startswith("sqlite:///"):
            Path(self.url.removeprefix("sqlite:///")).parent.mkdir(parents=True, exist_ok=True)
        with self._told():
            self.engine: Engine = create_engine(self.url)
            if self.engine.dialect.name == "sqlite":
                event.listen(self.engine, "connect", _lasting)
            self._upgrade()

    def _upgrade(self) -> None:
        """Bring the tables to this version, all or nothing."""
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS).replace("%", "%%"))
        with self.engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    @contextmanager
    def _told(self) -> Iterator[None]:
        try:
            yield
        except SQLAlchemyError as error:
            first = str(error.__cause__ or error).splitlines()[0][:200]
            raise JobError(
                f"The logbook cannot be used: {first}.", f"Look whether {_plain(self.url)} is there and may be written."
            ) from None

    @contextmanager
    def _session(self) -> Iterator[Session]:
        with self._told(), Session(self.engine) as session, session.begin():
            yield session

    # -- writing -------------------------------------------------------------------------------------------------
    def put(self, job: Logged, raw: bytes, now: int, knows: int | None = None) -> int:
        """Keep a job, in the place of what is known of it, and return its revision.

        ``knows``: the revision that it was read at (``None``: whatever is there is replaced); raises ``ChangedMeanwhileError`` where there is a later one.
        """
        if not job.seed:
            raise JobError("This job has no identity yet.", "Take a disk in first.")
        with self._session() as session:
            there = session.get(Entry, job.seed)
            if there is not None and knows is not None and there.revision != knows:
                raise ChangedMeanwhileError(there.revision)
            entry = there or Entry(seed=job.seed, revision=0)
            for name in ("title", "owner", "aim", "reasons", "begun", "ended", "planned", "took", "words"):
                setattr(entry, name, getattr(job, name))
            entry.document, entry.changed, entry.revision = raw, now, entry.revision + 1
            entry.disks = [SeenDisk(**_fields(one)) for one in job.disks]
            entry.steps = [TimedStep(**_fields(one)) for one in job.steps]
            entry.findings = [MetFinding(**_fields(one)) for one in job.findings]
            session.add(entry)
            session.flush()
            self._index(session, job.seed, job.words)
            return entry.revision

    def _index(self, session: Session, seed: str, words: str | None) -> None:
        if self.engine.dialect.name != "sqlite":
            return
        session.execute(text("DELETE FROM entry_words WHERE seed = :seed"), {"seed": seed})
        if words is not None:
            session.execute(
                text("INSERT INTO entry_words (seed, words) VALUES (:seed, :words)"), {"seed": seed, "words": words}
            )

    def forget(self, owner: str, *, delete: bool) -> int:
        """Take an owner's name out of every job, or delete the jobs; return how many there were. Nothing of the name is left to search for."""
        if not owner.strip():
            raise JobError("No owner is named.", "Say whose jobs are meant.")
        with self._session() as session:
            found = session.scalars(select(Entry).where(Entry.owner == owner)).all()
            for entry in found:
                self._index(session, entry.seed, None)
                if delete:
                    session.delete(entry)
                    continue
                entry.document = without(entry.document, owner)
                for name in ("owner", "title", "aim", "reasons", "words"):
                    setattr(entry, name, _unnamed(getattr(entry, name), owner))
                for one in entry.findings:
                    one.answered = _unnamed(one.answered, owner)
                entry.revision += 1
                self._index(session, entry.seed, entry.words)
            return len(found)

    # -- reading -------------------------------------------------------------------------------------------------
    def brief(self, limit: int = MOST) -> tuple[Brief, ...]:
        """Return the jobs that were changed last, the newest first."""
        with self._session() as session:
            return tuple(
                _brief(one) for one in session.scalars(select(Entry).order_by(Entry.changed.desc(), Entry.seed).limit(limit))
            )

    def count(self) -> int:
        """Return how many jobs there are."""
        with self._session() as session:
            return int(session.scalar(select(func.count()).select_from(Entry)) or 0)

    def search(self, words: str, limit: int = MOST) -> tuple[Brief, ...]:
        """Return jobs that hold every word, or begin of a word, the newest first; all of them where nothing is typed."""
        parts = WORD.findall(words)
        if not parts:
            return self.brief(limit)
        with self._session() as session:
            query = select(Entry).order_by(Entry.changed.desc(), Entry.seed).limit(limit)
            if self.engine.dialect.name == "sqlite":
                asked = " ".join(f'"{one}"*' for one in parts)
                match = text(NEWEST).bindparams(asked=asked, most=limit).columns(Entry.seed).subquery()
                return tuple(_brief(one) for one in session.scalars(query.where(Entry.seed.in_(select(match.c.seed)))))
            for one in parts:
                query = query.where(Entry.words.ilike(f"%{one}%"))
            return tuple(_brief(one) for one in session.scalars(query))

    def read(self, seed: str) -> tuple[bytes, int]:
        """Return the document of a job and its revision; raises ``JobError`` for one that is not there."""
        with self._session() as session:
            entry = session.get(Entry, seed)
            if entry is None:
                raise JobError(
                    f"The logbook has no job {seed}.", "Look for it by its owner, machine or a word: inkshelf log search ..."
                )
            return entry.document, entry.revision

    def logged(self, seed: str) -> Logged:
        """Return what is kept of a job; raises ``JobError`` for one that is not there."""
        with self._session() as session:
            query = select(Entry).where(Entry.seed == seed)
            query = query.options(selectinload(Entry.disks), selectinload(Entry.steps), selectinload(Entry.findings))
            entry = session.scalars(query).one_or_none()
            if entry is None:
                raise JobError(
                    f"The logbook has no job {seed}.", "Look for it by its owner, machine or a word: inkshelf log search ..."
                )
            return _logged(entry)

    def seeds(self) -> tuple[str, ...]:
        """Return every job's identity."""
        with self._session() as session:
            return tuple(session.scalars(select(Entry.seed).order_by(Entry.seed)))

    def before(self, serials: Sequence[str], but: str = "") -> tuple[Brief, ...]:
        """Return what was done on a machine with one of these disks before, the newest first; ``but``: without this job."""
        known = [one for one in serials if one]
        if not known:
            return ()
        with self._session() as session:
            query = select(Entry).where(
                Entry.seed.in_(select(SeenDisk.seed).where(SeenDisk.serial.in_(known))), Entry.seed != but
            )
            return tuple(_brief(one) for one in session.scalars(query.order_by(Entry.changed.desc())))

    def close(self) -> None:
        """Let the database go."""
        self.engine.dispose()


def _lasting(connection: object, _record: object) -> None:
    """A power cut loses at most what is being written (SQLite: write-ahead log, flushed at every transaction)."""
    cursor = connection.cursor()  # type: ignore[attr-defined]
    for line in ("PRAGMA journal_mode = WAL", "PRAGMA synchronous = FULL", "PRAGMA foreign_keys = ON"):
        cursor.execute(line)
    cursor.close()


def _plain(url: str) -> str:
    """A URL without what opens it."""
    return re.sub(r"//[^/@]*@", "//", url)


def _unnamed(words: str, owner: str) -> str:
    return re.sub(rf"(?<!\w){re.escape(owner)}(?!\w)", NOBODY, words)


def without(raw: bytes, owner: str) -> bytes:
    """Return a job's document without a name, wherever it stands as a word of its own; what comes of it can still be opened.

    Where the name is also a word that a document needs (a call number, a file system), only what somebody wrote is changed.
    """

    def walked(value: object) -> object:
        if isinstance(value, str):
            return _unnamed(value, owner)
        if isinstance(value, list):
            return [walked(one) for one in value]
        return {key: walked(one) for key, one in value.items()} if isinstance(value, dict) else value

    told = json.loads(raw)
    try:
        return document.dump(document.load(json.dumps(walked(told)).encode()))
    except JobError:
        job = told["job"]
        told["job"] = {**job, **{key: walked(job[key]) for key in WRITTEN if key in job}}
        for one in told["job"].get("work", []):
            one.update({key: walked(one[key]) for key in ("why", "text", "value", "name") if key in one})
        return document.dump(document.load(json.dumps(told).encode()))


def _fields(one: LoggedDisk | LoggedStep | LoggedFinding) -> dict[str, object]:
    return {name: getattr(one, name) for name in one.__struct_fields__}


def _brief(entry: Entry) -> Brief:
    return Brief(**{name: getattr(entry, name) for name in Brief.__struct_fields__})


def _logged(entry: Entry) -> Logged:
    plain = {
        name: getattr(entry, name)
        for name in ("seed", "title", "owner", "aim", "reasons", "begun", "ended", "planned", "took", "words")
    }
    disks = tuple(LoggedDisk(**{name: getattr(one, name) for name in LoggedDisk.__struct_fields__}) for one in entry.disks)
    steps = tuple(LoggedStep(**{name: getattr(one, name) for name in LoggedStep.__struct_fields__}) for one in entry.steps)
    findings = tuple(
        LoggedFinding(**{name: getattr(one, name) for name in LoggedFinding.__struct_fields__}) for one in entry.findings
    )
    return Logged(**plain, disks=disks, steps=steps, findings=findings)
