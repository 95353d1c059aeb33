"""Which of the bridge's carrier lines the filter lifts, where it should stop them."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from rhombos.core.report import Operating
from rhombos.core.waves.modulation import unipolar
from rhombos.core.waves.spectrum import harmonics

NOTED = 0.01
"""Share of the link voltage from which on a line counts."""


@dataclass(frozen=True, slots=True)
class Lifted:
    """A line of the bridge's spectrum, Hz and V peak; how many times the empty filter lifts it."""

    frequency: float
    volts: float
    gain: float


def corner_of(at: Operating) -> float:
    """Resonance of the filter, Hz."""
    return 1 / (2 * math.pi * math.sqrt(at.inductance * at.capacitance))


def lifted(at: Operating) -> Lifted | None:
    """The carrier line that stands highest at the empty socket among those that the filter lifts; None where it lifts none.

    Empty, because then nothing damps the filter but its own resistance; a line is lifted below √2 times the corner.
    """
    corner = corner_of(at)
    if math.sqrt(2) * corner < at.carrier / 2:  # below this are only harmonics of the line
        return None
    count = math.ceil(math.sqrt(2) * corner / at.line) + 1
    peaks = 2 * np.abs(harmonics(unipolar(at.index, at.v_link, at.carrier, at.line), count))
    frequency = at.line * np.arange(1, count + 1)
    s = 2j * np.pi * frequency
    gain = 1 / np.abs(1 + s * at.resistance * at.capacitance + s**2 * at.inductance * at.capacitance)
    counts = (frequency > at.carrier / 2) & (peaks > NOTED * at.v_link) & (gain > 1)
    if not counts.any():
        return None
    worst = int(np.argmax(np.where(counts, peaks * gain, 0.0)))
    return Lifted(float(frequency[worst]), float(peaks[worst]), float(gain[worst]))
