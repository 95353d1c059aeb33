"""The periodic steady state of a filter and load behind a switched bridge, found directly, not marched to."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from rhombos.core.waves.modulation import Steps, WaveError

Array = NDArray[np.float64]
Complex = NDArray[np.complex128]


@dataclass(frozen=True, slots=True)
class FilterCircuit:
    """L with its resistance, C, and a series R–L load across C; `load_resistance` infinite is no load. Ω, H, F."""

    inductance: float
    resistance: float
    capacitance: float
    load_resistance: float
    load_inductance: float = 0.0

    def matrices(self) -> tuple[Array, Array]:
        """A and B of ẋ = A·x + B·u; x is inductor current, capacitor voltage and, for an R–L load, its current."""
        inductance, r, c = self.inductance, self.resistance, self.capacitance
        if self.load_inductance > 0 and math.isfinite(self.load_resistance):
            rl, ll = self.load_resistance, self.load_inductance
            a = [[-r / inductance, -1 / inductance, 0], [1 / c, 0, -1 / c], [0, 1 / ll, -rl / ll]]
            return np.array(a), np.array([1 / inductance, 0, 0])
        g = 1 / self.load_resistance if math.isfinite(self.load_resistance) else 0.0
        return np.array([[-r / inductance, -1 / inductance], [1 / c, -g / c]]), np.array([1 / inductance, 0])


@dataclass(frozen=True)
class SteadyState:
    """The periodic solution: modal states at the start of every step of the driving wave."""

    wave: Steps
    rates: Complex
    modes: Complex
    drive: Complex
    starts: Complex

    def states(self, time: Array) -> Array:
        """States at given times, shape (times, states)."""
        at = np.mod(time, self.wave.period)
        step = np.searchsorted(self.wave.times, at, side="right") - 1
        since = (at - self.wave.times[step])[:, None]
        grown = np.exp(self.rates * since)
        modal = grown * self.starts[step] + (grown - 1) / self.rates * self.drive * self.wave.levels[step][:, None]
        return np.asarray(np.real(modal @ self.modes.T))


def steady_state(circuit: FilterCircuit, wave: Steps) -> SteadyState:
    """Solve x(T) = x(0) exactly.

    The modes of A evolve independently; one geometric sum over all steps gives the state at the start. Raises: ValueError
    for a circuit without any loss, which has no steady state of its own.
    """
    a, b = circuit.matrices()
    rates, modes = np.linalg.eig(a.astype(complex))
    if np.max(np.real(rates)) > -1e-9 * np.max(np.abs(rates)):
        raise WaveError("the filter has no loss at all; give the inductor its resistance")
    drive = np.linalg.solve(modes, b.astype(complex))
    kick = (np.exp(np.outer(wave.durations, rates)) - 1) / rates * drive * wave.levels[:, None]
    remaining = wave.period - np.append(wave.times[1:], wave.period)
    arrived = np.sum(np.exp(np.outer(remaining, rates)) * kick, axis=0)
    begin = arrived / (1 - np.exp(rates * wave.period))
    starts = np.empty((wave.times.size, rates.size), dtype=complex)
    grown = np.exp(np.outer(wave.durations, rates))
    state = begin
    for k in range(wave.times.size):
        starts[k] = state
        state = grown[k] * state + kick[k]
    return SteadyState(wave, rates, modes, drive, starts)
