"""Designs in the database: every save is a new revision on top of the one it was made from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import uuid4

from pydantic import ValidationError
from sqlalchemy import select, update
from sqlalchemy.orm import Session

from rhombos.core.design.file import Design
from rhombos.store import drawer
from rhombos.store.models import DesignRow, RevisionRow, now


class NotFound(LookupError):
    """There is no such design or revision."""


class Conflict(RuntimeError):
    """Somebody saved in between; `current` is what stands now."""

    def __init__(self, current: Stored) -> None:
        super().__init__(f"revision {current.revision} was saved in between")
        self.current = current


class PutAway(RuntimeError):
    """The design was archived; `current` is what stands."""

    def __init__(self, current: Stored) -> None:
        super().__init__(f"{current.design.name} was archived; restore it to save on")
        self.current = current


@dataclass(frozen=True, slots=True)
class Stored:
    """A design as it stands at one revision."""

    id: str
    revision: int
    design: Design
    created: datetime
    saved: datetime
    deleted: datetime | None
    raw: Mapping[str, Any]
    """Its content as it is kept, with its name."""
    drawer: str = ""
    """The version of the drawer that it was sized with."""
    fault: str = ""
    """What of its content is refused today, where some is: `design` then is only its name."""


def _content(design: Design) -> dict[str, object]:
    return design.model_dump(mode="json", exclude={"name"})


def _stored(row: DesignRow, revision: RevisionRow) -> Stored:
    fault, raw = "", {"name": revision.name, **revision.content}
    try:
        design = Design.model_validate(raw)
    except ValidationError as error:  # an old or foreign row must not take the list with it
        design, fault = Design(name=revision.name), "; ".join(e["msg"] for e in error.errors())
    return Stored(row.id, revision.number, design, row.created, revision.created, row.deleted, raw, revision.drawer, fault)


def _revision(session: Session, identity: str, number: int, design: Design) -> RevisionRow:
    """A revision for the drawer as it is."""
    return RevisionRow(
        design_id=identity, number=number, name=design.name, content=_content(design), drawer=drawer.keep_version(session)
    )


def head_of(session: Session, identity: str) -> tuple[DesignRow, RevisionRow]:
    """A design's row with the revision that stands. Raises: NotFound."""
    found = session.execute(
        select(DesignRow, RevisionRow)
        .join(RevisionRow, (RevisionRow.design_id == DesignRow.id) & (RevisionRow.number == DesignRow.head))
        .where(DesignRow.id == identity)
    ).one_or_none()
    if found is None:
        raise NotFound(f"there is no design {identity}")
    return found[0], found[1]


def create(session: Session, design: Design, identity: str | None = None) -> Stored:
    """A new design at revision 1."""
    row = DesignRow(id=identity or str(uuid4()), head=1)
    revision = _revision(session, row.id, 1, design)
    session.add(row)
    session.flush()
    session.add(revision)
    session.flush()
    return _stored(row, revision)


def get(session: Session, identity: str) -> Stored:
    """A design at its head. Raises: NotFound."""
    return _stored(*head_of(session, identity))


def get_revision(session: Session, identity: str, number: int) -> Stored:
    """A design as it was at a revision. Raises: NotFound."""
    row, _ = head_of(session, identity)
    revision = session.scalar(select(RevisionRow).where(RevisionRow.design_id == identity, RevisionRow.number == number))
    if revision is None:
        raise NotFound(f"design {identity} has no revision {number}")
    return _stored(row, revision)


def listed(session: Session, *, deleted: bool = False) -> list[Stored]:
    """Every design at its head, the latest saved first; with `deleted`, those archived."""
    rows = session.execute(
        select(DesignRow, RevisionRow)
        .join(RevisionRow, (RevisionRow.design_id == DesignRow.id) & (RevisionRow.number == DesignRow.head))
        .where(DesignRow.deleted.is_not(None) if deleted else DesignRow.deleted.is_(None))
        .order_by(RevisionRow.created.desc(), DesignRow.id)
    ).all()
    return [_stored(row, revision) for row, revision in rows]


def save(session: Session, identity: str, design: Design, on_top_of: int) -> Stored:
    """A new revision on top of `on_top_of`. Raises: NotFound; PutAway; Conflict when that is not the head any more.

    Saving what already stands makes no revision, also when it was saved by the same request whose answer was lost.
    """
    moved = session.execute(
        update(DesignRow).where(DesignRow.id == identity, DesignRow.head == on_top_of).values(head=on_top_of + 1)
    )
    if moved.rowcount == 0:  # type: ignore[attr-defined]
        row, head = head_of(session, identity)
        if head.number != on_top_of + 1 or head.name != design.name or head.content != _content(design):
            raise Conflict(_stored(row, head))
        return _stored(row, head)
    row = session.get_one(DesignRow, identity)
    if row.deleted:
        row.head = on_top_of
        session.flush()
        raise PutAway(get(session, identity))
    before = session.scalars(
        select(RevisionRow).where(RevisionRow.design_id == identity, RevisionRow.number == on_top_of)
    ).one()
    if before.name == design.name and before.content == _content(design):
        row.head = on_top_of
        session.flush()
        return _stored(row, before)
    revision = _revision(session, identity, on_top_of + 1, design)
    session.add(revision)
    session.flush()
    return _stored(row, revision)


def put_away(session: Session, identity: str) -> None:
    """Soft delete. Raises: NotFound."""
    row, _ = head_of(session, identity)
    row.deleted = row.deleted or now()


def restore(session: Session, identity: str) -> Stored:
    """Bring back what was archived. Raises: NotFound."""
    row, revision = head_of(session, identity)
    row.deleted = None
    session.flush()
    return _stored(row, revision)
