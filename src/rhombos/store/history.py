"""A design's past: its revisions in bursts of edits, and the names that people give them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from rhombos.store.designs import NotFound, head_of
from rhombos.store.models import RevisionRow

BURST = timedelta(minutes=10)
"""A pause after which edits count as another burst."""


@dataclass(frozen=True, slots=True)
class Line:
    """One revision: its number, the design's name in it, its own, when it was saved, and its content as it is kept."""

    number: int
    name: str
    label: str
    saved: datetime
    content: Mapping[str, Any]


def lines(session: Session, identity: str) -> list[Line]:
    """Every revision, the newest first. Raises: NotFound."""
    head_of(session, identity)
    rows = session.execute(
        select(RevisionRow.number, RevisionRow.name, RevisionRow.label, RevisionRow.created, RevisionRow.content)
        .where(RevisionRow.design_id == identity)
        .order_by(RevisionRow.number.desc())
    )
    return [Line(*row) for row in rows]


def bursts(found: Iterable[Line]) -> list[list[Line]]:
    """Revisions in the bursts in which they were made; both the newest first."""
    made: list[list[Line]] = []
    for line in found:
        if made and made[-1][-1].saved - line.saved <= BURST:
            made[-1].append(line)
        else:
            made.append([line])
    return made


def name(session: Session, identity: str, number: int, label: str) -> Line:
    """Give a revision a name, or take it away with an empty one. Raises: NotFound."""
    row = session.scalar(select(RevisionRow).where(RevisionRow.design_id == identity, RevisionRow.number == number))
    if row is None:
        raise NotFound(f"design {identity} has no revision {number}")
    row.label = label
    session.flush()
    return Line(row.number, row.name, row.label, row.created, row.content)
