"""Control loops: a choke-output stage, its compensator, and what their product does. Complex frequency responses, no states."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Complex = NDArray[np.complexfloating]
Real = NDArray[np.float64]
SWEEP = np.geomspace(1.0, 300e3, 180)
"""Frequencies of a loop's picture, Hz."""


@dataclass(frozen=True, slots=True)
class Plant:
    """From control voltage to output: gain at rest; choke, H, with its path's resistance, Ω; bank, F, and its series
    resistance, Ω; load, Ω; a further pole, Hz (an opto-coupler's; infinite for none)."""

    gain: float
    inductance: float
    path: float
    bank: float
    esr: float
    load: float
    pole: float = math.inf

    def factors(self, frequency: Real) -> list[Complex]:
        """Choke, bank and load; and the further pole: each turns the phase by less than half a turn, at frequencies, Hz.

        Source: averaged model of a choke-output stage; load and bank after the choke.
        """
        s = 2j * np.pi * frequency
        output = 1 / (1 / self.load + 1 / (self.esr + 1 / (s * self.bank)))
        return [self.gain * output / (output + self.path + s * self.inductance), 1 / (1 + s / (2 * np.pi * self.pole))]

    def response(self, frequency: Real) -> Complex:
        """The response at frequencies, Hz."""
        return np.asarray(math.prod(self.factors(frequency)))


@dataclass(frozen=True, slots=True)
class Compensator:
    """An error amplifier with R1 ∥ (R3 + C3) at its input and (R2 + C1) ∥ C2 around it. R3 or C3 of 0: none there."""

    r1: float
    r2: float
    c1: float
    c2: float
    r3: float
    c3: float

    def factors(self, frequency: Real) -> list[Complex]:
        """What lies around the amplifier, and what feeds it: each turns the phase by less than half a turn."""
        s = 2j * np.pi * frequency
        around = 1 / (1 / (self.r2 + 1 / (s * self.c1)) + s * self.c2)
        feeding = np.full_like(s, 1 / self.r1)
        if self.r3 > 0 and self.c3 > 0:
            feeding += 1 / (self.r3 + 1 / (s * self.c3))
        return [around, feeding]

    def response(self, frequency: Real) -> Complex:
        """Its gain at frequencies, Hz, without the inversion."""
        return np.asarray(math.prod(self.factors(frequency)))


def compensate(plant: Plant, crossover: float, margin: float, r1: float) -> Compensator:
    """The compensator that crosses over at a frequency, Hz, with a phase margin, degrees, its input resistor given, Ω.

    Two coincident zeros and poles spread evenly about the crossover; one of each where little boost is needed.
    Source: Venable, the K factor, 1983.
    """
    at = plant.response(np.array([crossover]))[0]
    boost = min(160.0, max(5.0, margin - 90.0 - math.degrees(np.angle(at))))
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
    """Where the loop gain last falls through one, Hz, and the phase left there, degrees; 0 and 180 where it never does."""

    crossover: float
    phase: float


def loop(plant: Plant, compensator: Compensator, frequency: Real = SWEEP) -> tuple[Real, Complex, Real]:
    """Frequencies, Hz, the loop gain there, and its phase, rad.

    The phase is summed from factors of less than half a turn each, so that no resonance, however sharp, makes it slip by a
    whole turn between two frequencies.
    """
    factors = plant.factors(frequency) + compensator.factors(frequency)
    return frequency, np.asarray(math.prod(factors)), np.asarray(sum(np.angle(f) for f in factors))


def margins(plant: Plant, compensator: Compensator) -> Margins:
    """Crossover and phase margin of the loop."""
    frequency, gain, _ = loop(plant, compensator)
    level = np.log(np.abs(gain))
    falls = np.flatnonzero((level[:-1] > 0) & (level[1:] <= 0))
    if not falls.size:
        return Margins(0.0, 180.0)
    i = int(falls[-1])
    share = level[i] / (level[i] - level[i + 1])
    crossover = float(np.exp(np.log(frequency[i]) + share * np.log(frequency[i + 1] / frequency[i])))
    _, _, phase = loop(plant, compensator, np.array([crossover]))
    return Margins(crossover, 180.0 + math.degrees(phase[0]))
