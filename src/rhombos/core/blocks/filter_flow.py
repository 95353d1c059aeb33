"""Currents at the line and its odd harmonics from a sine bridge through its filter into the load, on a rail that may give way.

All is as seen from the inductor. Phasors of odd harmonics are those of sines that rise through zero where the output does.
"""

from __future__ import annotations

import cmath
import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from rhombos.core.waves.crest import ANGLES, HIGHEST, Crest, Lines
from rhombos.core.waves.pulsation import MOST_TERMS, Demand
from rhombos.core.waves.rail import FIRM, Rail, swinging
from rhombos.core.waves.spectrum import COUNTED

ODD = np.arange(3.0, COUNTED, 2.0)
"""Harmonics of the line that count as distortion."""
EVENLY: Lines = np.exp(1j * np.outer(ODD, ANGLES))
"""What turns a phasor of each of them into samples where these stand evenly."""
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Way:
    """The output, V RMS, at a frequency, Hz; RMS currents of the load in phase and behind, A, and what flows beside it into the
    capacitor, less what magnetises a transformer; resistance and inductance up to the capacitor, Ω and H, and that, F; what
    draws at the crest, a Crest with the current it is scaled with, A; the rail before the bridge."""

    voltage: float
    frequency: float
    in_phase: float
    lagging: float
    leading: float
    ohms: float
    henry: float
    farad: float
    added: Crest | None
    over: float
    rail: Rail

    @property
    def behind(self) -> float:
        """What of the inductor's current is behind the output by a quarter, RMS, A."""
        return self.lagging - self.leading

    @property
    def linear(self) -> Lines:
        """What a linear load conducts at each odd harmonic, S."""
        current = complex(self.in_phase, self.lagging)
        if self.added:  # beside what draws at the crest
            current = complex(
                max(0.0, current.real - self.over * self.added.first), max(0.0, current.imag - self.over * self.added.lags)
            )
        if current == 0:
            return np.zeros(ODD.size, dtype=complex)
        across = self.voltage / abs(current) ** 2
        return np.asarray(1 / (across * (current.real + 1j * ODD * current.imag)))

    @property
    def before(self) -> Lines:
        """What lies before the capacitor at each odd harmonic, Ω."""
        return np.asarray(self.ohms + 2j * math.pi * self.frequency * self.henry * ODD)

    def gain(self, held: float = 0.0) -> Lines:
        """What reaches the loaded output of each odd harmonic that the bridge makes; `held` is what is conducted beside a
        linear load, S."""
        admittance = 2j * math.pi * self.frequency * self.farad * ODD + self.linear + held
        return np.asarray(1 / (1 + self.before * admittance))


@dataclass(frozen=True, slots=True)
class Flow:
    """Swings of the power that the bridge passes at twice the line and its multiples, W; the share that the bridge's
    fundamental is of what the modulation would make of the rail's mean; third and fifth harmonic of the output over its
    fundamental that the rail's swing leaves there, and that loads make which draw at the crest, and all higher ones that these
    make; samples of half a line period of what the inductor carries, A, with their angles from the output's rise through zero;
    RMS and peak, A, of what the load does, without the carrier's ripple; and the odd harmonics of which way the inductor's
    current flows, over a square wave's fundamental."""

    demand: Demand
    made: float
    swung: Lines
    pulsed: Lines
    others: float
    carried: Array
    angles: Array
    load: tuple[float, float]
    signs: Lines

    def inductor(self, beside: Lines | None = None) -> tuple[float, float]:
        """RMS and peak of what the inductor carries, A; with odd harmonics beside it, as what dead time drives."""
        if beside is None:
            return sized(self.carried)
        turns = EVENLY if self.angles is ANGLES else np.exp(1j * np.outer(ODD, self.angles))
        return sized(self.carried + (beside @ turns).imag)


def flow(way: Way, index: float, fundamental: float, ahead: float) -> Flow:
    """What flows at a modulation index, for a fundamental of the bridge, V, that stands so far ahead of the output, rad.

    Loads that draw at the crest are a source of current, shaped already by what they meet as a resistance; how else the rail
    bends their pulses is left to `filter_march`.
    """
    none = np.zeros(FOLLOWED.size, dtype=complex)
    if way.in_phase == 0 and way.behind == 0:
        dark = np.zeros(ANGLES.size)
        return Flow((), 1.0, none[:2], none[:2], 0.0, dark, ANGLES, (0.0, 0.0), np.zeros(ODD.size, dtype=complex))
    most = FOLLOWED.size
    gain, before, linear = way.gain()[:most], way.before[:most], way.linear[:most]
    # what a voltage drives into the filter is what it does not leave at the output, over what lies between
    admits = (1 - gain) / before
    first = math.sqrt(2) * complex(way.in_phase, -way.behind) / cmath.rect(fundamental, ahead)
    conducts = (first, complex(admits[0]), complex(admits[1]))
    swing = swinging(way.rail, index, *conducts)
    pulses = none if way.added is None else way.over * _lines(way.added.load)
    if way.added is not None and way.rail is not FIRM:
        at = ahead - cmath.phase(1 - swing.second / 2)
        scale = index**2 * abs(1 - swing.second / 2) / fundamental
        pushed = [-scale * p for p in _pushed(gain * pulses, at)]
        swing = swinging(way.rail, index, *conducts, (way.rail.second * pushed[0], way.rail.fourth * pushed[1]))
    whole = 1 - swing.second / 2
    at = ahead - cmath.phase(whole)
    bridge = none.copy()
    bridge[:2] = np.array(swing.bridge(fundamental, abs(whole))) * np.exp(1j * at * ODD[:2])
    peak = math.sqrt(2) * way.voltage
    swung, pulsed, through = gain * bridge, none.copy(), none.copy()
    if way.added is not None:
        pulsed[:2] = peak * way.added.output
        through += way.over * _lines(way.added.inductor)
        if way.rail is not FIRM:
            pulsed[:2], through[:2] = (-gain * before * pulses)[:2], (gain * pulses)[:2]
    carried = _sine(way.in_phase, way.behind) + _wave(admits * bridge + through)
    taken = _sine(way.in_phase, way.lagging) + _wave(linear * (swung + pulsed) + pulses)
    demand = phasors(fundamental * np.sin(ANGLES + at) * carried, MOST_TERMS)
    if way.added is None and not swing.second:
        demand = demand[:1]  # two sines
    others = way.added.others if way.added else 0.0
    return Flow(
        demand,
        abs(whole),
        np.asarray(swung[:2] / peak),
        np.asarray(pulsed[:2] / peak),
        others,
        carried,
        ANGLES,
        sized(taken),
        signs(carried, ANGLES),
    )


def signs(current: Array, angles: Array) -> Lines:
    """Odd harmonics of which way a current flows, over the fundamental of a square wave; samples of half a line period at their
    angles. Source: each turn of a square wave brings e^(−jnφ)/n."""
    after, step = np.append(current[1:], -current[0]), math.pi / angles.size
    turns = np.flatnonzero(np.sign(current) != np.sign(after))
    at = angles[turns] + step * np.abs(current[turns] / (current[turns] - after[turns]))
    return np.asarray(np.sign(after[turns]) @ np.exp(-1j * np.outer(at, ODD)) / ODD)


def _sine(in_phase: float, behind: float) -> Array:
    return np.asarray(math.sqrt(2) * (in_phase * np.sin(ANGLES) - behind * np.cos(ANGLES)))


FOLLOWED = ODD[ODD < HIGHEST]
"""Harmonics that pulses at the crest are followed to."""
TURNS = np.exp(1j * np.outer(FOLLOWED, ANGLES))
"""Those harmonics over the samples of half a line period."""


def _lines(half: Array) -> Lines:
    """Odd harmonics of samples of half a line period."""
    return np.asarray(2j / ANGLES.size * (TURNS.conj() @ half))


def _wave(lines: Lines) -> Array:
    """Samples of half a line period of odd harmonics."""
    return np.asarray((lines @ TURNS).imag)


def _pushed(lines: Lines, at: float) -> tuple[complex, complex]:
    """What a modulation that stands so far ahead, rad, draws of a current's harmonics at twice and four times the line, over M:
    phasors (cosine at the modulation's angle 0)."""
    second, fourth = phasors(np.sin(ANGLES + at) * _wave(lines), 2)
    return second * cmath.rect(1.0, -2 * at), fourth * cmath.rect(1.0, -4 * at)


def sized(current: Array) -> tuple[float, float]:
    """RMS and peak of samples of half a line period; the peak by the parabola through the three highest."""
    n = int(np.argmax(np.abs(current)))
    left, top, right = np.abs(current[[n - 1, n, (n + 1) % current.size]]).tolist()
    bend = left - 2 * top + right
    peak = top - (left - right) ** 2 / (8 * bend) if bend < 0 else top
    return math.sqrt(float(current @ current) / current.size), peak


def phasors(half: Array, most: int) -> Demand:
    """Phasors at twice the line and its multiples of samples of half a line period."""
    # samples stand in the middle of their steps: phasors are turned back by half a step
    order = np.arange(1, most + 1)
    found = np.fft.rfft(half)[1 : most + 1] * 2 / ANGLES.size * np.exp(-1j * np.pi * order / ANGLES.size)
    return tuple(complex(p) for p in found)
