"""Twice-line pulsation: what a one-phase output draws, what of it reaches the source, and what stays with the link's bank.

A one-phase output draws its power in swings at twice its frequency, and at multiples of that where its current is not a sine.
Of each swing the share σ passes to what feeds the link; the rest, 1 − σ, is the bank's. Where the swings would turn the current
about, the rectifier blocks: the current is clipped, its mean kept; a loop that holds the link waits until the bank has given
back what the load returned.
"""

from __future__ import annotations

import cmath
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from rhombos.core.book import link as book
from rhombos.core.book import source as source_book
from rhombos.core.units.solvers import root

ANGLES = 2 * np.pi * np.arange(256) / 256
"""One period of twice the line, sampled."""
WAVE = 64
"""Moments of a period of twice the line at which a drawn current is told."""
MOST_TERMS = 12
"""Multiples of twice the line that are followed."""
Demand = tuple[complex, ...]
"""Swings of the drawn current over its mean: peak phasors at twice the line and its multiples; cosine at angle 0."""
Complex = NDArray[np.complexfloating]
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Pulsation:
    """A current before the link, about its mean of one: mean square, peak; what of the swing the bank keeps: its ripple voltage
    and its ripple current, each over what they would be if the source gave none of it; and what the bank gives at twice the
    line, a phasor over the mean. Where a duty follows the link, the stage draws that times a duty which swings too, and
    an input bank stands before it: the source's own mean square and peak then; what the bank at the input gives, RMS over
    the mean; and the mean of what flows back to the bank once the source gives nothing."""

    mean_square: float = 1.0
    peak: float = 1.0
    ripple: float = 1.0
    current: float = 1.0
    given: complex = 0j
    source: tuple[float, float] | None = None
    smoothed: float = 0.0
    returned: float = 0.0

    @property
    def source_square(self) -> float:
        """Mean square of the source's current over its squared mean."""
        return self.source[0] if self.source else self.mean_square

    @property
    def source_peak(self) -> float:
        """Peak of the source's current over its mean."""
        return self.source[1] if self.source else self.peak

    @property
    def rms(self) -> float:
        """RMS over mean."""
        return math.sqrt(self.mean_square)

    def beside(self, share: float) -> Pulsation:
        """The same current as a share of one whose rest is steady."""
        if share == 1 or self is STILL:
            return self
        square, source = share**2, self.source

        def whole(mean_square: float, peak: float) -> tuple[float, float]:
            return 1 + square * (mean_square - 1), 1 + share * (peak - 1)

        mean_square, peak = whole(self.mean_square, self.peak)
        return replace(
            self, mean_square=mean_square, peak=peak, source=whole(*source) if source else None, smoothed=share * self.smoothed,
            given=share * self.given)  # fmt: skip

    def moved(self, other: Pulsation) -> float:
        """The largest change between two of them."""
        return max(abs(self.mean_square - other.mean_square), abs(self.peak - other.peak), abs(self.ripple - other.ripple))


STILL = Pulsation()
"""A source that gives a steady current: the bank carries the whole swing."""


def sine_demand(apparent: float, power: float) -> Demand:
    """What a linear load on a sine draws: one swing, S over P, where both are taken at the link, VA and W."""
    return (complex(apparent / power),) if power > 0 and apparent > 0 else ()


@dataclass(frozen=True, slots=True)
class Drawn:
    """A demand on a bank that a steady current feeds: swing of its charge over mean current, and the bank's RMS current over
    the mean."""

    swing: float
    heat: float


@lru_cache(maxsize=256)
def drawn(demand: Demand) -> Drawn:
    """What a demand makes of a bank behind a steady current."""
    if not demand:
        return Drawn(0.0, 0.0)
    phasors = np.array(demand)
    order = np.arange(1, phasors.size + 1)
    return Drawn(_swing(phasors / (1j * order)), float(np.sqrt(np.sum(np.abs(phasors) ** 2) / 2)))


def pulsation(demand: Demand, passed: Sequence[complex], blocks: bool = True, held: bool = False) -> Pulsation:
    """What a demand makes of the current before the link.

    Args: swings over the mean, and the share σ that passes of each; whether a rectifier keeps the current from turning about;
    whether a loop then holds it at nothing until the bank has given back what the load returned.
    """
    if not demand:
        return STILL
    if len(demand) == 1:
        depth = abs(demand[0]) * abs(passed[0])
        if depth <= 1 or not blocks:
            square = book.pulsation_square.work({"S": abs(demand[0]), "P": 1.0, "passed": abs(passed[0])})
            crest = book.pulsation_crest.work({"S": abs(demand[0]), "P": 1.0, "passed": abs(passed[0])})
            kept = abs(1 - passed[0])
            back = _returned(abs(demand[0]), passed[0]) if depth > 1 else 0.0
            return Pulsation(square, crest, kept, kept, demand[0] * (1 - passed[0]), returned=back)
    return _clipped(_coarse(demand), _coarse(passed), blocks, held)


def over_a_swing(demand: Demand) -> Array:
    """What is drawn over its mean, through one period of twice the line."""
    whole = np.zeros(WAVE // 2 + 1, dtype=complex)
    whole[0] = 2
    whole[1 : len(demand) + 1] = demand
    return np.asarray(np.fft.irfft(whole) * WAVE / 2, dtype=np.float64)


def taken(demand: Sequence[complex], comes: Sequence[complex], goes_on: Sequence[complex]) -> float:
    """RMS over the mean of what a bank takes of swings that come to it and go on behind it, both as shares of a demand."""
    return math.sqrt(sum(abs(d * (c - g)) ** 2 / 2 for d, c, g in zip(demand, comes, goes_on, strict=False)))


def _coarse(values: Sequence[complex]) -> tuple[complex, ...]:
    """Rounded to a hundredth of a per cent, so that passes that hardly differ are answered once."""
    return tuple(np.array(values).round(4).tolist())


@lru_cache(maxsize=2048)
def _clipped(demand: Demand, passed: tuple[complex, ...], blocks: bool, held: bool) -> Pulsation:
    asked, alone = np.array(demand), drawn(demand)
    whole = np.zeros(ANGLES.size // 2 + 1, dtype=complex)
    whole[1 : asked.size + 1] = asked * passed[: asked.size]
    swing = np.fft.irfft(whole) * ANGLES.size / 2
    if swing.min() >= -1 or not blocks:
        current = 1 + swing
    elif held:
        current = _given_back(1 + swing)
    else:  # the rectifier blocks: as much mean is added as keeps it at one
        level = root(lambda a: float(np.maximum(0.0, a + swing).mean()) - 1, 1 - float(swing.max()) - 1, 1.0)
        current = np.maximum(0.0, float(level) + swing)
    left = np.fft.rfft(current)[1 : ANGLES.size // 2] * (-2 / ANGLES.size)
    left[: asked.size] += asked  # what the bank gives or takes is what is drawn less what comes
    ripple, heat = _swing(left / MULTIPLES), math.sqrt(float(np.vdot(left, left).real) / 2)
    return Pulsation(
        float(current @ current) / current.size,
        float(current.max()),
        ripple / max(alone.swing, 1e-12),
        heat / max(alone.heat, 1e-12),
        complex(left[0]),
        returned=0.0 if blocks else _flows_back(asked, current),
    )


def _returned(swing: float, passed: complex) -> float:
    """What flows back to a bank after its source's current has come to nothing, over the mean drawn: of one swing over the
    mean, of which a share passes, behind it by an angle."""
    turns, stops, behind = math.acos(1 / swing), math.acos(1 / (swing * abs(passed))), -cmath.phase(passed)
    before, after = min(turns, stops - behind), min(turns, stops + behind)
    if before + after <= 0:
        return 0.0
    return max(0.0, source_book.returned_share.work({"swing": swing, "th_1": before, "th_2": after}))


def _flows_back(asked: Complex, comes: NDArray[Any]) -> float:
    """The same of several swings, whose source would give what comes."""
    whole = np.zeros(ANGLES.size // 2 + 1, dtype=complex)
    whole[1 : asked.size + 1] = asked
    taken = 1 + np.fft.irfft(whole) * ANGLES.size / 2
    return float((np.maximum(0.0, -taken) * (comes < 0)).mean())


MULTIPLES = 1j * np.arange(1, ANGLES.size // 2)
"""What a phasor of each multiple is divided by to make its charge."""


def _given_back(wanted: NDArray[Any]) -> NDArray[Any]:
    """A current that cannot turn about, over a period of what is wanted of it: what the load returns raises the link, and the
    loop asks for nothing until the bank has given it back."""
    twice = np.tile(wanted, 2)  # a second period, from what the first left
    owed = -np.cumsum(twice)
    stored = owed - np.minimum(np.minimum.accumulate(owed), 0.0)
    return np.asarray((twice + np.diff(stored, prepend=0.0))[wanted.size :])


def _swing(phasors: NDArray[Any]) -> float:
    """Peak to peak of a sum of multiples."""
    spectrum = np.zeros(ANGLES.size // 2 + 1, dtype=complex)
    spectrum[1 : phasors.size + 1] = phasors
    return float(np.ptp(np.fft.irfft(spectrum))) * ANGLES.size / 2


def open_share(frequency: float, resistance: float, inductance: float, bank: float, terms: int) -> tuple[complex, ...]:
    """The share that passes where no loop holds the link, of each multiple of twice a line frequency, Hz.

    R, Ω, and L, H, lie between the source's EMF and the bank, F.
    """
    found = []
    for k in range(1, terms + 1):
        s = 4j * math.pi * frequency * k
        found.append(1 / (1 + s * resistance * bank + s * s * inductance * bank))
    return tuple(found)


@dataclass(frozen=True, slots=True)
class BankRipple:
    """What a bank at the input carries, A, as it follows from its capacitance, F: pulses at a carrier, RMS, A, and what it
    takes of a current, A, that swings by a demand about a line frequency, Hz, and comes through a resistance, Ω, and
    leads, H."""

    fast: float
    current: float
    demand: Demand
    line: float
    resistance: float
    leads: float

    def __call__(self, capacitance: float) -> float:
        """RMS of what the bank carries, A."""
        whole = (1 + 0j,) * len(self.demand)
        behind = open_share(self.line, self.resistance, self.leads, capacitance, len(whole))
        return math.hypot(self.fast, self.current * taken(self.demand, whole, behind))

    def returned(self, capacitance: float) -> float:
        """Charge that flows back through it to the source in half a line period, C."""
        if not self.demand:
            return 0.0
        behind = open_share(self.line, self.resistance, self.leads, capacitance, len(self.demand))
        return pulsation(self.demand, behind, blocks=False).returned * self.current / (2 * self.line)


def phase_of(share: complex) -> float:
    """How far what passes is behind, degrees."""
    return -math.degrees(cmath.phase(share))
