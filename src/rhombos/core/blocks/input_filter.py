"""What a stage's pulses return to the source, whether the input comes to rest before it, and the filter against either."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from rhombos.core.book import filters
from rhombos.core.book import input_filter as book
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.units.preferred import at_least
from rhombos.core.units.solvers import root

MOST_ORDERS = 5
"""Lines of the pulses of which the largest at the source is told."""
CAN_LEADS = 15e-9
"""Inductance of one can with its way on the board, H: a radial part on wide copper."""
LEAST_DAMPING, PROPOSED_DAMPING = 0.1, 0.15
"""Damping ratio of the input below which it rings on at every step, and the one that proposals keep."""
MOST_CHOKE = 1e-3
LEAST_CHOKE = -9.0
"""From where a filter choke is looked for, decades of a henry."""
ROUNDS = 5
"""Times that a choke and the bank beside it are chosen in turn."""
CHOKE_DROP = 5e-3
"""Share of the lowest input that a filter choke may drop."""
JUST_ABOVE = 1.001
"""How far a stage's slope must lie above the resistances before it for the input to stand at all."""
LEAST_LEFT = 1e-9
"""Ripple that counts as none, A."""
DAMPERS = tuple(float(x) for x in np.geomspace(4.0, 0.25, 13))
"""Dampers that are tried, over the input's wave resistance, the highest first: it takes least off the choke."""


@dataclass(frozen=True, slots=True)
class Noise:
    """What a stage draws at its carrier: pulses a second, Hz; the share of the time that they take, or, where they are no flat
    pulses, the RMS of what swings with the carrier, A; whether the stage draws the same power from less voltage."""

    frequency: float
    duty: float = 1.0
    rms: float = 0.0
    constant: bool = False

    def line(self, order: int, mean: float, worksheet: Worksheet) -> float:
        """RMS of one line of it, A, at a mean current, A."""
        if self.rms > 0 or mean <= 0:
            return self.rms if order == 1 else 0.0
        given = {"I_in": max(mean, 1e-6), "n_ord": float(order), "D_tot": min(1.0, max(self.duty, 1e-3))}
        return worksheet.work("input_stage.pulse_line", book.pulse_line, **given)


@dataclass(frozen=True, slots=True)
class Way:
    """Between source and stage: all resistance up to the bank, Ω; inductance of the leads, and of a filter choke, H; a
    resistor across that choke, Ω, 0 for none; the bank, F, its series resistance, Ω, and its leads', H."""

    resistance: float
    leads: float
    choke: float
    damper: float
    bank: float
    esr: float
    esl: float

    def before(self, hertz: float) -> complex:
        """Impedance of source, leads and choke, Ω."""
        turn = 2 * math.pi * hertz
        choke = 1j * turn * self.choke
        if self.damper > 0 and self.choke > 0:
            choke = choke * self.damper / (choke + self.damper)
        return self.resistance + 1j * turn * self.leads + choke


@dataclass(frozen=True, slots=True)
class Rest:
    """What returns to the source of each line of the pulses, A RMS, and the frequency of the first, Hz; where the input
    resonates, Hz, and how it is damped, over its critical damping: None before a stage that draws no more as its input
    falls."""

    lines: tuple[float, ...] = ()
    first: float = 0.0
    resonance: float = 0.0
    damping: float | None = None

    @property
    def ripple(self) -> float:
        """The largest line, A RMS."""
        return max(self.lines, default=0.0)

    @property
    def hertz(self) -> float:
        """Where that lies, Hz."""
        return self.first * (1 + self.lines.index(self.ripple)) if self.lines else 0.0


def returned(noise: Noise, mean: float, way: Way, worksheet: Worksheet) -> tuple[float, ...]:
    """What the source carries of each line of the pulses, RMS, A; the largest is worked out last, for its working to stay."""

    def at(order: int, book_: Worksheet) -> float:
        hertz = order * noise.frequency
        line, before = noise.line(order, mean, book_), way.before(hertz)
        reactance = book_.work("input_stage.bank_reactance", book.bank_reactance, f=hertz, L_can=way.esl, C=way.bank)
        if line < LEAST_LEFT:
            return 0.0
        return book_.work("input_stage.source_ripple", book.returned_ripple, I_rms=line, R_b=way.esr, X_b=reactance,
                          R_s=before.real, X_s=before.imag)  # fmt: skip

    found = tuple(at(order, SILENT) for order in range(1, MOST_ORDERS + 1))
    if worksheet.recording:
        at(1 + found.index(max(found)), worksheet)
    return found


def damping(way: Way, slope: float, worksheet: Worksheet = SILENT) -> float:
    """Damping ratio of the input before a stage of a slope, Ω, its sign turned; below 0 it oscillates."""
    if way.damper > 0 and way.choke > 0:
        found = _damped(way, slope)
        return worksheet.total("input_stage.damping", {"slowest pair of roots, with the resistor across the choke": found})
    if slope <= max(way.resistance, way.esr) * JUST_ABOVE:
        return -1.0
    whole = {"R_s": way.resistance, "R_b": way.esr, "C": way.bank, "L": way.leads + way.choke}
    return worksheet.work("input_stage.damping", book.input_damping, R_n=min(slope, 1e7), **whole)


def _damped(way: Way, slope: float) -> float:
    """The same with a resistor across the choke: the least damped pair of roots of the third-order circuit."""
    s = np.polynomial.Polynomial([0.0, 1.0])
    choke, bank = way.choke, way.bank
    # Z = R + s·L + s·Lf·Rd/(Rd + s·Lf); 1/Z + s·C/(1 + s·C·Rb) − 1/Rn = 0
    below = way.damper + s * choke
    above = (way.resistance + s * way.leads) * below + s * choke * way.damper
    shunt = 1 + s * bank * way.esr
    whole = below * shunt * slope + s * bank * slope * above - above * shunt
    roots = [complex(r) for r in whole.roots()]
    ratios = [-r.real / abs(r) for r in roots]
    pairs = [ratio for ratio, r in zip(ratios, roots, strict=True) if abs(r.imag) > 1e-9 * abs(r)]
    return min(pairs or [1.0], default=1.0) if min(ratios) > 0 else min(ratios)


def rest(noise: Noise | None, mean: float, volts: float, way: Way, worksheet: Worksheet, beside: float = 0.0) -> Rest:
    """What a stage that draws a mean current, A, at a voltage, V, makes of its input; `beside` is what a converter of constant
    power draws there too, A."""
    resonance = worksheet.work("input_stage.resonance", filters.corner, L=way.leads + way.choke, C=way.bank)
    settles = None
    held = beside + (mean if noise and noise.constant else 0.0)
    if held > 0:
        slope = worksheet.work("input_stage.slope", book.negative_resistance, V_in=volts, I_in=max(held, 1e-6))
        settles = damping(way, slope, worksheet)
    if noise is None:
        return Rest(resonance=resonance, damping=settles)
    return Rest(returned(noise, mean, way, worksheet), noise.frequency, resonance, settles)


def bank_for(way: Way, slope: float) -> float:
    """The least bank, F, that damps an input before a stage of a slope, Ω, as proposals ask, its series resistance left out; 0
    where none would do."""
    if slope <= way.resistance * JUST_ABOVE:
        return 0.0
    asked = {"zeta": PROPOSED_DAMPING, "R_n": min(slope, 1e7), "R_s": way.resistance, "L": way.leads + way.choke}
    return book.damping_bank.work(asked)


def filter_for(noise: Noise, mean: float, most: float, way: Way, slope: float, reach: float) -> Way:
    """The way with the least filter choke of a preferred value that keeps the ripple at the source to a limit, A RMS, and the
    input damped: with a resistor across it, the highest that does, or with as many more cans, up to `reach` times the bank."""
    for _ in range(ROUNDS):
        choke = _choke_for(noise, mean, most, way)
        filtered = replace(way, choke=choke)
        if choke == 0 or damping(filtered, slope) >= PROPOSED_DAMPING:
            return filtered
        wave = math.sqrt((choke + way.leads) / way.bank)
        for share in DAMPERS if way.damper == 0 else ():
            damped = replace(filtered, damper=float(f"{share * wave:.2g}"))
            if damping(damped, slope) >= PROPOSED_DAMPING and max(returned(noise, mean, damped, SILENT)) <= most:
                return damped
        more = min(reach, max(1.0 + 1e-3, bank_for(filtered, slope) / way.bank))
        reach /= more
        # the more cans, the less their resistance too: the choke may be smaller
        way = replace(way, bank=more * way.bank, esr=way.esr / more, esl=way.esl / more)
    return replace(way, choke=_choke_for(noise, mean, most, way))


def _choke_for(noise: Noise, mean: float, most: float, way: Way) -> float:
    """The least choke of a preferred value, H, that keeps the ripple to a limit, A; 0 where none is needed."""
    if max(returned(noise, mean, way, SILENT)) <= most:
        return 0.0

    def over(decades: float) -> float:
        return max(returned(noise, mean, replace(way, choke=10.0**decades), SILENT)) - most

    highest = math.log10(MOST_CHOKE)
    if over(highest) >= 0:
        return MOST_CHOKE
    return min(MOST_CHOKE, at_least(10.0 ** root(over, LEAST_CHOKE, highest, xtol=1e-4) * 1.001))
