"""The input bank: cans that stand the source, carry the ripple, and take what leads and load give up."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple, Protocol

from rhombos.core.design.brief import Brief
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.parts import Capacitor, Shelf
from rhombos.core.units.solvers import root

RESERVE = 1.02
"""What the next round of settling may still add to a current."""
MOST_CANS, MOST_COUNT = 16, 60
MOST_SERIES = 4
"""Times that banks are put in series at most."""
LEAST_BANK, MOST_BANK = -7.0, 1.0
"""Between which a bank is looked for, decades of a farad."""
BANK_IMBALANCE = 0.15
"""How much more than its share one of two capacitor banks in series may carry: their tolerance and leakage."""
CAN_PLACE = 0.45
"""Relative cost of one more can's place on the board."""


class Rippling(Protocol):
    """What a bank carries, and what flows back through it, as they follow from its capacitance, F."""

    def __call__(self, capacitance: float, /) -> float:
        """RMS of what the bank carries, A."""

    def returned(self, capacitance: float, /) -> float:
        """Charge that flows back to the source in half a line period, C."""


Ripple = float | Rippling
"""What a bank carries, A: of any capacitance, or as it follows from it."""


@dataclass(frozen=True, slots=True)
class Joined:
    """What a bank carries of a stage, and of a converter beside it whose pulses have another frequency, A."""

    ripple: Ripple
    beside: float

    def __call__(self, capacitance: float) -> float:
        """RMS of both, A."""
        return math.hypot(self.ripple if isinstance(self.ripple, float | int) else self.ripple(capacitance), self.beside)

    def returned(self, capacitance: float) -> float:
        """Charge that flows back to the source in half a line period, C."""
        return 0.0 if isinstance(self.ripple, float | int) else self.ripple.returned(capacitance)


def can_voltage(full: float, banks: int) -> float:
    """The highest voltage on one can, V: banks in series share unevenly."""
    return full if banks == 1 else full / banks * (1 + BANK_IMBALANCE)


def banks_for(full: float, least: int, shelf: Shelf, rules: Rules) -> int:
    """The fewest banks in series, a multiple of the minimum that the stage asks for, in which the shelf's best cans stand the
    highest voltage, V; the most there may be where none do. A can that is pinned asks for none: too weak a one is told."""
    stood = (1 - rules.input_capacitor_margin) * max(
        (c.v_rating for c in shelf.all(Capacitor) if c.family == "electrolytic"), default=0.0
    )
    times = range(1, MOST_SERIES + 1)
    return least * next((n for n in times if can_voltage(full, least * n) <= stood), MOST_SERIES)


@dataclass(frozen=True, slots=True)
class Lifted:
    """How far a bank rises by what the load returns, whose source takes nothing back but into a capacitor of its own, F."""

    ripple: Rippling
    beside: float

    def __call__(self, bank: float) -> float:
        """The rise, V, of a bank, F."""
        return self.ripple.returned(bank) / (bank + self.beside)

    def bank_for(self, rise: float) -> float:
        """The least bank, F, that keeps to a rise, V; the largest that is looked for where none does."""

        def over(decades: float) -> float:
            return self(10.0**decades) - rise

        if over(LEAST_BANK) <= 0:
            return 0.0
        return float(10.0 ** (root(over, LEAST_BANK, MOST_BANK, xtol=1e-3) if over(MOST_BANK) < 0 else MOST_BANK))


def lifted_to(brief: Brief, rules: Rules) -> float:
    """The highest voltage of a bank, V: of a source that takes nothing back, with what a load may lift it by in the surge."""
    full = brief.source.volts[2]
    if brief.source.blocking is None:
        return full
    return full + rise_allowed(brief, rules) * brief.power.surge / brief.power.continuous


class Lift(NamedTuple):
    """What lies on top of the source's highest voltage, V: the ring of the leads, and what a load returns, as last settled."""

    rise: float = 0.0
    returned: float = 0.0

    def top(self, brief: Brief, rules: Rules) -> float:
        """The highest voltage for which switches are proposed, V. What is returned moves with the bank that is proposed beside
        them: all that the rules allow is counted."""
        return (lifted_to(brief, rules) if self.returned > 0 else brief.source.volts[2]) + self.rise


NO_LIFT = Lift()


def rise_allowed(brief: Brief, rules: Rules) -> float:
    """What a load may lift the bank by at full power, V: what the rules allow, and in the surge twice that."""
    return rules.bank_rise * brief.source.volts[0] * min(1.0, 2 * brief.power.continuous / brief.power.surge)


def _carrying(ripple: Ripple, can: Capacitor, banks: int, most: int, rules: Rules) -> int:
    """The fewest cans in parallel that carry a ripple; one more than `most` where these do not."""
    able = can.i_ripple * (1 - rules.ripple_current_margin) / RESERVE
    if not callable(ripple):
        return math.ceil(ripple / able)
    if most < MOST_COUNT and ripple(most * can.c / banks) > able * most:
        return most + 1
    low, high = 0, most
    while high - low > 1:  # the more cans, the less has each
        middle = (low + high) // 2
        low, high = (low, middle) if ripple(middle * can.c / banks) <= able * middle else (middle, high)
    return high


def cans_for(
    full: float, ripple: Ripple, least: float, lifted: Lifted | None, pins: Fields, shelf: Shelf, rules: Rules
) -> Fields:
    """Cans that stand the voltage, that to which a load lifts them too, carry the ripple, A, and make at least a capacitance,
    F."""
    best: tuple[float, str, int] | None = None
    wanted = can_voltage(full, pins["banks"]) / (1 - rules.input_capacitor_margin)
    for can in sorted(shelf.all(Capacitor), key=lambda c: (c.price + CAN_PLACE) / c.i_ripple):
        if can.family != "electrolytic" or pins.get("capacitor", can.id) != can.id:
            continue
        if "capacitor" not in pins and can.v_rating < wanted:
            continue
        each = can.price + CAN_PLACE
        # as many as may cost no more than the best so far
        most = MOST_COUNT if best is None else max(1, min(MOST_COUNT, math.floor(best[0] / each + 1e-9)))
        carried = _carrying(ripple, can, pins["banks"], most, rules)
        if best is not None and carried > most and "count" not in pins:
            continue
        count = int(pins.get("count", max(2, carried, math.ceil(pins["banks"] * RESERVE * least / can.c))))
        if lifted and "capacitor" not in pins:
            risen = full + lifted(count * can.c / pins["banks"])
            if can_voltage(risen, pins["banks"]) > can.v_rating * (1 - rules.input_capacitor_margin):
                continue
        key = (count * each + max(0, count - MOST_CANS) * 10, can.id, count)
        best = key if best is None or key < best else best
    if best is None and lifted:
        return cans_for(full, ripple, least, None, pins, shelf, rules)
    if best is None:
        fallback = max(shelf.all(Capacitor), key=lambda c: (c.family == "electrolytic", c.v_rating, c.i_ripple))
        best = (0.0, fallback.id, 2)
    return {"capacitor": best[1], "count": min(best[2], MOST_COUNT)}
