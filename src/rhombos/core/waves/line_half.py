"""One half period of a bridge rectifier on one-phase mains: from one zero crossing of the mains to the next.

While no diode conducts, the load alone takes from the bank, and its voltage is known in closed form; while a pair conducts,
mains and bank are two differential equations, stiff where the line has hardly any inductance, that are marched from the
turn-on to the moment at which the current has come back to nothing.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from itertools import accumulate
from typing import NamedTuple

STEPS = 120
"""Steps of a half period at least, while diodes conduct."""
RISING, FINEST, FIRST = 36, 32, 32
"""Steps from the turn-on to the crest at least, how much smaller than usual that may make them, and how much smaller still the
first of them is: each of the next is twice the one before."""
LEAST = 0.3
"""Share of the crest below which the bank may not fall: a load that keeps its power has taken it down for good."""
REST, FEW = 64, 12
"""Moments of a half period at which the bank's curve is kept between pulses where the load swings; of each rest otherwise."""
LOOKS, SLOW = 24, 2.0
"""Moments of a half period at which a bank under a load that swings is looked at, whether the mains stands above it; and swings
in a half period up to which it can but once while the mains rises."""
DIAGONAL = 1 - 1 / math.sqrt(2)
"""What of a step each of its two stages is implicit in."""
LEAST_HENRY = 2e-6
"""Inductance that even the stiffest mains is taken to have in a cord and its wiring, H."""


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

    @property
    def half(self) -> float:
        """Half a period, s."""
        return 0.5 / self.hertz


class Behind(NamedTuple):
    """What stands behind the mains: threshold of two diodes, V; the bank, F, and its series resistance, Ω."""

    drop: float
    farad: float
    ohms: float = 0.0


class Half(NamedTuple):
    """A half period: times from the zero crossing, s; current of the line, A; bank, V."""

    time: list[float]
    current: list[float]
    bank: list[float]

    def add(self, time: float, current: float, bank: float) -> None:
        """One moment more."""
        self.time.append(time)
        self.current.append(current)
        self.bank.append(bank)


@dataclass(frozen=True, slots=True)
class Swing:
    """How the power that a load draws swings about its mean: one period of it in equal steps, over the mean; and how many such
    periods there are in half a period of the mains."""

    wave: tuple[float, ...]
    rate: float


@lru_cache(maxsize=64)
def _summed(wave: tuple[float, ...]) -> tuple[float, ...]:
    """A wave's integral up to the begin of each step, and to its end, in steps."""
    return (0.0, *accumulate(wave))


class Load:
    """What draws from the bank within a half period, s: mean power, W; how it swings, and where in its period it begins."""

    __slots__ = ("_period", "_steps", "_sums", "phase", "power", "swing")

    def __init__(self, power: float, half: float, swing: Swing | None = None, phase: float = 0.0) -> None:
        self.power, self.swing, self.phase = power, swing, phase
        self._sums = _summed(swing.wave) if swing else ()
        self._steps = len(swing.wave) if swing else 0
        self._period = half / swing.rate if swing else half

    def at(self, time: float) -> float:
        """Power at a moment of the half period, W."""
        if self.swing is None:
            return self.power
        turns = self.phase + time / self._period
        return self.power * self.swing.wave[int((turns - math.floor(turns)) * self._steps) % self._steps]

    def energy(self, since: float, until: float) -> float:
        """What it draws between two moments, J."""
        if self.swing is None:
            return self.power * (until - since)
        return self.power * (self._upto(until) - self._upto(since)) * self._period / self._steps

    def _upto(self, time: float) -> float:
        turns = self.phase + time / self._period
        whole = math.floor(turns)
        place, sums = (turns - whole) * self._steps, self._sums
        k = min(self._steps - 1, int(place))
        return whole * sums[-1] + sums[k] + (place - k) * (sums[k + 1] - sums[k])


def half_period(mains: Mains, behind: Behind, load: Load, volts: float, current: float) -> Half | None:
    """From one zero crossing of the mains to the next, from the bank's voltage, V, and the current, A, of the half period
    before, that it begins with; None where the bank is taken down. A bank's own resistance is met by what charges it: what the
    load alone loses there is to be part of its power."""
    half, least = mains.half, LEAST * (mains.crest - behind.drop)
    coarse = half / STEPS
    made = Half([0.0], [current], [volts])
    if current:
        _conducts(mains, behind, load, made, coarse, coarse, least)
    while made.time[-1] < half - 1e-12:
        at, volts = made.time[-1], made.bank[-1]
        begins = _turns_on(mains, behind, load, volts, at)
        if volts**2 - 2 * load.energy(at, begins) / behind.farad <= least**2:
            return None
        if begins > at:  # the load alone, drawn with points enough for its curve
            points = math.ceil(REST * (begins - at) / half) if load.swing else FEW
            for n in range(1, points + 1):
                now = at + n / points * (begins - at)
                made.add(now, 0.0, math.sqrt(volts**2 - 2 * load.energy(at, now) / behind.farad))
        if begins >= half - 1e-12:
            break
        # what turns on near the crest is soon over, and on a stiff mains the current is there at once
        step = min(coarse, max(coarse / FINEST, (0.5 * half - begins) / RISING))
        first = step / FIRST if begins - at > step else step
        _conducts(mains, behind, load, made, step, first, least)
        if made.bank[-1] <= least:
            return None
    return made if made.bank[-1] > least else None


def _turns_on(mains: Mains, behind: Behind, load: Load, volts: float, since: float) -> float:
    """When the mains next stands above the bank and the diodes, s; the half period's end where it does not."""
    crest, turn, until = mains.crest, mains.turn, mains.half

    def above(at: float) -> float:
        left = volts**2 - 2 * load.energy(since, at) / behind.farad
        return crest * math.sin(turn * at) - behind.drop - math.sqrt(max(0.0, left))

    top = 0.5 * until
    if above(since) >= 0:
        return since
    if since < top and (load.swing is None or load.swing.rate <= SLOW) and above(top) >= 0:
        low, high = since, top
    elif load.swing is None:
        # past the crest the mains falls faster than any bank worth having: what is not on by then stays off
        return until
    else:  # a load that swings may take the bank below the mains at any moment
        looks = max(2, math.ceil(LOOKS * (until - since) / until))
        moments = [since + (until - since) * n / looks for n in range(looks + 1)]
        first = next((n for n, at in enumerate(moments) if above(at) >= 0), None)
        if first is None:
            return until
        low, high = moments[first - 1], moments[first]
    while high - low > 1e-7 * until:
        middle = (low + high) / 2
        low, high = (low, middle) if above(middle) >= 0 else (middle, high)
    return high


def _conducts(
    mains: Mains, behind: Behind, load: Load, made: Half, step: float, first: float, least: float
) -> None:  # fmt: skip
    """What follows while a pair conducts, up to the moment at which its current has come back to nothing, the bank has been
    taken down, or the half period is over: in steps, the first of them smaller, each of the next twice the one before. A
    two-stage rule of second order that is stable however short the time constants are beside it (singly diagonally implicit,
    L-stable). Source: the usual tables of Runge and Kutta methods."""
    henry, (drop, bank, esr) = max(mains.henry, LEAST_HENRY), behind
    at, current, volts, half = made.time[-1], made.current[-1], made.bank[-1], mains.half
    way = math.copysign(1.0, current) if current else 1.0
    crest, turn, swings, watts = mains.crest / henry, mains.turn, load.swing is not None, load.power
    a11, a12, a21 = -(mains.ohms + esr) / henry, -way / henry, way / bank
    drop, esr, grown, sized = way * drop / henry, way * esr / henry, first, 0.0
    part = None
    while at < half - 1e-12:
        h = min(grown, half - at) if part is None else part
        if h != sized:
            sized, g, rest = h, DIAGONAL * h, (1 - DIAGONAL) * h
            m11, m12, m21 = 1 - g * a11, -g * a12, -g * a21
            whole = m11 - m12 * m21
        if swings:
            watts = load.energy(at, at + h) / h
        # first stage, and the second from what it says; the load's current by the level to which the stage leads
        taken = watts / (volts + g * (way * current - watts / volts) / bank)
        slope_i = a11 * current + a12 * volts + crest * math.sin(turn * (at + g)) - drop + esr * taken
        slope_v = a21 * current - taken / bank
        k1_i, k1_v = (slope_i - m12 * slope_v) / whole, (m11 * slope_v - m21 * slope_i) / whole
        amps, level = current + rest * k1_i, volts + rest * k1_v
        taken = watts / (level + g * k1_v)
        slope_i = a11 * amps + a12 * level + crest * math.sin(turn * (at + h)) - drop + esr * taken
        slope_v = a21 * amps - taken / bank
        amps += g * (slope_i - m12 * slope_v) / whole
        level += g * (m11 * slope_v - m21 * slope_i) / whole
        if part is not None or way * amps <= 0:
            if part is None and way * current > 0:  # it comes to nothing within this step: once more, up to there
                part = h * current / (current - amps)
                continue
            if part is None:  # it never began to flow
                level = math.sqrt(max(0.0, volts**2 - 2 * load.energy(at, at + h) / bank))
            made.add(at + h, 0.0, level)
            return
        at, current, volts = at + h, amps, level
        made.add(at, current, volts)
        if volts <= least:
            return
        grown = min(step, 2 * grown)
