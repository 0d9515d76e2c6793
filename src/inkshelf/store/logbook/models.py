"""The logbook's tables (SQLAlchemy 2). What they hold follows from the job's document, which is kept whole beside them."""

from __future__ import annotations

from sqlalchemy import BigInteger, ForeignKey, Index, LargeBinary, String, Text
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

NAMED = 200  # characters of an identity


class Base(DeclarativeBase):
    """All tables of the logbook."""


class Entry(Base):
    """One job. ``revision`` grows by one with every change: who changes an older one is told. Times: seconds since the epoch; minutes.

    ``who`` changed it last; ``opened``: the key that opened the machine's firmware.
    """

    __tablename__ = "entry"

    seed: Mapped[str] = mapped_column(String(NAMED), primary_key=True)
    title: Mapped[str] = mapped_column(Text, default="")
    owner: Mapped[str] = mapped_column(Text, default="", index=True)
    aim: Mapped[str] = mapped_column(Text, default="")
    reasons: Mapped[str] = mapped_column(Text, default="")
    begun: Mapped[int | None] = mapped_column(BigInteger, default=None)
    ended: Mapped[int | None] = mapped_column(BigInteger, default=None, index=True)
    changed: Mapped[int] = mapped_column(BigInteger, default=0, index=True)
    planned: Mapped[float] = mapped_column(default=0.0)
    took: Mapped[float] = mapped_column(default=0.0)
    revision: Mapped[int] = mapped_column(default=1)
    words: Mapped[str] = mapped_column(Text, default="")
    document: Mapped[bytes] = mapped_column(LargeBinary, default=b"", deferred=True)
    board: Mapped[str] = mapped_column(Text, default="")
    opened: Mapped[str] = mapped_column(Text, default="")
    who: Mapped[str] = mapped_column(Text, default="")
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
    transport: Mapped[str] = mapped_column(Text, default="")


class TimedStep(Base):
    """A step of a job's sheet, planned and taken; minutes. ``carried``: bytes that are read or written in it, as planned."""

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
    waits: Mapped[str] = mapped_column(Text, default="")
    carried: Mapped[int] = mapped_column(BigInteger, default=0)


class MetFinding(Base):
    """A finding that a job met."""

    __tablename__ = "finding"

    id: Mapped[int] = mapped_column(primary_key=True)
    seed: Mapped[str] = mapped_column(ForeignKey("entry.seed", ondelete="CASCADE"), index=True)
    key: Mapped[str] = mapped_column(Text, default="", index=True)
    severity: Mapped[str] = mapped_column(Text, default="")
    title: Mapped[str] = mapped_column(Text, default="")
    answered: Mapped[str] = mapped_column(Text, default="")


class KnownFault(Base):
    """A fault that a model of disk, board or machine is known for, with what helps; kept by the shop. An empty ``fault``: taken back."""

    __tablename__ = "fault"

    seed: Mapped[str] = mapped_column(String(NAMED), primary_key=True)
    model: Mapped[str] = mapped_column(Text, default="", index=True)
    fault: Mapped[str] = mapped_column(Text, default="")
    workaround: Mapped[str] = mapped_column(Text, default="")
    who: Mapped[str] = mapped_column(Text, default="")
    changed: Mapped[int] = mapped_column(BigInteger, default=0)
    revision: Mapped[int] = mapped_column(default=1)


class KeptFile(Base):
    """A picture, a capture or another file of a job, under its sum (SHA-256). It never changes."""

    __tablename__ = "kept"

    seed: Mapped[str] = mapped_column(String(NAMED), primary_key=True)
    digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    name: Mapped[str] = mapped_column(Text, default="")
    content: Mapped[bytes] = mapped_column(LargeBinary, default=b"", deferred=True)


class Change(Base):
    """One change of one record, in the order in which they were made; a change is made once, whoever says it again (``key``)."""

    __tablename__ = "change"
    __table_args__ = (Index("change_of", "kind", "seed"),)

    number: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    key: Mapped[str] = mapped_column(String(NAMED + 20), unique=True)
    kind: Mapped[str] = mapped_column(String(20))
    seed: Mapped[str] = mapped_column(String(NAMED + 65))
    revision: Mapped[int] = mapped_column(default=1)
    gone: Mapped[bool] = mapped_column(default=False)
    who: Mapped[str] = mapped_column(Text, default="")
    at: Mapped[int] = mapped_column(BigInteger, default=0)


class Fact(Base):
    """A word of the logbook itself: who it is, how many changes it has, how far a shop's was read."""

    __tablename__ = "fact"

    name: Mapped[str] = mapped_column(String(NAMED), primary_key=True)
    number: Mapped[int] = mapped_column(BigInteger, default=0)
    word: Mapped[str] = mapped_column(Text, default="")


class Waiting(Base):
    """A record that the shop's logbook does not have yet, as it is here. ``keys``: of the changes that were tried, a line each, the newest
    last."""

    __tablename__ = "waiting"

    kind: Mapped[str] = mapped_column(String(20), primary_key=True)
    seed: Mapped[str] = mapped_column(String(NAMED + 65), primary_key=True)
    keys: Mapped[str] = mapped_column(Text, default="")
    at: Mapped[int] = mapped_column(BigInteger, default=0)


class Known(Base):
    """The revision of the shop's copy that the one here was made from."""

    __tablename__ = "known"

    kind: Mapped[str] = mapped_column(String(20), primary_key=True)
    seed: Mapped[str] = mapped_column(String(NAMED + 65), primary_key=True)
    revision: Mapped[int] = mapped_column(default=0)


class Theirs(Base):
    """The shop's copy of a record that was changed on both sides, until somebody settles it; an empty ``content``: it was deleted there."""

    __tablename__ = "theirs"

    kind: Mapped[str] = mapped_column(String(20), primary_key=True)
    seed: Mapped[str] = mapped_column(String(NAMED + 65), primary_key=True)
    revision: Mapped[int] = mapped_column(default=0)
    who: Mapped[str] = mapped_column(Text, default="")
    at: Mapped[int] = mapped_column(BigInteger, default=0)
    content: Mapped[bytes] = mapped_column(LargeBinary, default=b"")
