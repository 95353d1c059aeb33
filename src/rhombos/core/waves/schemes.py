"""How a bridge may be modulated: square, three-level, bipolar, unipolar, hybrid; with over-modulation, and with dead time as it
really acts."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from rhombos.core.waves.modulation import Array, Sampling, Steps, carrier_ratio, crossings, three_level
from rhombos.core.waves.spectrum import harmonics

SchemeName = Literal["square", "modified", "bipolar", "unipolar", "hybrid"]
SINES: tuple[SchemeName, ...] = ("unipolar", "bipolar", "hybrid")
WEIGHED = 2000
"""Harmonics that weighted distortion counts: each further one weighs less than a millionth."""
TINY = 1e-12


@dataclass(frozen=True, slots=True)
class Setting:
    """What to modulate and how: index, link, V; carrier and line, Hz; share of the time that a three-level wave is not zero;
    dead time, s, and the angle by which the load's current lags, rad, whose sign decides what the dead time does."""

    scheme: SchemeName
    sampling: Sampling
    index: float
    v_link: float
    carrier: float
    line: float
    fraction: float = 0.5
    dead_time: float = 0.0
    lag: float = 0.0

    @property
    def ratio(self) -> int:
        """Carrier periods in a line period."""
        return carrier_ratio(self.carrier, self.line)


@dataclass(frozen=True)
class Bridge:
    """Both legs' states (0 or 1) and the bridge's voltage over one line period."""

    left: Steps
    right: Steps
    output: Steps


def references(setting: Setting) -> tuple[Callable[[Array], Array], Callable[[Array], Array]]:
    """What each leg's carrier is compared with, over the phase from 0 to 1, between −1 and 1 (and beyond)."""
    m = setting.index

    def sine(phase: Array) -> Array:
        return m * np.sin(2 * np.pi * phase)

    if setting.scheme == "hybrid":
        return (lambda p: np.where(p < 0.5, 2 * sine(p) - 1, 2 * sine(p) + 1), lambda p: np.where(p < 0.5, -2.0, 2.0))
    return sine, lambda p: -sine(p)


def modulate(setting: Setting) -> Bridge:
    """The legs and the bridge over one line period. Raises: ValueError for a carrier or share out of range."""
    period = 1 / setting.line
    if setting.scheme in ("square", "modified"):
        wave = three_level(1.0 if setting.scheme == "square" else setting.fraction, 1.0, setting.line)
        left = Steps(period, wave.times, np.maximum(wave.levels, 0.0))
        right = Steps(period, wave.times, np.maximum(-wave.levels, 0.0))
    else:
        first, second = references(setting)
        left = _leg(first, setting)
        if setting.scheme == "bipolar":
            right = Steps(period, left.times, 1.0 - left.levels)
        elif setting.scheme == "hybrid":  # half a line period low, half high
            right = Steps(period, np.array([0.0, 0.5]) * period, np.array([0.0, 1.0]))
        else:
            right = _leg(second, setting)
    if setting.dead_time > 0:
        left, right = _delayed(left, setting, 1.0), _delayed(right, setting, -1.0)
    return Bridge(left, right, _difference(left, right, setting.v_link))


def _leg(reference: Callable[[Array], Array], setting: Setting) -> Steps:
    """One leg: high while its reference is above the triangle, which starts at its top and falls."""
    edges = crossings(reference, setting.ratio, setting.sampling)
    period = 1 / setting.line
    times = np.concatenate([[0.0], edges * period])
    levels = np.concatenate([[0.0], np.tile([1.0, 0.0], edges.size // 2)])
    return _tidied(period, times, levels)


def _tidied(period: float, times: Array, levels: Array) -> Steps:
    """Without levels that last no time, nor edges that change nothing."""
    lasting = np.append(np.diff(times) > TINY * period, times[-1] < period * (1 - TINY))
    times, levels = times[lasting], levels[lasting]
    changed = np.append(True, np.diff(levels) != 0)
    times, levels = times[changed], levels[changed]
    return Steps(period, np.concatenate([[0.0], times[1:]]), levels)


def _delayed(leg: Steps, setting: Setting, sign: float) -> Steps:
    """A leg whose edges wait for the dead time where the current does not make them at once.

    While current flows out of the leg, its lower diode holds it down until the upper switch turns on: rising edges wait. While
    it flows in, the upper diode holds it up: falling edges wait. `sign` is 1 for the leg that the current leaves.
    """
    if leg.times.size < 2:
        return leg
    rising = leg.levels > np.roll(leg.levels, 1)
    out = sign * np.sin(2 * np.pi * leg.times / leg.period - setting.lag) > 0
    wait = np.where(rising == out, setting.dead_time, 0.0)
    moved = leg.times + wait
    # an edge that the next one overtakes never happens: the pulse between them is lost
    keep = np.ones(moved.size, dtype=bool)
    gone = moved[:-1] >= moved[1:]
    keep[:-1] &= ~gone
    keep[1:] &= ~gone
    times, levels = moved[keep], leg.levels[keep]
    if times.size == 0:
        return Steps(leg.period, np.array([0.0]), leg.levels[:1])
    wrapped = np.mod(times, leg.period)
    order = np.argsort(wrapped, kind="stable")
    times, levels = wrapped[order], levels[order]
    if times[0] > 0:
        times, levels = np.concatenate([[0.0], times]), np.concatenate([levels[-1:], levels])
    return _tidied(leg.period, times, levels)


def _difference(left: Steps, right: Steps, volts: float) -> Steps:
    times = np.unique(np.concatenate([left.times, right.times]))
    return _tidied(left.period, times, (left.at(times) - right.at(times)) * volts)


def weighted_distortion(wave: Steps) -> float:
    """Distortion with each harmonic divided by its number: what an inductor lets through, over the fundamental."""
    peaks = np.abs(harmonics(wave, WEIGHED))
    orders = np.arange(1, WEIGHED + 1)
    return float(math.sqrt(float(np.sum((peaks[1:] / orders[1:]) ** 2))) / peaks[0]) if peaks[0] > 0 else math.inf


def edges_a_second(bridge: Bridge) -> float:
    """How often any leg switches, 1/s."""
    count = sum(int(np.count_nonzero(leg.levels != np.roll(leg.levels, 1))) for leg in (bridge.left, bridge.right))
    return count / bridge.left.period
