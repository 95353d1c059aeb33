"""Exact spectra of piecewise constant waves, from their edges."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from rhombos.core.waves.modulation import Steps

BLOCK = 64
FORM_FACTOR = math.pi / (2 * math.sqrt(2))


def harmonics(wave: Steps, count: int) -> NDArray[np.complex128]:
    """Complex Fourier coefficients c_1 … c_count; the peak of harmonic h is 2·|c_h|.

    Each jump of the wave adds ΔV·e^(−j·h·ω·t)/(j·h·2π). Exact but for rounding.
    """
    jumps = wave.levels - np.roll(wave.levels, 1)
    phase = np.exp(-2j * np.pi * wave.times / wave.period)
    found = np.empty(count, dtype=np.complex128)
    block = np.cumprod(np.broadcast_to(phase, (min(BLOCK, count), phase.size)), axis=0)
    weight = jumps.astype(np.complex128)
    advance = block[-1]
    for first in range(0, count, BLOCK):
        size = min(BLOCK, count - first)
        found[first : first + size] = block[:size] @ weight
        weight = weight * advance
    return np.asarray(found / (2j * np.pi * np.arange(1, count + 1)))


COUNTED = 120
"""Harmonics of the line that count as distortion: among them lies the corner of a filter, which lifts them; beyond, the
carrier."""


@dataclass(frozen=True, slots=True)
class Readings:
    """What a wave measures: RMS; fundamental RMS; distortion; peak; and what an average-responding meter shows."""

    rms: float
    fundamental_rms: float
    thd: float
    peak: float
    average_responding: float


def readings_of_steps(wave: Steps) -> Readings:
    """Readings of a piecewise constant wave, exact. THD counts every harmonic up to infinity, and DC."""
    fundamental = float(2 * abs(harmonics(wave, 1)[0]) / math.sqrt(2))
    rest = max(0.0, wave.rms**2 - fundamental**2)
    return Readings(
        wave.rms,
        fundamental,
        math.sqrt(rest) / fundamental if fundamental > 0 else math.inf,
        float(np.abs(wave.levels).max()),
        FORM_FACTOR * wave.rectified_mean,
    )


def readings_of_samples(samples: NDArray[np.float64]) -> Readings:
    """Readings of one period sampled evenly (endpoint left out); accurate where the samples resolve the wave."""
    rms = math.sqrt(float(np.mean(samples**2)))
    fundamental = math.sqrt(2) * abs(np.fft.rfft(samples)[1]) / samples.size
    rest = max(0.0, rms**2 - fundamental**2)
    return Readings(
        rms,
        float(fundamental),
        math.sqrt(rest) / fundamental if fundamental > 0 else math.inf,
        float(np.abs(samples).max()),
        FORM_FACTOR * float(np.mean(np.abs(samples))),
    )
