"""What the workshop sets once, for every design."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import select
from sqlalchemy.orm import Session

from rhombos.store.models import SettingRow

CURRENCY = "currency"
USUAL: Mapping[str, str] = {CURRENCY: "credits"}
"""The value where nothing was set."""


def get(session: Session, name: str) -> str:
    """A setting, or what is usual."""
    row = session.get(SettingRow, name)
    return row.value if row else USUAL[name]


def put(session: Session, name: str, value: str) -> None:
    """Set it."""
    session.merge(SettingRow(name=name, value=value))


def every(session: Session) -> dict[str, str]:
    """All that was set."""
    return {row.name: row.value for row in session.scalars(select(SettingRow).order_by(SettingRow.name))}
