"""Waveforms of one operating point."""

from __future__ import annotations

from fastapi import APIRouter, Response

from rhombos.api.problem import ProblemDocument
from rhombos.api.service import Asking
from rhombos.desk import benches
from rhombos.desk.benches import WavesAsked, WavesOut

router = APIRouter(tags=["waves"], responses={422: {"model": ProblemDocument}, 503: {"model": ProblemDocument}})


@router.post("/waves", response_model=WavesOut)
async def waves(asked: WavesAsked, asking: Asking) -> Response:
    """Edges, spectrum and the periodic steady state at full power on a nominal input."""
    return await asking.answer(benches.waves, asked)
