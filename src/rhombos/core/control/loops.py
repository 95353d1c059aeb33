"""Control loops: a choke-output stage, its compensator, and what their product does. Complex frequency responses, no states."""

from __future__ import annotations

import cmath
import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import zip_longest
from typing import Any

import numpy as np
from numpy.typing import NDArray

Complex = NDArray[np.complexfloating]
Real = NDArray[np.float64]
Phasors = tuple[complex, ...]
SWEEP = np.geomspace(0.1, 300e3, 180)
"""Frequencies of a loop's picture, Hz."""
AROUND = np.geomspace(0.8, 1.25, 31)
"""Frequencies about a resonance over it: its peak may be narrower than a step of the sweep."""


@dataclass(frozen=True, slots=True)
class Plant:
    """From control voltage to output: gain at rest; choke, H, with its path's resistance, Ω; bank, F, and its series
    resistance, Ω; load, Ω, negative where it takes a constant power, infinite where its power is fed forward; a further pole,
    Hz (an opto-coupler's; infinite for none). What it answers at a frequency, Hz, it answers for an array of them too.

    Programmed, the choke is a source of current: `gain` is then amperes a volt, and `follows` how fast it obeys, Hz.
    """

    gain: float
    inductance: float
    path: float
    bank: float
    esr: float
    load: float
    pole: float = math.inf
    programmed: bool = False
    follows: float = math.inf

    def sweep(self) -> Real:
        """Frequencies, Hz, that miss nothing of this plant."""
        resonance = 1 / (2 * math.pi * math.sqrt(self.inductance * self.bank)) if self.inductance > 0 else 1e3
        return np.sort(np.concatenate([SWEEP, resonance * AROUND]))

    def output(self, frequency: Any) -> Any:
        """What the bank and the load are to a current, Ω."""
        return 1 / (1 / self.load + 1 / self.bank_at(frequency))

    def bank_at(self, frequency: Any) -> Any:
        """The bank alone, Ω."""
        return self.esr + 1 / (2j * math.pi * self.bank * frequency)

    def open_impedance(self, frequency: Any) -> Any:
        """What a current drawn from the link meets while the loop is open, Ω: the bank, and what feeds it in parallel."""
        if self.programmed:
            return self.output(frequency)
        return 1 / (1 / self.output(frequency) + 1 / (self.path + 2j * math.pi * self.inductance * frequency))

    def response(self, frequency: Any) -> Any:
        """The response, V/V. Source: averaged model of a choke-output stage; load and bank after the choke."""
        s, out = 2j * math.pi * frequency, self.output(frequency)
        if self.programmed:
            stage = self.gain * out / (1 + s / (2 * math.pi * self.follows))
        else:
            stage = self.gain * out / (out + self.path + s * self.inductance)
        return stage / (1 + s / (2 * math.pi * self.pole))

    def polynomials(self) -> tuple[Real, Real]:
        """Numerator and denominator in s, highest power first."""
        (top, bottom), lags = self._bank_with_load(), self.lags()
        if not self.programmed:
            bottom = np.polyadd(top, np.convolve(bottom, [self.inductance, self.path]))
        return self.gain * top, np.convolve(bottom, lags)

    def lags(self) -> Real:
        """What lies in the way of a command, as a denominator in s."""
        made = np.ones(1)
        for hertz in (self.follows if self.programmed else math.inf, self.pole):
            made = made if math.isinf(hertz) else np.convolve(made, [1 / (2 * np.pi * hertz), 1.0])
        return made

    def impedance(self) -> Real:
        """Numerator in s of `open_impedance`; over its denominator times the lags stands that of the response."""
        top, _ = self._bank_with_load()
        return top if self.programmed else np.convolve(top, [self.inductance, self.path])

    def _bank_with_load(self) -> tuple[Real, Real]:
        c, esr, admittance = self.bank, self.esr, 1 / self.load
        return np.array([esr * c, 1.0]), np.array([c * (1 + esr * admittance), admittance])


@dataclass(frozen=True, slots=True)
class Compensator:
    """An error amplifier with R1 ∥ (R3 + C3) at its input and (R2 + C1) ∥ C2 around it. R3 or C3 of 0: none there."""

    r1: float
    r2: float
    c1: float
    c2: float
    r3: float
    c3: float

    def response(self, frequency: Any) -> Any:
        """Its gain, without the inversion, at a frequency, Hz, or an array of them."""
        s = 2j * math.pi * frequency
        feeding = 1 / self.r1
        if self.r3 > 0 and self.c3 > 0:
            feeding = feeding + 1 / (self.r3 + 1 / (s * self.c3))
        return feeding / (1 / (self.r2 + 1 / (s * self.c1)) + s * self.c2)

    def polynomials(self) -> tuple[Real, Real]:
        """Numerator and denominator in s, highest power first."""
        top = np.array([self.r2 * self.c1, 1.0])
        bottom = np.array([self.r2 * self.c1 * self.c2, self.c1 + self.c2, 0.0]) * self.r1
        if self.r3 > 0 and self.c3 > 0:
            return (
                np.convolve(top, [(self.r1 + self.r3) * self.c3, 1.0]).astype(float),
                np.convolve(bottom, [self.r3 * self.c3, 1.0]).astype(float),
            )
        return top, bottom


def compensate(plant: Plant, crossover: float, margin: float, r1: float) -> Compensator:
    """The compensator that crosses over at a frequency, Hz, with a phase margin, degrees, its input resistor given, Ω.

    Two coincident zeros and poles spread evenly about the crossover; one of each where little boost is needed.
    Source: Venable, the K factor, 1983.
    """
    at = plant.response(crossover)
    turned = math.degrees(cmath.phase(at))
    turned -= 360.0 if turned > 1.0 else 0.0  # a load of constant power turns the phase on, not back
    boost = min(160.0, max(5.0, margin - 90.0 - turned))
    gain = 1 / abs(at)
    omega = 2 * math.pi * crossover
    if boost < 70:
        k = math.tan(math.radians(boost / 2 + 45))
        c2 = 1 / (omega * gain * k * r1)
        c1 = c2 * (k**2 - 1)
        return Compensator(r1, k / (omega * c1), c1, c2, 0.0, 0.0)
    k = math.tan(math.radians(boost / 4 + 45)) ** 2
    c2 = 1 / (omega * gain * r1)
    c1 = c2 * (k - 1)
    r3 = r1 / (k - 1)
    return Compensator(r1, math.sqrt(k) / (omega * c1), c1, c2, r3, 1 / (omega * math.sqrt(k) * r3))


@dataclass(frozen=True, slots=True)
class Margins:
    """Where the loop gain last falls through one, Hz, and the minimum phase left wherever it passes one, degrees, below zero
    where
    the closed loop is unstable; 0 and 180 where the gain never reaches one."""

    crossover: float
    phase: float


def loop(plant: Plant, compensator: Compensator) -> tuple[Real, Complex, Real]:
    """Frequencies, Hz, the loop gain there, and its phase, rad, followed from frequency to frequency."""
    frequency = plant.sweep()
    gain = plant.response(frequency) * compensator.response(frequency)
    return frequency, gain, np.asarray(np.unwrap(np.angle(gain)) - (2 * np.pi if np.angle(gain[0]) > 0.1 else 0.0))


def stable(plant: Plant, compensator: Compensator) -> bool:
    """Whether the closed loop comes to rest: every root of its characteristic polynomial lies left of the axis."""
    (a, b), (c, d) = plant.polynomials(), compensator.polynomials()
    return rests(np.polyadd(np.convolve(b, d), np.convolve(a, c)).tolist())


def step_answer(plant: Plant, compensator: Compensator) -> float:
    """The deepest that the output falls after a step of current is drawn from it, Ω; infinite where it never comes to rest.

    Source: Z/(1 + T) over s in partial fractions; the amplifier's integrator takes the s away.
    """
    (a, b), (c, d) = plant.polynomials(), compensator.polynomials()
    whole = np.polyadd(np.convolve(b, d), np.convolve(a, c))
    if not rests(whole.tolist()):
        return math.inf
    poles = np.roots(whole)
    above = np.convolve(np.convolve(plant.impedance(), plant.lags()), d[:-1])
    parts = np.polyval(above, poles) / np.polyval(np.polyder(whole), poles)
    slowest, fastest = 1 / np.abs(poles).min(), 1 / np.abs(poles).max()
    time = np.concatenate([[0.0], np.geomspace(0.05 * fastest, 5 * slowest, 400)])
    return float((np.exp(np.outer(time, poles)) @ parts).real.max())


def rests(polynomial: Sequence[float]) -> bool:
    """Whether every root of a polynomial, highest power first, lies left of the axis. Source: Routh's array, 1877."""
    upper, lower = polynomial[0::2], polynomial[1::2]
    while lower:
        if upper[0] * lower[0] <= 0:
            return False
        share = upper[0] / lower[0]
        upper, lower = lower, [a - share * b for a, b in zip_longest(upper[1:], lower[1:], fillvalue=0.0)]
    return True


def margins(plant: Plant, compensator: Compensator) -> Margins:
    """Crossover and phase margin of the loop. Source: Nyquist; the distance in angle from −1 wherever the gain is one."""
    frequency = plant.sweep()
    level = np.log(np.abs(plant.response(frequency) * compensator.response(frequency)))
    passes = np.flatnonzero(np.signbit(level[:-1]) != np.signbit(level[1:]))
    if not passes.size:
        return Margins(0.0, 180.0 if stable(plant, compensator) else -180.0)
    least, crossover = 180.0, 0.0
    for i in passes:
        share = level[i] / (level[i] - level[i + 1])
        at = float(np.exp(np.log(frequency[i]) + share * np.log(frequency[i + 1] / frequency[i])))
        least = min(least, abs(math.degrees(cmath.phase(-plant.response(at) * compensator.response(at)))))
        crossover = at if level[i] > 0 else crossover
    return Margins(crossover, least if stable(plant, compensator) else -least)


def answers(plant: Plant, compensator: Compensator, frequency: float, terms: int) -> tuple[Phasors, Phasors]:
    """What the closed loop makes of a current drawn from the link that swings at multiples of twice a line frequency, Hz: the
    share σ of each that reaches what feeds the link; and what a unit of it makes of the link, V.

    The link answers with Z/(1 + T), and what its bank does not give, the choke must. The duty that holds the choke's current
    follows the link, and the source's current with the duty.
    """
    at: Any = 2 * frequency  # a number is answered faster than an array of one
    if terms > 1:
        at = at * np.arange(1, terms + 1)
    swing = -plant.open_impedance(at) / (1 + plant.response(at) * compensator.response(at))
    share = 1 + swing / plant.bank_at(at)
    return (tuple(share.tolist()), tuple(swing.tolist())) if terms > 1 else ((share,), (swing,))
