"""The waves at the bridge and at the socket, for one operating point."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from rhombos.core.report import Operating
from rhombos.core.waves.modulation import Sampling, Steps, unipolar
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


def output_waves(at: Operating, sampling: Sampling = "natural", samples: int = SAMPLES) -> OutputWaves:
    """The periodic steady state at an operating point, with ideal edges (no dead time)."""
    bridge = unipolar(at.index, at.v_link, at.carrier, at.line, sampling)
    circuit = FilterCircuit(
        at.inductance, max(at.resistance, 1e-4), at.capacitance, at.load_resistance, at.load_inductance
    )
    time: Array = np.asarray(np.arange(samples) * (bridge.period / samples), dtype=np.float64)
    states = steady_state(circuit, bridge).states(time)
    voltage, inductor = states[:, 1], states[:, 0]
    load = states[:, 2] if states.shape[1] == 3 else voltage / at.load_resistance
    return OutputWaves(
        bridge, time, voltage, inductor, load, readings_of_steps(bridge), readings_of_samples(voltage)
    )
