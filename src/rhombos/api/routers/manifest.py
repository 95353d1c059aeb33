"""What there is: routes, stages, circuits."""

from __future__ import annotations

from fastapi import APIRouter

from rhombos.core.frame.manifest import Manifest
from rhombos.core.frame.manifest import manifest as everything

router = APIRouter(tags=["manifest"])


@router.get("/manifest")
def manifest() -> Manifest:
    """Every route and every stage that is registered, with the circuits that are data."""
    return everything()
