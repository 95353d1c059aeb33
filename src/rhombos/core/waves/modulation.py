"""Unipolar sine PWM: from modulation index and carrier to the exact list of edges of the bridge's voltage."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Sampling = Literal["natural", "regular", "asymmetric"]
Array = NDArray[np.float64]
MOST_RATIO = 4000


class WaveError(ValueError):
    """A wave that cannot be made, or a circuit that has no steady one; the message says what to change."""


@dataclass(frozen=True)
class Steps:
    """A piecewise constant periodic wave: from `times[k]` (s, rising from 0) it stands at `levels[k]`."""

    period: float
    times: Array
    levels: Array

    @property
    def durations(self) -> Array:
        """How long each level stands, s."""
        return np.diff(self.times, append=self.period)

    @property
    def rms(self) -> float:
        """RMS over the period."""
        return math.sqrt(float(self.durations @ self.levels**2) / self.period)

    @property
    def mean(self) -> float:
        """Mean over the period."""
        return float(self.durations @ self.levels) / self.period

    @property
    def rectified_mean(self) -> float:
        """Mean of the absolute value."""
        return float(self.durations @ np.abs(self.levels)) / self.period

    def at(self, time: Array) -> Array:
        """The wave at given times, s."""
        return np.asarray(self.levels[np.searchsorted(self.times, np.mod(time, self.period), side="right") - 1])


def carrier_ratio(carrier: float, line: float) -> int:
    """Whole carrier periods in a line period: the nearest to what is asked, at least 9.

    Raises: ValueError above 4000, which no inverter bridge switches at.
    """
    ratio = max(9, round(carrier / line))
    if ratio > MOST_RATIO:
        raise WaveError(f"a carrier of {ratio} times the line is beyond {MOST_RATIO}; lower the carrier")
    return ratio


def crossings(reference: Callable[[Array], Array], ratio: int, sampling: Sampling) -> Array:
    """Where a reference crosses the triangle, one crossing in each half carrier period, as shares of the line period.

    The triangle starts at +1 and falls; half-period k runs from k/(2·ratio). A reference beyond the triangle crosses at an end
    of the half: two such edges fall together, and the pulse between them is gone. `reference` takes phases from 0 to 1 and
    moves slowly against the triangle.
    """
    half = np.arange(2 * ratio)
    start, width = half / (2 * ratio), 1 / (2 * ratio)
    falling = np.where(half % 2 == 0, -1.0, 1.0)
    if sampling == "natural":
        place = np.full(half.shape, 0.5)
        for _ in range(60):  # each turn brings it closer by how much slower the reference moves
            moved = np.clip((1 + falling * reference(start + place * width)) / 2, 0.0, 1.0)
            step = float(np.max(np.abs(moved - place)))
            place = moved
            if step < 1e-15:
                break
    else:
        held = start if sampling == "asymmetric" else start - (half % 2) * width
        place = np.clip((1 + falling * reference(held)) / 2, 0.0, 1.0)
    return np.asarray(start + place * width)


def unipolar(index: float, v_link: float, carrier: float, line: float, sampling: Sampling = "natural") -> Steps:
    """The bridge voltage of unipolar sine PWM over one line period.

    Args: index M, above 0 to 1; link voltage, V; carrier (triangle) and line frequency, Hz, the carrier taken at the
    nearest whole multiple; sampling natural, regular (once a carrier period) or asymmetric (twice).
    Raises: ValueError outside those ranges. Source: texts on pulse-width modulation.
    """
    if not 0 < index <= 1:
        raise WaveError(f"modulation index {index:.3g} is outside 0 to 1; raise the link voltage")
    ratio = carrier_ratio(carrier, line)
    period = 1 / line
    jumps: list[tuple[Array, Array]] = []
    for sign, weight in ((1.0, 1.0), (-1.0, -1.0)):
        edges = crossings(lambda p, s=sign: s * index * np.sin(2 * np.pi * p), ratio, sampling)  # type: ignore[misc]
        rises = np.where(np.arange(edges.size) % 2 == 0, weight, -weight)  # carrier falls below the reference: leg goes high
        jumps.append((edges, rises))
    times = np.concatenate([j[0] for j in jumps])
    deltas = np.concatenate([j[1] for j in jumps])
    order = np.argsort(times, kind="stable")
    times, levels = times[order], np.cumsum(deltas[order])
    # at t = 0 the triangle stands at +1 above both references: both legs low, zero volts
    times, levels = np.concatenate([[0.0], times]), np.concatenate([[0.0], levels])
    keep = np.append(np.diff(times) > 1e-15, True)
    return Steps(period, times[keep] * period, np.round(levels[keep]) * v_link)


def three_level(fraction: float, v_link: float, line: float, back: float = 0.0) -> Steps:
    """A three-level wave that conducts for `fraction` of each half-period, centred, and stands turned about for `back` of it
    after each pulse; 1 is a square wave.

    Raises: ValueError unless 0 < fraction ≤ 1.
    """
    if not 0 < fraction <= 1:
        raise ValueError(f"conduction fraction {fraction:.3g} is outside 0 to 1")
    period = 1 / line
    rest = (1 - fraction) / 4
    if fraction == 1:
        return Steps(period, np.array([0.0, 0.5]) * period, np.array([v_link, -v_link]))
    if back > 0:
        turned = min(back / 2, 2 * rest)
        over = max(0.0, turned - rest)  # what of it lies beyond the end of the period
        begins = np.array([0.0, over, rest, 0.5 - rest, 0.5 - rest + turned, 0.5 + rest, 1 - rest, min(1.0, 1 - rest + turned)])
        levels = np.array([1.0, 0.0, 1.0, -1.0, 0.0, -1.0, 1.0, 0.0])
        lasting = np.diff(begins, append=1.0) > 1e-12
        return Steps(period, begins[lasting] * period, levels[lasting] * v_link)
    times = np.array([0.0, rest, 0.5 - rest, 0.5 + rest, 1 - rest]) * period
    return Steps(period, times, np.array([0.0, v_link, 0.0, -v_link, 0.0]))
