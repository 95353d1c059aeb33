"""The span of a potentiometer: how far it reliably turns, whatever its own resistance, and the end resistor that keeps it from
turning much further."""

from __future__ import annotations

from typing import Any

from rhombos.core.book import sense
from rhombos.core.design.rules import Rules
from rhombos.core.units.preferred import E6, E24, at_least

WORTH_IT = 1.1
"""The lowest resistance that a potentiometer may have over what is needed, from which on an end resistor is fitted."""


def reached(potentiometer: Any, across: float, side: int, rules: Rules) -> Any:
    """Resistance, Ω, of a potentiometer, or of what is left of it, with the end resistor across it, if there is one: as marked
    (0), or both off by all that the house allows, one way (−1) or the other (1). For one or for many."""
    own = potentiometer * (1 + side * rules.potentiometer_tolerance)
    return sense.parallel(R_1=own, R_2=across * (1 + side * rules.resistor_tolerance)) if across else own


def spanning(needed: float, rules: Rules) -> tuple[float, float]:
    """A potentiometer, and an end resistor across it or 0, Ω, that reliably reach a resistance, Ω, and little more."""
    potentiometer = at_least(needed / (1 - rules.potentiometer_tolerance), E6)
    lowest = reached(potentiometer, 0.0, -1, rules)
    if lowest < WORTH_IT * needed:
        return potentiometer, 0.0
    across = sense.parallel.invert("R_2", {"R": needed, "R_1": lowest})
    return potentiometer, at_least(across / (1 - rules.resistor_tolerance), E24)
