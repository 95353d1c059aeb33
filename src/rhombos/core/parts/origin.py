"""Unverified switches: what they are taken to be, and how each is tested before it is soldered in."""

from __future__ import annotations

from typing import Literal

from rhombos.core.parts.kinds import Igbt, Mosfet
from rhombos.core.parts.shelf import Shelf

Origin = Literal["verified", "unverified"]
VOLTAGE, CURRENT, RESISTANCE, THERMAL, ON_STATE = 0.8, 0.6, 1.5, 1.3, 1.15
"""A relabelled or rejected part holds a lower class of voltage and has a smaller die: less current, more resistance, electrical
and thermal, than is printed on it; an IGBT's threshold and slope rise, its edges slow with the resistance. House figures."""


def as_unverified(shelf: Shelf) -> Shelf:
    """The same shelf, with every MOSFET and IGBT taken to be worse than it says; each keeps its label. Made once."""
    return shelf.seen("unverified", lambda p: worse(p) if isinstance(p, (Mosfet, Igbt)) else p)


def worse(part: Mosfet | Igbt) -> Mosfet | Igbt:
    """The part as it is counted on while nobody has tested it."""
    change = {
        "v_rating": part.v_rating * VOLTAGE,
        "i_rating": part.i_rating * CURRENT,
        "r_on": part.r_on * RESISTANCE,
        "r_jc": part.r_jc * THERMAL,
    }
    if isinstance(part, Igbt):
        change |= {"v_0": part.v_0 * ON_STATE, "t_r": part.t_r * RESISTANCE, "t_f": part.t_f * RESISTANCE}
    doubted = part.model_copy(update=change)
    doubted._printed = part
    return doubted
