"""The logbook's tables (SQLAlchemy 2). What they hold follows from the job's document, which is kept whole beside them."""

from __future__ import annotations

from sqlalchemy import BigInteger, ForeignKey, Index, LargeBinary, String, Text
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship


class Base(DeclarativeBase):
    """All tables of the logbook."""


class Entry(Base):
    """One job. ``revision`` grows by one with every change: who changes an older one is told. Times: seconds since the epoch; minutes."""

    __tablename__ = "entry"

    seed: Mapped[str] = mapped_column(String(200), primary_key=True)
    title: Mapped[str] = mapped_column(Text, default="")
    owner: Mapped[str] = mapped_column(Text, default="", index=True)
    aim: Mapped[str] = mapped_column(Text, default="")
    reasons: Mapped[str] = mapped_column(Text, default="")
    begun: Mapped[int | None] = mapped_column(BigInteger, default=None)
    ended: Mapped[int | None] = mapped_column(BigInteger, default=None)
    changed: Mapped[int] = mapped_column(BigInteger, default=0, index=True)
    planned: Mapped[float] = mapped_column(default=0.0)
    took: Mapped[float] = mapped_column(default=0.0)
    revision: Mapped[int] = mapped_column(default=1)
    words: Mapped[str] = mapped_column(Text, default="")
    document: Mapped[bytes] = mapped_column(LargeBinary, default=b"", deferred=True)
    disks: Mapped[list[SeenDisk]] = relationship(cascade="all, delete-orphan", order_by="SeenDisk.id")
    steps: Mapped[list[TimedStep]] = relationship(cascade="all, delete-orphan", order_by="TimedStep.number")
    findings: Mapped[list[MetFinding]] = relationship(cascade="all, delete-orphan", order_by="MetFinding.id")


class SeenDisk(Base):
    """A disk of a job's machine; bytes."""

    __tablename__ = "disk"
    __table_args__ = (Index("disk_by_serial", "serial"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    seed: Mapped[str] = mapped_column(ForeignKey("entry.seed", ondelete="CASCADE"), index=True)
    serial: Mapped[str] = mapped_column(Text, default="")
    model: Mapped[str] = mapped_column(Text, default="")
    size: Mapped[int] = mapped_column(BigInteger, default=0)


class TimedStep(Base):
    """A step of a job's sheet, planned and taken; minutes."""

    __tablename__ = "step"
    __table_args__ = (Index("step_by_kind", "kind", "stage"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    seed: Mapped[str] = mapped_column(ForeignKey("entry.seed", ondelete="CASCADE"), index=True)
    number: Mapped[int] = mapped_column(default=0)
    step: Mapped[str] = mapped_column(Text, default="")
    stage: Mapped[str] = mapped_column(Text, default="")
    kind: Mapped[str] = mapped_column(Text, default="")
    title: Mapped[str] = mapped_column(Text, default="")
    stands: Mapped[str] = mapped_column(Text, default="")
    planned: Mapped[float] = mapped_column(default=0.0)
    took: Mapped[float | None] = mapped_column(default=None)
    waited: Mapped[float] = mapped_column(default=0.0)


class MetFinding(Base):
    """A finding that a job met."""

    __tablename__ = "finding"

    id: Mapped[int] = mapped_column(primary_key=True)
    seed: Mapped[str] = mapped_column(ForeignKey("entry.seed", ondelete="CASCADE"), index=True)
    key: Mapped[str] = mapped_column(Text, default="", index=True)
    severity: Mapped[str] = mapped_column(Text, default="")
    title: Mapped[str] = mapped_column(Text, default="")
    answered: Mapped[str] = mapped_column(Text, default="")
