"""A bridge rectifier on one-phase mains, its bank and a load that keeps its power: the state that repeats each half period.

It is found by Newton's rule, and counts where a small disturbance dies away from one half period to the next. A load whose
power swings at a frequency of its own, never locked to the mains, meets it at every phase in turn: half periods in a row then,
until all phases have passed.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from rhombos.core.waves.line_half import LEAST, Behind, Half, Load, Mains, Swing, half_period

Array = NDArray[np.float64]
MOST_TURNS = 14
"""Steps of it after which a state that does not repeat is given up."""
REPEATS = 1e-7
"""Change of the bank's voltage over a half period, as a share of the crest, at which it counts as repeated."""
PLAIN, NEAR = 40, 1e-3
"""Half periods in a row before Newton's rule at most, and the change of the bank, of the crest, from which on it is trusted."""
CALMER, FLATTEST, STEEPEST = 0.9, -0.15, -2.0
"""What is left of a change by which a bank calms down, so that the secant is trusted; how flat and how steep that may be."""
STRIDE = 0.2
"""How far one step may move the bank, of the crest."""
FASTER = 0.1
"""What is left of a turn's error while the slopes of an earlier one still serve."""
NUDGE = 1e-4
"""Of the crest, by which a state is moved to see whether it comes back."""
WAITED, SHOWN = 60, 8
"""Half periods that pass before those that are kept where none repeats, and how many are."""
PHASES = 9, 15
"""Half periods in which a swing that is not locked to the mains meets it at all phases: at least, and one more than at most."""
DRIFTS, HELD_AT = 0.03, 8
"""Turns in a half period below which a swing counts as drifting past the mains, and at how many phases it is then held."""
SMOOTHED = 128
"""Parts of a half period over which what a load draws at a moment is averaged: it may come in pulses."""
SETTLES, MOST_ROUNDS, AT_REST = 6, 12, 2e-4
"""Half periods that pass before all phases are met, rounds of all phases at most, and what the bank may still gain in one, over
the power."""
SAMPLES = 2048
"""Of a whole period, for its spectrum."""

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
    swings: Array | None = None
    """Of a load that swings, its power over the mean at these times."""

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
        return math.sqrt(self._product(self.current, self.current))

    @property
    def peak(self) -> float:
        """Of the line, A."""
        return float(np.abs(self.current).max())

    @cached_property
    def drawn(self) -> float:
        """True power taken from the mains behind its own resistance and inductance, W."""
        return self._product(self.mains.crest * np.sin(self.mains.turn * self.time), self.current)

    def socket(self, behind: Behind, ohms: float) -> float:
        """RMS of what stands behind a resistance, Ω, that is part of the mains' own, and behind its inductance, V: while diodes
        conduct, what the bank and all between leave there; else the mains itself."""
        amps, way = np.abs(self.current), np.sign(self.current)
        held = self.bank + behind.drop + behind.ohms * (amps - self._taken) + (self.mains.ohms - ohms) * amps
        free = self.mains.crest * np.sin(self.mains.turn * self.time)
        left = np.where(way == 0, 0.0, free - way * held)
        return math.sqrt(max(0.0, self.mains.volts**2 - self._product(left, free + way * held)))

    @property
    def power_factor(self) -> float:
        """True over apparent power; 0 without a current."""
        apparent = self.mains.volts * self.rms
        return self.drawn / apparent if apparent > 0 else 0.0

    @cached_property
    def swings_by(self) -> float:
        """How far the bank swings about its mean, RMS, V."""
        beside = self.bank - self.mean
        return math.sqrt(self._product(beside, beside))

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
        return math.sqrt(self._product(np.abs(self.current) - self._taken, np.abs(self.current) - self._taken))

    @cached_property
    def load_alone(self) -> float:
        """Mean square of what the load's current makes of the bank's beside what charges it, A²: of a steady one nothing."""
        return self._product(self._taken, self._taken - np.abs(self.current))

    @property
    def _taken(self) -> Array:
        """Current of the load, A."""
        return np.asarray(self.power * (1.0 if self.swings is None else self.swings) / self.bank)

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

    def _product(self, one: Array, other: Array) -> float:
        """Mean of a product of two that go straight from one moment to the next."""
        ends = one[:-1] * other[:-1] + one[1:] * other[1:]
        across = one[:-1] * other[1:] + one[1:] * other[:-1]
        return float((np.diff(self.time) * (2 * ends + across)).sum()) / 6 / self.span


CONDUCTING = 1e-3
"""Current from which on a pair counts as conducting, A."""


def rectified(mains: Mains, behind: Behind, power: float, swing: Swing | None = None) -> Rectified:
    """What becomes of a load of a mean power, W, on the bank behind the mains: the half period that repeats, or some half
    periods in a row where none does, or where the load swings. Without a load the bank stands at the crest less the diodes'
    threshold."""
    if swing is None or power <= 0:
        return _steady(mains, behind, power)
    begin = _steady(mains, behind, power)
    if not begin.held:
        return begin
    rounds = _passing(swing.rate)
    phases = [phase for each in rounds for phase in each]
    seen = sum(Load(1.0, mains.half, swing, phase).energy(0.0, mains.half) for phase in phases) / len(phases) / mains.half
    drawn = power / seen  # so few phases may miss some of a sharp wave
    here, halves = _ended(Half([], begin.current.tolist(), begin.bank.tolist())), []
    for each in rounds:
        found = _rested(mains, behind, [Load(drawn, mains.half, swing, phase) for phase in each], here, power)
        if found is None:
            return replace(begin, held=False)
        halves += found
        here = _ended(found[-1][1])
    return replace(_joined(mains, power, halves), repeats=begin.repeats)


Row = list[tuple[Load, Half]]
"""Half periods in a row, each with what draws in it."""


@lru_cache(maxsize=64)
def _passing(rate: float) -> tuple[tuple[float, ...], ...]:
    """Phases, in turns, with which a swing begins half periods in a row, in rounds each of which comes back to where it began:
    in one round it moves on as near to its own frequency as lets it meet n phases in n half periods. Where it hardly moves, it
    stays at each phase for a round."""
    part = rate % 1.0
    if min(part, 1 - part) < DRIFTS:
        return tuple((n / HELD_AT,) for n in range(HELD_AT))
    able = ((k, n) for n in range(*PHASES) for k in range(1, n) if math.gcd(k, n) == 1)
    passes, of = min(able, key=lambda kn: (abs(kn[0] / kn[1] - part), kn[1]))
    return (tuple(n * passes / of % 1.0 for n in range(of)),)


def _rested(mains: Mains, behind: Behind, loads: Sequence[Load], here: tuple[float, float], power: float) -> Row | None:
    """A round of half periods that ends with what it began with, found along the secant: a large bank under hardly a load has a
    long memory. None where the bank falls."""
    before: tuple[float, float] | None = None
    for turn in range(MOST_ROUNDS):
        found = _in_a_row(mains, behind, loads, here, SETTLES if turn == 0 and len(loads) > 1 else 0, len(loads))
        if found is None:
            return None
        first, last = found[0][1].bank[0], found[-1][1].bank[-1]
        if abs(0.5 * behind.farad * (last**2 - first**2)) < AT_REST * power * mains.half * len(loads):
            break
        slope = (last - first - before[1]) / (first - before[0]) if before and first != before[0] else -1.0
        step = (first - last) / min(FLATTEST, max(STEEPEST, slope))
        before = (first, last - first)
        here = first + min(STRIDE * first, max(-STRIDE * first, step)), _ended(found[-1][1])[1]
    return found


@lru_cache(maxsize=512)
def _steady(mains: Mains, behind: Behind, power: float) -> Rectified:
    """The same of a load of constant power."""
    half, top = mains.half, mains.crest - behind.drop
    ends = np.array([0.0, half])
    if power <= 0:
        return Rectified(mains, 0.0, ends, np.zeros(2), np.full(2, top))
    fallen = Rectified(mains, power, ends, np.zeros(2), np.full(2, LEAST * top), held=False)

    load = Load(power, half)
    enough = min(REPEATS * mains.crest, AT_REST * power * half / (behind.farad * top))

    def through(volts: float, current: float) -> Half | None:
        return half_period(mains, behind, load, volts, current)

    here = _near(through, top, power / top, mains.crest)
    if here is None:
        return fallen
    slopes, before = None, math.inf
    for _ in range(MOST_TURNS):
        found = through(*here)
        if found is None:
            break
        off = np.subtract(_ended(found), here)
        most = max(power / top, max(map(abs, found.current)))
        if slopes is None or abs(off[0]) > FASTER * before:  # else those of the turn before still serve
            slopes = _slopes(through, here, _ended(found), (NUDGE * mains.crest, NUDGE * most))
        if slopes is None:
            break
        before = abs(float(off[0]))
        if abs(off[0]) < enough and abs(off[1]) < REPEATS * most:
            if np.abs(np.linalg.eigvals(slopes)).max() < 1:  # else it repeats, but any disturbance grows: it is never met
                return Rectified(mains, power, np.array(found.time), np.array(found.current), np.array(found.bank))
            break
        try:
            step = np.linalg.solve(np.eye(2) - slopes, off)
        except np.linalg.LinAlgError:
            step = off
        volts = here[0] + min(STRIDE * top, max(-STRIDE * top, float(step[0])))
        here = max(LEAST * top, volts), min(0.0, here[1] + float(step[1]))
    wanders = _in_a_row(mains, behind, [load], (top, 0.0), WAITED, SHOWN)
    return replace(_joined(mains, power, wanders), repeats=False, swings=None) if wanders else fallen


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


def _in_a_row(
    mains: Mains, behind: Behind, loads: Sequence[Load], begin: tuple[float, float], waited: int, shown: int
) -> Row | None:  # fmt: skip
    """Half periods under loads by turns, after some in which they find what they do; None where the bank falls."""
    here, row = begin, []
    for turn in range(-waited, shown):
        load = loads[turn % len(loads)]
        found = half_period(mains, behind, load, *here)
        if found is None:
            return None
        here = _ended(found)
        if turn >= 0:
            row.append((load, found))
    return row


def _joined(mains: Mains, power: float, row: Row) -> Rectified:
    """Half periods in a row as one record, for a mean power, W."""
    near = 0.5 * mains.half / SMOOTHED
    times = np.concatenate([np.array(half.time) + n * mains.half for n, (_, half) in enumerate(row)])
    amps = np.concatenate([np.array(half.current) * (-1) ** n for n, (_, half) in enumerate(row)])
    levels = np.concatenate([half.bank for _, half in row])
    drawn = [load.energy(t - near, t + near) / (2 * near * power) for load, half in row for t in half.time]
    return Rectified(mains, power, times, amps, levels, swings=np.array(drawn))
