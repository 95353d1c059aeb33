"""Whether the server and its database are up."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel

from rhombos.api.service import Serving

router = APIRouter(tags=["health"])


class Health(BaseModel):
    """The state of the server."""

    database: Literal["up"]


@router.get("/health")
def health(serving: Serving) -> Health:
    """Refused with 503 while the database is away, saying why."""
    if why := serving.database.refusal():
        raise why
    return Health(database="up")
