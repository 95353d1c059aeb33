"""A sine bridge on a rail that gives way: what the rail's swing at twice the line and twice that makes of bridge and source.

The bridge takes m = M·sin θ of the rail and draws m times its own current from it. A current at an odd multiple of the line
makes the rail swing at the even multiples beside it, the rail's swing makes voltages at the odd ones, and so on; for linear
loads the balance of all of them up to the fifth is a pair of complex equations, solved here.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from rhombos.core.waves.pulsation import open_share


@dataclass(frozen=True, slots=True)
class Rail:
    """Impedance of what feeds a bridge at twice and at four times the line, Ω; a firm rail has none."""

    second: complex = 0j
    fourth: complex = 0j

    def at_the_crest(self, index: float) -> float:
        """What short pulses at the crest meet of it, Ω: a bridge of a modulation index takes nearly M of the rail there, and
        draws nearly M of their current."""
        return index**2 * self.fourth.real


FIRM = Rail()


def behind(resistance: float, bank: float, line: float, leads: float = 0.0) -> Rail:
    """A source of a resistance, Ω, beside a bank, F, at a line frequency, Hz, with inductance in its leads, H: of each swing
    the share that passes to the source drops there."""
    second, fourth = open_share(line, resistance, leads, bank, 2)
    s = 4j * math.pi * line
    return Rail((resistance + s * leads) * second, (resistance + 2 * s * leads) * fourth)


@dataclass(frozen=True, slots=True)
class Swing:
    """Of a rail, over its mean: its swing at twice the line and at four times that, phasors (cosine at angle 0 of the
    modulation m = M·sin θ)."""

    second: complex
    fourth: complex

    def bridge(self, fundamental: float, made: float) -> tuple[complex, complex]:
        """Third and fifth harmonic that the bridge makes, peak phasors in V of sines, for its fundamental, V, and the share
        of M times the rail's mean that this is. Source: sin θ·cos 2θ = ½·sin 3θ − ½·sin θ, and so on."""
        whole = fundamental / made
        return whole * (self.second - self.fourth) / 2, whole * self.fourth / 2


def swinging(
    rail: Rail, index: float, first: complex, third: complex, fifth: complex, pushed: tuple[complex, complex] = (0j, 0j)
) -> Swing:
    """The swing of a rail under a bridge of a modulation index M.

    `first`, `third`, `fifth`: current into what the bridge drives over its voltage, S, at the line and at three and five times
    that. `pushed`: how far other currents that the bridge draws push the rail at twice and at four times the line, over its
    mean. Source: v₂ = −Z₂·(m·i)₂, v₄ = −Z₄·(m·i)₄ with i₁ = Y₁·(m·v)₁ and so on.
    """
    two, four = index**2 * rail.second / 2, index**2 * rail.fourth / 2
    # a·v₂ − b·v₄ = c, d·v₄ − e·v₂ = f
    a, b, c = 1 + two * (first + third) / 2, two * third / 2, two * first + pushed[0]
    d, e, f = 1 + four * (third + fifth) / 2, four * third / 2, pushed[1]
    second = (c * d + b * f) / (a * d - b * e)
    return Swing(second, (f + e * second) / d)
