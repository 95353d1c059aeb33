"""Snubbers and clamps from what can be measured."""

from __future__ import annotations

from fastapi import APIRouter

from rhombos.api.problem import ProblemDocument
from rhombos.core.benches import snubbers
from rhombos.core.benches.snubbers import Clamped, Fitting, Peak, Ring, TurnOff

router = APIRouter(prefix="/snubbers", tags=["snubbers"], responses={422: {"model": ProblemDocument}})


@router.post("/damper")
def damper(asked: Ring) -> Fitting:
    """An RC damper from a ring measured twice."""
    return snubbers.damper(asked)


@router.post("/turn-off")
def turn_off(asked: TurnOff) -> Fitting:
    """A dissipative turn-off snubber."""
    return snubbers.turn_off(asked)


@router.post("/clamp")
def clamp(asked: Clamped) -> Fitting:
    """An RCD clamp, with both energies."""
    return snubbers.clamp(asked)


@router.post("/peak-detector")
def peak_detector(asked: Peak) -> Fitting:
    """A peak detector."""
    return snubbers.peak_detector(asked)
