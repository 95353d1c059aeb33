"""The drawer in the database: what is at hand of which part."""

from __future__ import annotations

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from rhombos.core.parts.drawer import Stock
from rhombos.core.parts.shelf import Stocked
from rhombos.store.models import DrawerRow


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
