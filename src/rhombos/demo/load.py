"""Load demo data: the house parts, and the demo designs that are not there yet."""

from __future__ import annotations

from sqlalchemy.orm import Session

from rhombos.demo import house_parts
from rhombos.demo.designs import DEMO
from rhombos.store import designs, parts
from rhombos.store.models import DesignRow


def load_house_parts(session: Session) -> None:
    """Put the house parts on the shelf; the designer's own are left alone."""
    parts.put(session, house_parts(), "house")


def load_demo(session: Session) -> None:
    """House parts and demo designs. Designs that exist, changed or archived, are left alone."""
    load_house_parts(session)
    for identity, design in reversed(DEMO.items()):
        if session.get(DesignRow, identity) is None:
            designs.create(session, design, identity)
