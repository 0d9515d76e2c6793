"""The words that jobs are found by: an index of the database's own, one form for a file and one for a server.

SQLite: FTS5. PostgreSQL: a ``tsvector`` of words that are parted and made small here, so that both find the same.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from typing import Any

from sqlalchemy import Select, TextClause, select, text
from sqlalchemy.orm import Session

from inkshelf.store.logbook.models import Entry

WORD = re.compile(r"\w+")
NEWEST = "SELECT seed FROM entry_words WHERE entry_words MATCH :asked ORDER BY rowid DESC LIMIT :most"
"""Words are put in anew with every change, so that their own order is that of the changes: the index needs not be sorted."""
SERVED = "SELECT seed FROM entry_words WHERE words @@ CAST(:asked AS tsquery) ORDER BY number DESC LIMIT :most"
PUT = (
    "INSERT INTO entry_words (seed, number, words) "
    "VALUES (:seed, (SELECT coalesce(max(number), 0) + 1 FROM change), array_to_tsvector(CAST(:words AS text[])))"
)


def parts(asked: str) -> list[str]:
    """Return the words of what somebody typed."""
    return WORD.findall(asked)


def folded(words: str) -> list[str]:
    """Return words in small letters without accents, each once."""
    plain = "".join(one for one in unicodedata.normalize("NFKD", words.lower()) if not unicodedata.combining(one))
    return list(dict.fromkeys(WORD.findall(plain)))


def _on_sqlite(session: Session) -> bool:
    return session.get_bind().dialect.name == "sqlite"


def put(session: Session, seed: str, words: str | None) -> None:
    """Keep the words of a job (``None``: it has none any more)."""
    session.execute(text("DELETE FROM entry_words WHERE seed = :seed"), {"seed": seed})
    if words is None:
        return
    if _on_sqlite(session):
        session.execute(text("INSERT INTO entry_words (seed, words) VALUES (:seed, :words)"), {"seed": seed, "words": words})
    else:
        session.execute(text(PUT), {"seed": seed, "words": [one[:500] for one in folded(words)]})


def found(session: Session, asked: Sequence[str], limit: int) -> Select[Any]:
    """Return the query for the identities of jobs that hold every word, or begin of a word: the newest."""
    clause = _bound(session, asked, limit).columns(Entry.seed).subquery()
    return select(clause.c.seed)


def count(session: Session, asked: Sequence[str]) -> int:
    """Return how many jobs hold every word, or begin of a word."""
    query = "SELECT count(*) FROM entry_words WHERE "
    query += "entry_words MATCH :asked" if _on_sqlite(session) else "words @@ CAST(:asked AS tsquery)"
    return int(session.scalar(text(query).bindparams(asked=_asked(session, asked))) or 0)


def _bound(session: Session, asked: Sequence[str], limit: int) -> TextClause:
    query = NEWEST if _on_sqlite(session) else SERVED
    return text(query).bindparams(asked=_asked(session, asked), most=limit)


def _asked(session: Session, asked: Sequence[str]) -> str:
    """What is asked for in the database's own form; words are of letters, digits and underscores only."""
    if _on_sqlite(session):
        return " ".join(f'"{one}"*' for one in asked)
    return " & ".join(f"'{one}':*" for word in asked for one in folded(word))
