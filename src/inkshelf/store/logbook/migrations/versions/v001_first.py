"""The first tables: jobs with their disks, steps and findings, and the words that they are found by."""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "001"
down_revision = None


def upgrade() -> None:
    """Make them."""
    op.create_table(
        "entry",
        sa.Column("seed", sa.String(200), primary_key=True),
        *(sa.Column(name, sa.Text(), nullable=False) for name in ("title", "owner", "aim", "reasons")),
        sa.Column("begun", sa.BigInteger()),
        sa.Column("ended", sa.BigInteger()),
        sa.Column("changed", sa.BigInteger(), nullable=False),
        sa.Column("planned", sa.Double(), nullable=False),
        sa.Column("took", sa.Double(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("document", sa.LargeBinary(), nullable=False),
    )
    op.create_index("ix_entry_owner", "entry", ["owner"])
    op.create_index("ix_entry_changed", "entry", ["changed"])
    _beside(
        "disk",
        *(sa.Column(name, sa.Text(), nullable=False) for name in ("serial", "model")),
        sa.Column("size", sa.BigInteger(), nullable=False),
    )
    op.create_index("disk_by_serial", "disk", ["serial"])
    _beside(
        "step",
        sa.Column("number", sa.Integer(), nullable=False),
        *(sa.Column(name, sa.Text(), nullable=False) for name in ("step", "stage", "kind", "title", "stands")),
        sa.Column("planned", sa.Double(), nullable=False),
        sa.Column("took", sa.Double()),
        sa.Column("waited", sa.Double(), nullable=False),
    )
    op.create_index("step_by_kind", "step", ["kind", "stage"])
    _beside("finding", *(sa.Column(name, sa.Text(), nullable=False) for name in ("key", "severity", "title", "answered")))
    op.create_index("ix_finding_key", "finding", ["key"])
    if op.get_bind().dialect.name == "sqlite":
        op.execute(
            "CREATE VIRTUAL TABLE entry_words USING fts5(seed UNINDEXED, words, tokenize='unicode61 remove_diacritics 2', prefix='1 2 3')"
        )


def _beside(name: str, *columns: sa.Column[Any]) -> None:
    """A table of what belongs to a job."""
    op.create_table(
        name,
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("seed", sa.String(200), sa.ForeignKey("entry.seed", ondelete="CASCADE"), nullable=False),
        *columns,
    )
    op.create_index(f"ix_{name}_seed", name, ["seed"])


def downgrade() -> None:
    """There is nothing before them."""
    raise NotImplementedError("the first version has none before it")
