"""Control loops: a choke-output stage, its compensator, and what their product does. Complex frequency responses, no states."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Complex = NDArray[np.complexfloating]
Real = NDArray[np.float64]
SWEEP = np.geomspace(0.1, 300e3, 180)
"""Frequencies of a loop's picture, Hz."""
AROUND = np.geomspace(0.8, 1.25, 31)
"""Frequencies about a resonance over it: its peak may be narrower than a step of the sweep."""


def _added(a: Real, b: Real) -> Real:
    """The sum of two polynomials, highest power first."""
    size = max(a.size, b.size)
    return np.pad(a, (size - a.size, 0)) + np.pad(b, (size - b.size, 0))


@dataclass(frozen=True, slots=True)
class Plant:
    """From control voltage to output: gain at rest; choke, H, with its path's resistance, Ω; bank, F, and its series
    resistance, Ω; load, Ω, negative where it takes a constant power, infinite where its power is fed forward; a further pole,
    Hz (an opto-coupler's; infinite for none).

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

    def output(self, frequency: Real) -> Complex:
        """What the bank and the load are to a current, Ω."""
        return np.asarray(1 / (1 / self.load + 1 / self.bank_at(frequency)))

    def bank_at(self, frequency: Real) -> Complex:
        """The bank alone, Ω."""
        return np.asarray(self.esr + 1 / (2j * np.pi * frequency * self.bank))

    def open_impedance(self, frequency: Real) -> Complex:
        """What a current drawn from the link meets while the loop is open, Ω: the bank, and what feeds it in parallel."""
        if self.programmed:
            return self.output(frequency)
        feed = self.path + 2j * np.pi * frequency * self.inductance
        return np.asarray(1 / (1 / self.output(frequency) + 1 / feed))

    def response(self, frequency: Real) -> Complex:
        """The response at frequencies, Hz.

        Source: averaged model of a choke-output stage; load and bank after the choke.
        """
        s = 2j * np.pi * frequency
        if self.programmed:
            stage = self.gain * self.output(frequency) / (1 + s / (2 * np.pi * self.follows))
        else:
            out = self.output(frequency)
            stage = self.gain * out / (out + self.path + s * self.inductance)
        return np.asarray(stage / (1 + s / (2 * np.pi * self.pole)))

    def polynomials(self) -> tuple[Real, Real]:
        """Numerator and denominator in s, highest power first."""
        c, esr, admittance = self.bank, self.esr, 1 / self.load
        top = np.array([esr * c, 1.0])
        out = np.array([c * (1 + esr * admittance), admittance])  # Z = top/out
        if self.programmed:
            bottom = out if math.isinf(self.follows) else np.convolve(out, [1 / (2 * np.pi * self.follows), 1.0])
        else:
            bottom = _added(top, np.convolve(out, [self.inductance, self.path]))
        if not math.isinf(self.pole):
            bottom = np.convolve(bottom, [1 / (2 * np.pi * self.pole), 1.0])
        return self.gain * top, bottom


@dataclass(frozen=True, slots=True)
class Compensator:
    """An error amplifier with R1 ∥ (R3 + C3) at its input and (R2 + C1) ∥ C2 around it. R3 or C3 of 0: none there."""

    r1: float
    r2: float
    c1: float
    c2: float
    r3: float
    c3: float

    def response(self, frequency: Real) -> Complex:
        """Its gain at frequencies, Hz, without the inversion."""
        s = 2j * np.pi * frequency
        around = 1 / (1 / (self.r2 + 1 / (s * self.c1)) + s * self.c2)
        feeding = np.full_like(s, 1 / self.r1)
        if self.r3 > 0 and self.c3 > 0:
            feeding += 1 / (self.r3 + 1 / (s * self.c3))
        return np.asarray(around * feeding)

    def polynomials(self) -> tuple[Real, Real]:
        """Numerator and denominator in s, highest power first."""
        top = np.array([self.r2 * self.c1, 1.0])
        bottom = np.array([self.r2 * self.c1 * self.c2, self.c1 + self.c2, 0.0]) * self.r1
        if self.r3 > 0 and self.c3 > 0:
            return (np.convolve(top, [(self.r1 + self.r3) * self.c3, 1.0]).astype(float),
                    np.convolve(bottom, [self.r3 * self.c3, 1.0]).astype(float))  # fmt: skip
        return top, bottom


def compensate(plant: Plant, crossover: float, margin: float, r1: float) -> Compensator:
    """The compensator that crosses over at a frequency, Hz, with a phase margin, degrees, its input resistor given, Ω.

    Two coincident zeros and poles spread evenly about the crossover; one of each where little boost is needed.
    Source: Venable, the K factor, 1983.
    """
    at = plant.response(np.array([crossover]))[0]
    turned = math.degrees(np.angle(at))
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
    """Where the loop gain last falls through one, Hz, and the least phase left wherever it passes one, degrees, below zero
    where
    the closed loop is unstable; 0 and 180 where the gain never reaches one."""

    crossover: float
    phase: float


def loop(plant: Plant, compensator: Compensator) -> tuple[Real, Complex, Real]:
    """Frequencies, Hz, the loop gain there, and its phase, rad, followed from frequency to frequency."""
    frequency = plant.sweep()
    gain = np.asarray(plant.response(frequency) * compensator.response(frequency))
    return frequency, gain, np.asarray(np.unwrap(np.angle(gain)) - (2 * np.pi if np.angle(gain[0]) > 0.1 else 0.0))


def stable(plant: Plant, compensator: Compensator) -> bool:
    """Whether the closed loop comes to rest: every root of its characteristic polynomial lies left of the axis."""
    (a, b), (c, d) = plant.polynomials(), compensator.polynomials()
    characteristic = _added(np.convolve(b, d), np.convolve(a, c))
    return bool(np.all(np.roots(characteristic).real < 0))


def _at(plant: Plant, compensator: Compensator, frequency: float) -> complex:
    at = np.array([frequency])
    return complex((plant.response(at) * compensator.response(at))[0])


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
        least = min(least, abs(math.degrees(np.angle(-_at(plant, compensator, at)))))
        crossover = at if level[i] > 0 else crossover
    return Margins(crossover, least if stable(plant, compensator) else -least)


def passed_share(plant: Plant, compensator: Compensator, frequency: float, terms: int) -> tuple[complex, ...]:
    """The share σ of the output's pulsation that reaches what feeds the link, at multiples of twice a line frequency, Hz.

    The link answers a drawn current with Z/(1 + T); what its bank does not give, the choke must.
    """
    sways = np.asarray(link_swing(plant, compensator, frequency, terms))
    return tuple(complex(x) for x in 1 + sways / plant.bank_at(_twice_line(frequency, terms)))


@lru_cache(maxsize=64)
def link_swing(plant: Plant, compensator: Compensator, frequency: float, terms: int) -> tuple[complex, ...]:
    """What a unit of current, A, swinging in what is drawn makes of the link at the same multiples, V: the duty that holds the
    choke's current follows it, and the source's current with the duty."""
    at = _twice_line(frequency, terms)
    closed = plant.open_impedance(at) / (1 + plant.response(at) * compensator.response(at))
    return tuple(complex(-x) for x in closed)


def _twice_line(frequency: float, terms: int) -> Real:
    return np.asarray(2 * frequency * np.arange(1, terms + 1), dtype=np.float64)
