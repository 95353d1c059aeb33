"""Parts in the database: house parts, and the designer's own beside them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Literal

from sqlalchemy import Select, delete, func, select
from sqlalchemy.orm import Session

from rhombos.core.parts import KINDS, Part, Shelf, kind_of
from rhombos.store import drawer
from rhombos.store.models import PartRow

Origin = Literal["house", "own"]


def put(session: Session, parts: Iterable[Part], origin: Origin) -> int:
    """Add parts, replacing those of the same kind, designation and origin; one's own that is like the house part of its
    designation is none. Returns: how many."""
    wanted = {(kind_of(p), p.id): p for p in parts}
    standing = {
        (row.kind, row.designation, row.origin): row
        for row in session.scalars(select(PartRow).where(PartRow.kind.in_({k for k, _ in wanted})))
    }
    for (kind, designation), part in wanted.items():
        content = part.model_dump(mode="json")
        row, house = (standing.get((kind, designation, o)) for o in (origin, "house"))
        if origin == "own" and house is not None and house.content == content:
            if row is not None:
                session.delete(row)
        elif row is None:
            session.add(PartRow(kind=kind, designation=designation, origin=origin, content=content))
        elif row.content != content:
            row.content = content
    return len(wanted)


def remove(session: Session, kind: str, designation: str) -> bool:
    """Take one of the designer's own parts off the shelf; a house part of its designation is then there again. Returns: whether
    it was there."""
    gone = session.execute(
        delete(PartRow).where(PartRow.kind == kind, PartRow.designation == designation, PartRow.origin == "own")
    )
    return gone.rowcount > 0  # type: ignore[attr-defined,no-any-return]


def count(session: Session) -> int:
    """How many parts are kept, house parts behind one's own among them."""
    return session.scalar(select(func.count()).select_from(PartRow)) or 0


def origins(session: Session, kind: str) -> dict[str, str]:
    """Designation → house or own, for one kind."""
    return {r.designation: r.origin for r in session.execute(_standing(PartRow.origin).where(PartRow.kind == kind))}


def load_shelf(session: Session) -> Shelf:
    """The whole shelf: the designer's own parts, the house parts that none of them replaces, and what lies in the drawer."""
    found = {(row.kind, row.designation): row.content for row in session.execute(_standing(PartRow.content))}
    return Shelf((KINDS[kind].model_validate(content) for (kind, _), content in found.items()), drawer.load(session))


def _standing(*more: Any) -> Select[Any]:
    """Kind, designation and whatever more of every part, house parts first, so that one's own come last into a table by
    designation."""
    return select(PartRow.kind, PartRow.designation, *more).order_by(PartRow.origin == "own", PartRow.id)
