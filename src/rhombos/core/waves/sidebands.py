"""Which of the bridge's carrier lines the filter lifts, where it should stop them."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from rhombos.core.book import filters
from rhombos.core.frame.report import Operating
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


def lifted(at: Operating) -> Lifted | None:
    """The carrier line that stands highest at the empty socket among those that the filter lifts; None where it lifts none.

    Empty, because then nothing damps the filter but its own resistance; a line is lifted below √2 times the corner.
    """
    corner = float(filters.corner(L=at.inductance, C=at.capacitance))
    if math.sqrt(2) * corner < at.carrier / 2:  # below this are only harmonics of the line
        return None
    count = math.ceil(math.sqrt(2) * corner / at.line) + 1
    peaks = 2 * np.abs(harmonics(unipolar(at.index, at.v_link, at.carrier, at.line), count))
    frequency = at.line * np.arange(1, count + 1)
    gain = filters.damped_gain(f=frequency, L=at.inductance, C=at.capacitance, R=at.resistance)
    counts = (frequency > at.carrier / 2) & (peaks > NOTED * at.v_link) & (gain > 1)
    if not counts.any():
        return None
    worst = int(np.argmax(np.where(counts, peaks * gain, 0.0)))
    return Lifted(float(frequency[worst]), float(peaks[worst]), float(gain[worst]))
