"""A bridge rectifier on one-phase mains, its bank and a load that keeps its power: the state that repeats each half period.

While no diode conducts, the load alone takes from the bank, and its voltage is known in closed form; while a pair conducts,
mains and bank are two differential equations, stiff where the line has hardly any inductance, that are marched from the
turn-on to the moment at which the current has come back to nothing. The state that repeats is found by Newton's rule; it
counts where a small disturbance dies away from one half period to the next.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
STEPS = 300
"""Steps of a half period, while diodes conduct."""
MOST_TURNS = 14
"""Steps of it after which a state that does not repeat is given up."""
REPEATS = 1e-7
"""Change of the bank's voltage over a half period, as a share of the crest, at which it counts as repeated."""
LEAST = 0.3
"""Share of the crest below which the bank may not fall: a load that keeps its power has taken it down for good."""
PLAIN, NEAR = 40, 1e-3
"""Half periods in a row before Newton's rule at most, and the change of the bank, of the crest, from which on it is trusted."""
CALMER, FLATTEST, STEEPEST = 0.9, -0.15, -2.0
"""What is left of a change by which a bank calms down, so that the secant is trusted; how flat and how steep that may be."""
STRIDE = 0.2
"""How far one step may move the bank, of the crest."""
REST = tuple(float(x) for x in np.linspace(0, 1, 13)[1:])
"""Moments of the time between pulses at which its curve is kept."""
NUDGE = 1e-4
"""Of the crest, by which a state is moved to see whether it comes back."""
WAITED, SHOWN = 60, 8
"""Half periods that pass before those that are kept where none repeats, and how many are."""
SAMPLES = 2048
"""Of a whole period, for its spectrum."""


@dataclass(frozen=True, slots=True)
class Mains:
    """One phase: V RMS, Hz; resistance, Ω, and inductance, H, of everything up to the bridge."""

    volts: float
    hertz: float
    ohms: float
    henry: float

    @property
    def crest(self) -> float:
        """V."""
        return math.sqrt(2) * self.volts

    @property
    def turn(self) -> float:
        """Angular frequency, 1/s."""
        return 2 * math.pi * self.hertz


class Half(NamedTuple):
    """A half period: times from the zero crossing, s; current of the line, A; bank, V."""

    time: list[float]
    current: list[float]
    bank: list[float]


Through = Callable[[float, float], Half | None]
"""A half period from the bank, V, and the current, A, at its beginning; None where the bank falls."""


@dataclass(frozen=True)
class Rectified:
    """A half period that repeats: times from the zero crossing of the mains, s; current of the line, A; bank, V; the power that
    the load takes, W. Where none does, some half periods in a row (`repeats` is false); where the mains cannot feed the load at
    all, `held` is false, and the figures mean nothing."""

    mains: Mains
    power: float
    time: Array
    current: Array
    bank: Array
    held: bool = True
    repeats: bool = True

    @cached_property
    def mean(self) -> float:
        """Of the bank, V."""
        return self._mean(self.bank)

    @property
    def lowest(self) -> float:
        """Valley of the bank, V."""
        return float(self.bank.min())

    @property
    def highest(self) -> float:
        """Top of the bank, V."""
        return float(self.bank.max())

    @property
    def ripple(self) -> float:
        """Of the bank, peak to peak, V."""
        return self.highest - self.lowest

    @cached_property
    def diode_mean(self) -> float:
        """Mean of what the bridge gives, A: each diode carries half of it."""
        return self._mean(np.abs(self.current))

    @cached_property
    def rms(self) -> float:
        """Of the line, A."""
        return math.sqrt(self._mean(self.current**2))

    @property
    def peak(self) -> float:
        """Of the line, A."""
        return float(np.abs(self.current).max())

    @cached_property
    def drawn(self) -> float:
        """True power taken from the mains behind its own resistance and inductance, W."""
        return self._mean(self.mains.crest * np.sin(self.mains.turn * self.time) * self.current)

    @property
    def power_factor(self) -> float:
        """True over apparent power; 0 without a current."""
        apparent = self.mains.volts * self.rms
        return self.drawn / apparent if apparent > 0 else 0.0

    @property
    def conducts(self) -> float:
        """Share of a half period in which a pair of diodes conducts."""
        amps = np.maximum(np.abs(self.current) - CONDUCTING, 0.0)
        steps, higher, lower = np.diff(self.time), np.maximum(amps[1:], amps[:-1]), np.minimum(amps[1:], amps[:-1])
        rises = np.abs(np.diff(np.abs(self.current)))
        share = np.where(lower > 0, 1.0, np.where(higher > 0, higher / np.maximum(rises, 1e-12), 0.0))
        return float((steps * share).sum() / self.span)

    @cached_property
    def bank_rms(self) -> float:
        """What the bank carries of it, RMS, A."""
        taken = self.power / self.bank
        return math.sqrt(self._mean((np.abs(self.current) - taken) ** 2))

    @cached_property
    def harmonics(self) -> Array:
        """RMS of the line's odd harmonics, A: the first, the third, and so on up to the 39th."""
        whole = np.linspace(0, self.span, self.halves * SAMPLES // 2, endpoint=False)
        amps = np.interp(whole, self.time, self.current)
        if self.halves % 2:  # the next half period is the same the other way about
            amps = np.concatenate([amps, -amps])
        periods = amps.size // SAMPLES
        lines = np.abs(np.fft.rfft(amps)) * 2 / amps.size / math.sqrt(2)
        return np.asarray(lines[periods : 40 * periods : 2 * periods])

    @property
    def distortion(self) -> float:
        """Of the line current: all harmonics over the first."""
        first = float(self.harmonics[0])
        return math.sqrt(max(0.0, self.rms**2 - first**2)) / first if first > 0 else 0.0

    @property
    def span(self) -> float:
        """What it lasts, s."""
        return self.halves * 0.5 / self.mains.hertz

    @property
    def halves(self) -> int:
        """Half periods in it."""
        return round(float(self.time[-1]) * 2 * self.mains.hertz)

    def _mean(self, values: Array) -> float:
        return float(np.trapezoid(values, self.time)) / self.span


CONDUCTING = 1e-3
"""Current from which on a pair counts as conducting, A."""


def rectified(mains: Mains, drop: float, bank: float, power: float) -> Rectified:
    """What becomes of a load of constant power, W, on a bank, F, behind two diodes that together drop `drop`, V: the half
    period that repeats, or some half periods in a row where none does. Without a load the bank stands at the crest less that
    drop."""
    half, top = 0.5 / mains.hertz, mains.crest - drop
    ends = np.array([0.0, half])
    if power <= 0:
        return Rectified(mains, 0.0, ends, np.zeros(2), np.full(2, top))
    fallen = Rectified(mains, power, ends, np.zeros(2), np.full(2, LEAST * top), held=False)

    def through(volts: float, current: float) -> Half | None:
        return _half_period(mains, drop, bank, power, volts, current)

    here = _near(through, top, power / top, mains.crest)
    if here is None:
        return fallen
    for _ in range(MOST_TURNS):
        found = through(*here)
        if found is None:
            break
        off = np.subtract(_ended(found), here)
        most = max(power / top, max(map(abs, found.current)))
        slopes = _slopes(through, here, _ended(found), (NUDGE * mains.crest, NUDGE * most))
        if slopes is None:
            break
        if abs(off[0]) < REPEATS * mains.crest and abs(off[1]) < REPEATS * most:
            if np.abs(np.linalg.eigvals(slopes)).max() < 1:  # else it repeats, but any disturbance grows: it is never met
                return Rectified(mains, power, np.array(found.time), np.array(found.current), np.array(found.bank))
            break
        try:
            step = np.linalg.solve(np.eye(2) - slopes, off)
        except np.linalg.LinAlgError:
            step = off
        volts = here[0] + min(STRIDE * top, max(-STRIDE * top, float(step[0])))
        here = max(LEAST * top, volts), min(0.0, here[1] + float(step[1]))
    return _wandering(mains, power, through, top, 0.0) or fallen


def _near(through: Through, top: float, load: float, crest: float) -> tuple[float, float] | None:
    """A state from which Newton's rule finds the one that repeats: half periods in a row, the bank's fall followed along the
    secant while it calms down; None where it falls by itself."""
    here = sure = top, 0.0
    before: tuple[float, float] | None = None
    for _ in range(PLAIN):
        found = through(*here)
        if found is None:
            if here == sure:
                return None
            here, before = sure, None
            continue
        ended = _ended(found)
        off = ended[0] - here[0]
        if abs(off) < NEAR * crest and max(map(abs, found.current)) > load:
            return ended
        trusted = before is not None and abs(off) < CALMER * abs(before[1]) and here[0] != before[0]
        slope = (off - before[1]) / (here[0] - before[0]) if before and trusted else -1.0
        before, sure = (here[0], off), ended
        here = here[0] - off / min(FLATTEST, max(STEEPEST, slope)), ended[1]
    return sure


def _ended(half: Half) -> tuple[float, float]:
    """Bank, V, and current, A, with which the next half period begins: the same the other way about."""
    return half.bank[-1], min(0.0, -half.current[-1])


def _slopes(
    through: Through, here: tuple[float, float], ended: tuple[float, float], nudge: tuple[float, float]
) -> NDArray[np.float64] | None:
    """How what a half period ends with moves with what it begins with: 2 × 2; None where the bank falls beside it."""
    columns = []
    for moved, by in (((here[0] + nudge[0], here[1]), nudge[0]), ((here[0], here[1] - nudge[1]), -nudge[1])):
        found = through(*moved)
        if found is None:
            return None
        columns.append(np.subtract(_ended(found), ended) / by)
    return np.column_stack(columns)


def _wandering(mains: Mains, power: float, through: Through, volts: float, current: float) -> Rectified | None:
    """Half periods in a row, after they have had time to find what they do by turns; None where the bank falls."""
    half = 0.5 / mains.hertz
    times: list[float] = []
    amps: list[float] = []
    levels: list[float] = []
    way = 1.0
    for turn in range(WAITED + SHOWN):
        found = through(volts, current)
        if found is None:
            return None
        volts, current = found.bank[-1], -found.current[-1]
        if turn >= WAITED:
            times += [(turn - WAITED) * half + t for t in found.time]
            amps += [way * a for a in found.current]
            levels += found.bank
            way = -way
    return Rectified(mains, power, np.array(times), np.array(amps), np.array(levels), repeats=False)


def _half_period(mains: Mains, drop: float, bank: float, power: float, volts: float, current: float) -> Half | None:
    """From one zero crossing of the mains to the next, from the voltage and the current, of the half period before, that it
    begins with; None where the bank is taken down."""
    half, turn, crest = 0.5 / mains.hertz, mains.turn, mains.crest
    step, least = half / STEPS, LEAST * (crest - drop)
    times, amps, levels = [0.0], [current], [volts]
    at, way = 0.0, math.copysign(1.0, current) if current else 0.0
    while at < half - 1e-12:
        if way == 0.0:
            begins = _turns_on(crest, turn, drop, bank, power, volts, at, half)
            rest = volts**2 - 2 * power * (begins - at) / bank
            if rest <= least**2:
                return None
            if begins > at:  # the load alone, drawn with points enough for its curve
                for share in REST:
                    now = at + share * (begins - at)
                    times.append(now)
                    amps.append(0.0)
                    levels.append(math.sqrt(volts**2 - 2 * power * (now - at) / bank))
                volts, at = levels[-1], begins
            if at >= half - 1e-12:
                break
            way = 1.0
        at, current, volts, way = _conducting(mains, drop, bank, power, at, current, volts, way, min(step, half - at))
        if volts <= least:
            return None
        times.append(at)
        amps.append(current)
        levels.append(volts)
    return Half(times, amps, levels)


def _turns_on(
    crest: float, turn: float, drop: float, bank: float, power: float, volts: float, since: float, until: float
) -> float:
    """When the mains next stands above the bank and the diodes, s; the half period's end where it does not."""

    def above(at: float) -> float:
        left = volts**2 - 2 * power * (at - since) / bank
        return crest * math.sin(turn * at) - drop - math.sqrt(max(0.0, left))

    top = 0.25 * (2 * math.pi / turn)
    if above(since) >= 0:
        return since
    if since >= top or above(top) < 0:
        # past the crest the mains falls faster than any bank worth having: what is not on by then stays off
        return until
    low, high = since, top
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (low, middle) if above(middle) >= 0 else (middle, high)
    return high


@dataclass(frozen=True, slots=True)
class _Step:
    """One step of mains and bank while a pair conducts: a two-stage rule of second order that is stable however short the time
    constants are beside it (singly diagonally implicit, L-stable). Source: the usual tables of Runge and Kutta methods."""

    mains: Mains
    drop: float
    bank: float
    power: float
    way: float

    def __call__(self, at: float, current: float, volts: float, step: float) -> tuple[float, float]:
        """Current and bank after it."""
        henry, way = max(self.mains.henry, LEAST_HENRY), self.way
        a11, a12, a21 = -self.mains.ohms / henry, -way / henry, way / self.bank
        g = DIAGONAL * step
        m11, m12, m21 = 1 - g * a11, -g * a12, -g * a21
        whole = m11 - m12 * m21

        def slope(amps: float, level: float, time: float) -> tuple[float, float]:
            made = (self.mains.crest * math.sin(self.mains.turn * time) - way * self.drop) / henry
            first = a11 * amps + a12 * level + made
            second = a21 * amps - self.power / (level * self.bank)
            return (first - m12 * second) / whole, (m11 * second - m21 * first) / whole

        k1 = slope(current, volts, at + g)
        rest = (1 - DIAGONAL) * step
        k2 = slope(current + rest * k1[0], volts + rest * k1[1], at + step)
        return current + rest * k1[0] + g * k2[0], volts + rest * k1[1] + g * k2[1]


DIAGONAL = 1 - 1 / math.sqrt(2)
"""What of a step each of its two stages is implicit in."""


def _conducting(
    mains: Mains, drop: float, bank: float, power: float, at: float, current: float, volts: float, way: float, step: float
) -> tuple[float, float, float, float]:  # fmt: skip
    """One step while a pair conducts, current in a way, +1 or −1: time, current, bank, and the way after it, 0 where the
    current has come to nothing within the step."""
    after = _Step(mains, drop, bank, power, way)
    amps, level = after(at, current, volts, step)
    if way * amps > 0:
        return at + step, amps, level, way
    if way * current <= 0:  # it never began to flow
        return at + step, 0.0, math.sqrt(max(0.0, volts**2 - 2 * power * step / bank)), 0.0
    part = step * current / (current - amps)
    return at + part, 0.0, after(at, current, volts, part)[1], 0.0


LEAST_HENRY = 2e-6
"""Inductance that even the stiffest mains is taken to have in a cord and its wiring, H."""
