"""Waveforms of one operating point."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field

from rhombos.api.problem import ProblemDocument
from rhombos.api.service import Asked, Serving
from rhombos.core.waves.modulation import Sampling
from rhombos.core.waves.output import output_waves
from rhombos.core.waves.spectrum import Readings

router = APIRouter(tags=["waves"], responses={422: {"model": ProblemDocument}, 503: {"model": ProblemDocument}})


class WavesAsked(Asked):
    """A design, with how the sine is sampled and how fine the answer is to be."""

    sampling: Sampling = "natural"
    samples: int = Field(2000, ge=200, le=50_000)
    harmonics: int = Field(1000, ge=1, le=4000)


class WavesOut(BaseModel):
    """One line period in SI: the bridge's edges, sampled output and currents, spectrum peaks from harmonic 1, readings."""

    edge_times: list[float]
    edge_levels: list[float]
    time: list[float]
    voltage: list[float]
    inductor: list[float]
    load: list[float]
    bridge_spectrum: list[float]
    bridge: Readings
    output: Readings


@router.post("/waves")
def waves(asked: WavesAsked, serving: Serving) -> WavesOut:
    """Edges, spectrum and the periodic steady state at full power on a nominal battery."""
    worked = serving.work(asked)
    at = worked.route.operating(worked.settled, worked.builds, worked.shelf)
    if at is None:
        raise HTTPException(422, f"this design makes a {asked.brief.output.waveform} wave; ask for a sine to see its carrier")
    found = output_waves(at, asked.sampling, asked.samples)
    return WavesOut(
        edge_times=found.bridge.times.tolist(), edge_levels=found.bridge.levels.tolist(), time=found.time.tolist(),
        voltage=found.voltage.tolist(), inductor=found.inductor.tolist(), load=found.load.tolist(),
        bridge_spectrum=found.bridge_spectrum(asked.harmonics).tolist(), bridge=found.bridge_readings,
        output=found.voltage_readings)  # fmt: skip
