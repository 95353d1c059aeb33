"""The drawer in the database: what is at hand of which part, and what was when a revision was saved."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping

from pydantic import BaseModel, Field, TypeAdapter
from sqlalchemy import delete, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from rhombos.core.parts.drawer import Stock
from rhombos.core.parts.shelf import Stocked
from rhombos.store.models import DrawerRow, DrawerVersionRow


class DrawerEntry(BaseModel):
    """What the drawer holds of one part."""

    kind: str = Field(max_length=20)
    part: str = Field(max_length=40)
    stock: Stock


DRAWER_LIST = TypeAdapter(list[DrawerEntry])
EMPTY = ""
"""The version of a drawer that holds nothing."""


def put(session: Session, kind: str, designation: str, stock: Stock) -> None:
    """Say what there is of a part."""
    row = session.scalar(select(DrawerRow).where(DrawerRow.kind == kind, DrawerRow.designation == designation))
    if row is None:
        row = DrawerRow(kind=kind, designation=designation)
        session.add(row)
    row.content = stock.model_dump(mode="json")


def remove(session: Session, kind: str, designation: str) -> bool:
    """There is none left. Returns: whether there was any."""
    gone = session.execute(delete(DrawerRow).where(DrawerRow.kind == kind, DrawerRow.designation == designation))
    return gone.rowcount > 0  # type: ignore[attr-defined,no-any-return]


def load(session: Session) -> dict[Stocked, Stock]:
    """All that the drawer holds."""
    rows = session.scalars(select(DrawerRow).order_by(DrawerRow.kind, DrawerRow.designation))
    return {(row.kind, row.designation): Stock.model_validate(row.content) for row in rows}


def entries(stocks: Mapping[Stocked, Stock]) -> list[DrawerEntry]:
    """A drawer as a list, in order."""
    return [DrawerEntry(kind=kind, part=part, stock=stocks[kind, part]) for kind, part in sorted(stocks)]


def keep_version(session: Session) -> str:
    """Keep what the drawer holds now. Returns: its version."""
    return keep(session, entries(load(session)))


def keep(session: Session, listed: list[DrawerEntry]) -> str:
    """Keep what a drawer held. Returns: its version, the same for the same content."""
    if not listed:
        return EMPTY
    content = DRAWER_LIST.dump_python(listed, mode="json")
    version = hashlib.sha256(DRAWER_LIST.dump_json(listed)).hexdigest()[:16]
    session.execute(insert(DrawerVersionRow).prefix_with("IGNORE").values(version=version, content=content))
    return version


def load_version(session: Session, version: str) -> dict[Stocked, Stock]:
    """What the drawer held at a version; nothing for one that is not kept."""
    row = session.get(DrawerVersionRow, version) if version else None
    return {(e.kind, e.part): e.stock for e in DRAWER_LIST.validate_python(row.content)} if row else {}
