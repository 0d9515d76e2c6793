"""A logbook's database: opened by its URL, brought to this version, each call a transaction that lasts or leaves nothing."""

from __future__ import annotations

import re
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Connection, Engine, create_engine, event, make_url, text
from sqlalchemy.exc import ArgumentError, SQLAlchemyError
from sqlalchemy.orm import Session

from inkshelf.core.errors import JobError
from inkshelf.store.folders import data_folder

MIGRATIONS = Path(__file__).parent / "migrations"
SQLITE, SERVER = "sqlite:///", "postgresql"
DRIVER = "postgresql+psycopg"
PATIENCE = 5  # seconds until a server that does not answer counts as away
UPGRADES = 4_817_262  # a number of our own, by which two programs that open one server's logbook first wait for each other

UPGRADING = threading.Lock()
"""The library that brings tables to a version keeps what it works on in names of its modules: one at a time in a program."""


def default_url() -> str:
    """Return where a person's own logbook is."""
    return f"{SQLITE}{data_folder() / 'logbook.sqlite'}"


def plain(url: str) -> str:
    """Return a URL without what opens it."""
    return re.sub(r"//[^/]*@", "//", url)


def _unopened(said: str, url: str) -> str:
    """What a driver says, without any part of what opens the URL: it may have read that for a part of the server's name."""
    found = re.search(r"//([^/]*)@", url)
    for part in re.split(r"[:@]", found.group(1)) if found else ():
        said = said.replace(part, "…") if part else said
    return said


class AwayError(JobError):
    """The database cannot be reached, or was lost in the middle: nothing of what was being written is known to be there."""


class Opened:
    """A logbook's database. Raises ``AwayError`` where it cannot be reached; what is no logbook's URL is refused in words."""

    def __init__(self, url: str = "") -> None:
        self.url = url or default_url()
        if self.url.startswith(SQLITE):
            self._make_folder(Path(self.url.removeprefix(SQLITE)).parent)
        self.engine: Engine = self._engine()
        try:
            with self._told():
                self._upgrade()
        except JobError:
            self.engine.dispose()
            raise

    def _make_folder(self, folder: Path) -> None:
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise JobError(f"{folder} cannot be made: {error.strerror}.", "Say another place for the logbook.") from None

    @property
    def on_sqlite(self) -> bool:
        """Whether it is a file of this machine."""
        return self.engine.dialect.name == "sqlite"

    def _engine(self) -> Engine:
        if self.url.startswith(SQLITE):
            engine = create_engine(self.url)
            event.listen(engine, "connect", _lasting)
            event.listen(engine, "begin", _begin)
            return engine
        if not self.url.startswith(SERVER):
            raise JobError(
                f"{plain(self.url)[:200]} is no logbook's place.",
                "Write sqlite:////FOLDER/log.sqlite, or postgresql://SERVER/NAME.",
            )
        try:
            url = make_url(re.sub(r"^postgresql(\+\w+)?:", f"{DRIVER}:", self.url))
        except (ArgumentError, ValueError):
            raise JobError(f"{plain(self.url)[:200]} is no logbook's place.", "Write it as postgresql://SERVER/NAME.") from None
        waits: dict[str, Any] = {"connect_timeout": PATIENCE, "keepalives_idle": PATIENCE, "tcp_user_timeout": PATIENCE * 1000}
        return create_engine(url, connect_args=waits, pool_pre_ping=True)

    def _upgrade(self) -> None:
        """Bring the tables to this version, all or nothing."""
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS).replace("%", "%%"))
        with UPGRADING, self.engine.execution_options(writes=True).begin() as connection:
            if not self.on_sqlite:
                connection.execute(text("SELECT pg_advisory_xact_lock(:number)"), {"number": UPGRADES})
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    @contextmanager
    def _told(self) -> Iterator[None]:
        try:
            yield
        except SQLAlchemyError as error:
            lines = _unopened(str(error.__cause__ or error), self.url).strip().splitlines() or ["it does not say why"]
            raise AwayError(
                f"The logbook cannot be used: {lines[0][:200].rstrip('.')}.",
                f"Look whether {plain(self.url)} is there and may be written.",
            ) from None

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """Look something up: all of it as it was at one moment."""
        engine = self.engine if self.on_sqlite else self.engine.execution_options(isolation_level="REPEATABLE READ")
        with self._told(), Session(engine) as session, session.begin():
            yield session

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """Change something: all of it, or nothing."""
        with self._told(), Session(self.engine.execution_options(writes=True)) as session, session.begin():
            yield session

    def settle_down(self) -> None:
        """Bring what was written into the one file, so that it can be renamed."""
        if self.on_sqlite:
            with self._told(), self.engine.connect() as connection:
                connection.exec_driver_sql("COMMIT")
                connection.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")

    def close(self) -> None:
        """Let the database go."""
        self.engine.dispose()


def _lasting(connection: Any, _record: object) -> None:
    """A power cut loses at most what is being written (SQLite: write-ahead log, flushed at every transaction)."""
    connection.isolation_level = None  # the driver begins nothing by itself
    cursor = connection.cursor()
    for line in ("PRAGMA journal_mode = WAL", "PRAGMA synchronous = FULL", "PRAGMA foreign_keys = ON"):
        cursor.execute(line)
    cursor.close()


def _begin(connection: Connection) -> None:
    """Who will write says so at once, so that two who looked at the same never both write."""
    connection.exec_driver_sql("BEGIN IMMEDIATE" if connection.get_execution_options().get("writes") else "BEGIN")
