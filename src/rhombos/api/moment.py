"""Moments as the API tells them: in UTC, and saying so."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated

from pydantic import AfterValidator


def _in_utc(moment: datetime) -> datetime:
    """The database keeps UTC without a zone."""
    return moment.replace(tzinfo=UTC) if moment.tzinfo is None else moment


Moment = Annotated[datetime, AfterValidator(_in_utc)]
