"""A threshold made of real parts: a comparator on a tap, with the resistor that gives it hysteresis and a trimmer."""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from functools import lru_cache

from rhombos.core.book import sense
from rhombos.core.design.rules import Rules
from rhombos.core.units.preferred import E6, at_least, nearest
from rhombos.core.units.quantities import short

REFERENCE, HIGH = 2.5, 5.0
"""Reference of the comparators and their output when high, V."""
HIGH_TOLERANCE = 0.05
TOPS = (100e3, 91e3, 110e3, 82e3, 120e3)
"""Upper resistors of proposed taps, Ω: they draw little, and leakage still does not matter."""
SET_WITHIN = 0.005
"""How closely a person sets a trimmer, with what drifts afterwards."""
TURNS = 25
"""Turns of a trimmer from end to end."""


@dataclass(frozen=True, slots=True)
class Tap:
    """Upper and lower resistor, trimmer in series with the lower one, and the resistor back from the output, Ω."""

    top: float
    bottom: float
    trimmer: float
    hold: float

    def levels(self, place: float = 0.5) -> tuple[float, float]:
        """Falling and rising threshold, V, with the trimmer at a place between its ends."""
        return _levels(self.top, self.bottom + place * self.trimmer, self.hold, REFERENCE, HIGH)

    @property
    def text(self) -> str:
        """Its parts as they are written beside a drawing."""
        top, bottom, trimmer, hold = (short(r, "ohm") for r in (self.top, self.bottom, self.trimmer, self.hold))
        return f"{top} / {bottom} + {trimmer} trim, {hold} back"


@dataclass(frozen=True, slots=True)
class Band:
    """Where a threshold may lie, V: lowest, nominal, highest; the same fresh from the iron; what the trimmer reliably covers;
    where it turns back."""

    low: float
    nominal: float
    high: float
    fresh_low: float
    fresh_high: float
    reach_low: float
    reach_high: float
    back: float
    back_low: float
    back_high: float

    @property
    def per_turn(self) -> float:
        """Volts of one turn of the trimmer."""
        return abs(self.reach_high - self.reach_low) / TURNS


def _levels(top: float, bottom: float, hold: float, reference: float, high: float) -> tuple[float, float]:
    given = {"V_ref": reference, "R_1": top, "R_2": bottom, "R_h": hold}
    return sense.comparator_falls.work({**given, "V_high": high}), sense.comparator_rises.work(given)


@lru_cache(maxsize=512)
def fit(turns: float, back: float, rules: Rules, top: float | None = None) -> Tap:
    """Preferred values for a threshold that turns at one voltage and back at the other, V, whichever way.

    The trimmer covers every tolerance about its middle. Raises: ValueError where `turns` and `back` are the same, or the
    lower one is not above the reference.
    """
    fall, rise = sorted((turns, back))
    if fall <= REFERENCE or rise <= fall:
        raise ValueError(f"no comparator at {REFERENCE:g} V turns at {turns:g} V and back at {back:g} V")
    made = [_fitted(turns, turns == rise, rise - fall, t, n, rules) for t in ((top,) if top else TOPS) for n in range(3)]
    return min(made, key=lambda found: found[:2])[2]


def _fitted(level: float, rises: bool, gap: float, top: float, larger: int, rules: Rules) -> tuple[bool, float, Tap]:
    """A tap on one upper resistor with a trimmer so many steps larger than the least: whether it fails to cover every
    tolerance, and how far beside and how coarse it is."""
    hold = nearest(top * HIGH / gap)
    # the tap that puts the threshold that matters where it should be, whatever the preferred value made of the other
    wanted = top / ((level if rises else level + HIGH * top / hold) / REFERENCE - 1 - top / hold)
    r = rules.resistor_tolerance
    spread = 2 * r + rules.reference_tolerance + (HIGH_TOLERANCE + r) * gap / level
    # how much more the lower resistor must move than the threshold does
    spread *= level * wanted / (REFERENCE * top)
    trimmer = at_least(2 * spread * wanted, E6)
    for _ in range(larger):
        trimmer = at_least(1.2 * trimmer, E6)
    bottom = nearest(max(1.0, wanted - trimmer / 2))
    miss = abs(bottom + trimmer / 2 - wanted) / wanted
    return trimmer / 2 / wanted < 1.1 * spread + miss, miss + trimmer / wanted / 10, Tap(top, bottom, trimmer, hold)


@lru_cache(maxsize=512)
def band(tap: Tap, falls: bool, adjusted: bool, rules: Rules, aim: float | None = None) -> Band:
    """Where the threshold of a tap may lie with every tolerance at either end.

    `adjusted`: the trimmer is set on the bench to `aim`, V, as far as it reaches from every corner.
    """
    nominal = tap.levels()
    which, other = (0, 1) if falls else (1, 0)
    r, v = rules.resistor_tolerance, rules.reference_tolerance
    signs = (-1, 1)

    def corners(place: float) -> list[tuple[float, float]]:
        return [
            _levels(
                tap.top * (1 + a * r),
                (tap.bottom + place * tap.trimmer) * (1 + b * r),
                tap.hold * (1 + c * r),
                REFERENCE * (1 + d * v),
                HIGH * (1 + e * HIGH_TOLERANCE),
            )
            for a, b, c, d, e in itertools.product(signs, repeat=5)
        ]

    fresh = corners(0.5)
    turns, backs = [x[which] for x in fresh], [x[other] for x in fresh]
    # more of the lower resistor lowers the threshold: what is reached from the worst corner at either end
    reach_low, reach_high = max(x[which] for x in corners(1.0)), min(x[which] for x in corners(0.0))
    gap = nominal[other] - nominal[which]
    spread = max(abs(b - t - gap) for t, b in zip(turns, backs, strict=True))
    if not adjusted:
        return Band(
            min(turns),
            nominal[which],
            max(turns),
            min(turns),
            max(turns),
            reach_low,
            reach_high,
            nominal[other],
            min(backs),
            max(backs),
        )
    at = nominal[which] if aim is None else aim
    # from the worst corner the trimmer may end before it gets there
    low, high = min(at, reach_high) * (1 - SET_WITHIN), max(at, reach_low) * (1 + SET_WITHIN)
    return Band(low, at, high, min(turns), max(turns), reach_low, reach_high, at + gap, low + gap - spread, high + gap + spread)
