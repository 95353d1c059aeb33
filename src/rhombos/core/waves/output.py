"""The waves at the bridge and at the socket, for one operating point."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from rhombos.core.book import bridge as bridge_book
from rhombos.core.frame.report import Operating
from rhombos.core.waves.modulation import Sampling, Steps, unipolar
from rhombos.core.waves.schemes import Setting, modulate
from rhombos.core.waves.spectrum import Readings, harmonics, readings_of_samples, readings_of_steps
from rhombos.core.waves.steady import FilterCircuit, steady_state

SAMPLES = 20_000
Array = NDArray[np.float64]


@dataclass(frozen=True)
class OutputWaves:
    """One line period: the bridge's edges; time, s, output voltage, V, inductor and load current, A, evenly sampled."""

    bridge: Steps
    time: Array
    voltage: Array
    inductor: Array
    load: Array
    bridge_readings: Readings
    voltage_readings: Readings

    def bridge_spectrum(self, count: int) -> Array:
        """Peaks of harmonics 1 … count of the bridge voltage, V."""
        return np.asarray(2 * np.abs(harmonics(self.bridge, count)))


def driven(at: Operating, index: float, volts: float, sampling: Sampling = "natural") -> Steps:
    """One line period of a unipolar bridge at an index; its legs wait for their dead time, and the modulation makes up for what
    that takes from the fundamental."""
    if at.dead_time <= 0 or index <= 0:
        return unipolar(min(1.0, index), volts, at.carrier, at.line, sampling)
    taken = bridge_book.dead_time_voltage.work({"t_d": at.dead_time, "f_c": at.carrier, "V_dc": 1.0}) * math.cos(at.lag)
    return modulate(
        Setting("unipolar", sampling, min(1.0, index + taken), volts, at.carrier, at.line, dead_time=at.dead_time, lag=at.lag)
    ).output


def output_waves(at: Operating, sampling: Sampling = "natural", samples: int = SAMPLES) -> OutputWaves:
    """The periodic steady state at an operating point."""
    bridge = driven(at, at.index, at.v_link, sampling)
    circuit = FilterCircuit(at.inductance, max(at.resistance, 1e-4), at.capacitance, at.load_resistance, at.load_inductance)
    time: Array = np.asarray(np.arange(samples) * (bridge.period / samples), dtype=np.float64)
    states = steady_state(circuit, bridge).states(time)
    voltage, inductor = states[:, 1], states[:, 0]
    load = states[:, 2] if states.shape[1] == 3 else voltage / at.load_resistance
    return OutputWaves(bridge, time, voltage, inductor, load, readings_of_steps(bridge), readings_of_samples(voltage))
