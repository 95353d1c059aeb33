"""Whether the server and its database are up."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter, Response
from pydantic import BaseModel

from rhombos.api.service import Serving

router = APIRouter(tags=["health"])


class Health(BaseModel):
    """The state of the server."""

    database: Literal["up", "away"]


@router.get("/health", responses={503: {"model": Health}})
def health(serving: Serving, response: Response) -> Health:
    """503 while the database is away."""
    up = serving.database.ready()
    response.status_code = 200 if up else 503
    return Health(database="up" if up else "away")
