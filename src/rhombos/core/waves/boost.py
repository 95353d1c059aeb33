"""A boost stage that takes a sine from the mains, over a half period of the line: what choke, switch and diode carry.

At every angle the line is as good as still against the switching, so that each switching period is a triangle or a trapezoid in
closed form; line quantities are means over the angles. Two ways: *continuous*, a fixed frequency whose duty is set so that the
choke's mean follows the mains, dry around the zero crossing where the ripple asks more than that; and *critical*, each period
begun as the choke comes to nothing, on for the same time at every angle, unless a highest frequency holds it back.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from rhombos.core.book import correction as book

Array = NDArray[np.float64]
ANGLES = 720
"""Of a half period, in the middle of equal parts: the zero crossing itself divides by nothing."""


@dataclass(frozen=True, slots=True)
class Boost:
    """Mains, V RMS; bus, V; power at the output, W, and efficiency, all losses counted before the choke; the choke, H, of each
    of so many channels."""

    volts: float
    bus: float
    power: float
    efficiency: float
    henry: float
    channels: int = 1

    @property
    def each(self) -> float:
        """Power that a channel takes from the mains, W."""
        return self.power / self.efficiency / self.channels


@dataclass(frozen=True)
class Cycle:
    """A half period of the line in one channel: angles, rad; mains, V; mean of the choke, its lowest and highest current in a
    switching period, A; frequency, Hz; shares of a switching period in which the switch, and in which the diode, conducts."""

    stage: Boost
    angle: Array
    mains: Array
    mean: Array
    low: Array
    high: Array
    frequency: Array
    on: Array
    off: Array

    @property
    def ripple(self) -> Array:
        """Peak to peak, A, at each angle."""
        return np.asarray(self.high - self.low)

    @property
    def dry(self) -> Array:
        """Where the choke's current rests at nothing in each switching period."""
        return np.asarray(self.on + self.off < 1 - 1e-9)

    @property
    def peak(self) -> float:
        """Of the choke and the switch, A."""
        return float(self.high.max())

    @cached_property
    def _square(self) -> Array:
        """Mean square of the current while it flows, A², at each angle: of a straight line between lowest and highest."""
        return np.asarray((self.low**2 + self.low * self.high + self.high**2) / 3)

    @cached_property
    def switch_rms(self) -> float:
        """A."""
        return math.sqrt(float(np.mean(self.on * self._square)))

    @cached_property
    def diode_mean(self) -> float:
        """A."""
        return float(np.mean(self.off * (self.low + self.high) / 2))

    @cached_property
    def diode_rms(self) -> float:
        """A."""
        return math.sqrt(float(np.mean(self.off * self._square)))

    @cached_property
    def choke_rms(self) -> float:
        """A."""
        return math.sqrt(float(np.mean((self.on + self.off) * self._square)))

    @property
    def line_rms(self) -> float:
        """Of all channels together, ripple filtered away, A."""
        return self.stage.channels * math.sqrt(float(np.mean(self.mean**2)))

    def valley_loss(self, capacitance: float) -> float:
        """What turning on burns of a node of so many farads in critical conduction, W, the line over: its ring comes down to
        twice the mains less the bus, and to nothing where that would be below."""
        left = np.maximum(0.0, 2 * self.mains - self.stage.bus)
        return float(np.mean(capacitance * left**2 * self.frequency / 2))


def _line(stage: Boost) -> tuple[Array, Array, Array]:
    """Angles, mains and what a channel takes of it, A."""
    angle = (np.arange(ANGLES) + 0.5) * math.pi / ANGLES
    crest = math.sqrt(2) * stage.volts
    if crest >= stage.bus:
        raise ValueError(f"a boost stage makes more than its input: bus of {stage.bus:g} V, crest of {crest:.4g} V")
    return angle, crest * np.sin(angle), math.sqrt(2) * stage.each / stage.volts * np.sin(angle)


def continuous(stage: Boost, frequency: float) -> Cycle:
    """At a fixed frequency, Hz. Raises: ValueError where the crest of the mains reaches the bus."""
    angle, mains, mean = _line(stage)
    ripple = np.asarray(book.ripple(v_line=mains, V_dc=stage.bus, L=stage.henry, f_s=frequency))
    duty = np.asarray(book.duty(v_line=mains, V_dc=stage.bus))
    dry = ripple > 2 * mean
    on = np.where(dry, _dry_on(stage, mains, mean, frequency), duty)
    off = np.where(dry, on * mains / (stage.bus - mains), 1 - duty)
    high = np.where(dry, mains * on / (stage.henry * frequency), mean + ripple / 2)
    return Cycle(stage, angle, mains, mean, np.where(dry, 0.0, mean - ripple / 2), high, np.full(ANGLES, frequency), on, off)


def critical(stage: Boost, highest: float = math.inf) -> Cycle:
    """From nothing to nothing, no faster than a highest frequency, Hz. Raises: ValueError where the crest of the mains reaches
    the bus."""
    angle, mains, mean = _line(stage)
    free = np.asarray(book.frequency(eta=1.0, V_rms=stage.volts, v_line=mains, V_dc=stage.bus, L=stage.henry, P=stage.each))
    frequency = np.minimum(free, highest)
    time = book.on_time.work({"L": stage.henry, "P": stage.each, "eta": 1.0, "V_rms": stage.volts})
    on = np.where(free > highest, _dry_on(stage, mains, mean, highest), time * free)
    off = on * mains / (stage.bus - mains)
    return Cycle(stage, angle, mains, mean, np.zeros(ANGLES), mains * on / (stage.henry * frequency), frequency, on, off)


def _dry_on(stage: Boost, mains: Array, mean: Array, frequency: float) -> Array:
    """Share of a period for which the switch is on where the choke runs dry: a triangle whose mean is asked. Source: charge of
    a triangle of height v·D/(L·f) over D·V/(V − v) of the period."""
    if not math.isfinite(frequency):
        return np.zeros(mains.size)
    return np.asarray(np.sqrt(2 * stage.henry * frequency * mean * (stage.bus - mains) / (mains * stage.bus)))
