"""Two technicians on one logbook: who changed what in which order, what waits for the shop's; files of a job; known faults of a model."""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "002"
down_revision = "001"

RECORD = 265  # characters: an identity, and a sum behind it
EMPTY = sa.text("''")
NOUGHT = sa.text("0")
TAKEN_OVER = r"""
INSERT INTO entry_words (seed, number, words)
SELECT seed, changed, array_to_tsvector(array_remove(regexp_split_to_array(lower(words), '\W+'), '')) FROM entry
"""


def upgrade() -> None:
    """Make what is new."""
    with op.batch_alter_table("entry") as entry:
        for name in ("board", "opened", "who"):
            entry.add_column(_word(name))
    op.create_index("ix_entry_ended", "entry", ["ended"])
    with op.batch_alter_table("disk") as disk:
        disk.add_column(_word("transport"))
    with op.batch_alter_table("step") as step:
        step.add_column(_word("waits"))
        step.add_column(_number("carried", sa.BigInteger()))
    op.create_table(
        "fault",
        sa.Column("seed", sa.String(200), primary_key=True),
        *(_word(name) for name in ("model", "fault", "workaround", "who")),
        _number("changed", sa.BigInteger()),
        _number("revision"),
    )
    op.create_index("ix_fault_model", "fault", ["model"])
    op.create_table(
        "kept",
        sa.Column("seed", sa.String(200), primary_key=True),
        sa.Column("digest", sa.String(64), primary_key=True),
        _word("name"),
        sa.Column("content", sa.LargeBinary(), nullable=False),
    )
    _order()
    _waiting()
    if op.get_bind().dialect.name == "postgresql":
        op.create_table(
            "entry_words",
            sa.Column("seed", sa.String(200), sa.ForeignKey("entry.seed", ondelete="CASCADE"), primary_key=True),
            sa.Column("number", sa.BigInteger(), nullable=False),
            sa.Column("words", sa.dialects.postgresql.TSVECTOR(), nullable=False),
        )
        op.create_index("entry_words_found", "entry_words", ["words"], postgresql_using="gin")
        op.execute(TAKEN_OVER)


def _order() -> None:
    op.create_table(
        "change",
        sa.Column("number", sa.BigInteger(), primary_key=True, autoincrement=False),
        sa.Column("key", sa.String(220), nullable=False, unique=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("seed", sa.String(RECORD), nullable=False),
        _number("revision"),
        sa.Column("gone", sa.Boolean(), nullable=False),
        _word("who"),
        _number("at", sa.BigInteger()),
    )
    op.create_index("change_of", "change", ["kind", "seed"])
    op.execute(
        "INSERT INTO change (number, key, kind, seed, revision, gone, who, at) "
        "SELECT row_number() OVER (ORDER BY changed, seed), 'first/' || seed, 'job', seed, revision, false, '', changed FROM entry"
    )
    op.create_table(
        "fact", sa.Column("name", sa.String(200), primary_key=True), _number("number", sa.BigInteger()), _word("word")
    )
    op.execute("INSERT INTO fact (name, number) SELECT 'changes', count(*) FROM entry")


def _waiting() -> None:
    op.create_table(
        "waiting",
        sa.Column("kind", sa.String(20), primary_key=True),
        sa.Column("seed", sa.String(RECORD), primary_key=True),
        _word("keys"),
        _number("at", sa.BigInteger()),
    )
    op.create_table(
        "known",
        sa.Column("kind", sa.String(20), primary_key=True),
        sa.Column("seed", sa.String(RECORD), primary_key=True),
        _number("revision"),
    )
    op.create_table(
        "theirs",
        sa.Column("kind", sa.String(20), primary_key=True),
        sa.Column("seed", sa.String(RECORD), primary_key=True),
        _number("revision"),
        _word("who"),
        _number("at", sa.BigInteger()),
        sa.Column("content", sa.LargeBinary(), nullable=False),
    )


def _word(name: str) -> sa.Column[Any]:
    return sa.Column(name, sa.Text(), nullable=False, server_default=EMPTY)


def _number(name: str, kind: Any = None) -> sa.Column[Any]:
    return sa.Column(name, kind or sa.Integer(), nullable=False, server_default=NOUGHT)


def downgrade() -> None:
    """What came with it goes; the jobs stay."""
    if op.get_bind().dialect.name == "postgresql":
        op.drop_table("entry_words")
    for name in ("theirs", "known", "waiting", "fact", "change", "kept", "fault"):
        op.drop_table(name)
    op.drop_index("ix_entry_ended", "entry")
    for table, names in (("step", ("waits", "carried")), ("disk", ("transport",)), ("entry", ("board", "opened", "who"))):
        with op.batch_alter_table(table) as changed:
            for name in names:
                changed.drop_column(name)
