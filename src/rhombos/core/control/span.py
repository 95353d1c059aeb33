"""The span of a potentiometer: how far it surely turns, whatever its own resistance, and the end resistor that keeps it from
turning much further."""

from __future__ import annotations

from rhombos.core.units.preferred import E6, E24, at_least

POTENTIOMETER = 0.2
"""Tolerance of a potentiometer's resistance; as fixed resistors have theirs, its ends have none."""
WORTH_IT = 1.1
"""Excess of the least resistance that a potentiometer may have over what is needed, from which on an end resistor is fitted."""


def reached(potentiometer: float, across: float, share: float, tolerance: float) -> float:
    """Resistance at its end, Ω, with the potentiometer off by a share of its value, and the end resistor across it, if there is
    one, off by a tolerance the same way."""
    own = potentiometer * (1 + share)
    if not across:
        return own
    beside = across * (1 + (tolerance if share > 0 else -tolerance if share < 0 else 0.0))
    return own * beside / (own + beside)


def spanning(needed: float, tolerance: float) -> tuple[float, float]:
    """A potentiometer, and an end resistor across it or 0, Ω, that surely reach a resistance, Ω, and little more."""
    potentiometer = at_least(needed / (1 - POTENTIOMETER), E6)
    least = potentiometer * (1 - POTENTIOMETER)
    if least < WORTH_IT * needed:
        return potentiometer, 0.0
    return potentiometer, at_least(1 / ((1 / needed - 1 / least) * (1 - tolerance)), E24)
