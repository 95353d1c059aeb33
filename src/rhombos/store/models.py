"""Tables: designs, their immutable revisions, parts, the drawer and what it held, the workshop's settings."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.dialects.mysql import DATETIME
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship


def now() -> datetime:
    """The present in UTC, without a zone, as the database keeps it."""
    return datetime.now(UTC).replace(tzinfo=None)


MOMENT = DATETIME(fsp=6)
VERSION = String(16, collation="ascii_bin")


class Base(DeclarativeBase):
    """All tables of Rhombos."""


class DesignRow(Base):
    """A design: which revision is its head, and whether it was archived."""

    __tablename__ = "designs"

    id: Mapped[str] = mapped_column(String(36), primary_key=True)
    head: Mapped[int] = mapped_column(default=1)
    created: Mapped[datetime] = mapped_column(MOMENT, default=now)
    deleted: Mapped[datetime | None] = mapped_column(MOMENT, default=None)
    revisions: Mapped[list[RevisionRow]] = relationship(
        back_populates="design", order_by="RevisionRow.number", cascade="all, delete-orphan", passive_deletes=True
    )


class RevisionRow(Base):
    """One state of a design, and the version of the drawer it was sized with, "" for an empty one. Never changed once written,
    but for the name that people may give it."""

    __tablename__ = "revisions"
    __table_args__ = (UniqueConstraint("design_id", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    design_id: Mapped[str] = mapped_column(ForeignKey("designs.id", ondelete="CASCADE"))
    number: Mapped[int]
    name: Mapped[str] = mapped_column(String(80))
    content: Mapped[dict[str, Any]] = mapped_column(JSON)
    label: Mapped[str] = mapped_column(String(80), default="", server_default="")
    drawer: Mapped[str] = mapped_column(VERSION, default="", server_default="")
    created: Mapped[datetime] = mapped_column(MOMENT, default=now)
    design: Mapped[DesignRow] = relationship(back_populates="revisions")


class PartRow(Base):
    """A part on the shelf: a house part, or one of the designer's own, which comes before a house part of its designation."""

    __tablename__ = "parts"
    __table_args__ = (UniqueConstraint("kind", "designation", "origin", name="uq_parts"), Index("ix_parts_kind", "kind"))

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    kind: Mapped[str] = mapped_column(String(20))
    designation: Mapped[str] = mapped_column(String(40, collation="utf8mb4_bin"))
    origin: Mapped[str] = mapped_column(String(8))
    content: Mapped[dict[str, Any]] = mapped_column(JSON)


class DrawerRow(Base):
    """What is at hand of one part."""

    __tablename__ = "drawer"
    __table_args__ = (UniqueConstraint("kind", "designation", name="uq_drawer"),)

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    kind: Mapped[str] = mapped_column(String(20))
    designation: Mapped[str] = mapped_column(String(40, collation="utf8mb4_bin"))
    content: Mapped[dict[str, Any]] = mapped_column(JSON)


class DrawerVersionRow(Base):
    """What the whole drawer held at some time, under a digest of it. Never changed once written."""

    __tablename__ = "drawer_versions"

    version: Mapped[str] = mapped_column(VERSION, primary_key=True)
    content: Mapped[list[dict[str, Any]]] = mapped_column(JSON)


class SettingRow(Base):
    """Something that the workshop set once."""

    __tablename__ = "settings"

    name: Mapped[str] = mapped_column(String(20), primary_key=True)
    value: Mapped[str] = mapped_column(String(40))
