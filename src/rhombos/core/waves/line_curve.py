"""What a rectified mains is to a stage behind its bank: the bank's mean over the power drawn, and its slope there.

One march takes milliseconds, and a stage that settles asks at many powers that hardly differ: marched are powers on a grid, and
a cubic through the four about a power gives what lies between them.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import NamedTuple

from rhombos.core.waves.line_half import Behind, Mains
from rhombos.core.waves.line_rectifier import rectified

RATIO = 1.5
"""Each power of the grid over the one before."""


class Leaves(NamedTuple):
    """What a rectified mains leaves at a power: the bank's mean, V, and by how much that falls with the current drawn from it,
    Ω."""

    mean: float
    ohms: float


def leaves(mains: Mains, behind: Behind, power: float) -> Leaves | None:
    """The bank at a power, W, more than nothing; None where the mains cannot feed it. Source: Lagrange's interpolation over the
    logarithm of the power."""
    place = math.log(power) / math.log(RATIO)
    below = math.floor(place)
    nodes = [(n, volts) for n in range(below - 1, below + 3) if (volts := _node(mains, behind, n)) is not None]
    if all(n > below for n, _ in nodes):
        return None
    mean = slope = 0.0
    for n, volts in nodes:
        others = [m for m, _ in nodes if m != n]
        whole = math.prod(n - m for m in others)
        mean += volts * math.prod(place - m for m in others) / whole
        slope += volts * sum(math.prod(place - k for k in others if k != m) for m in others) / whole
    by_power = slope / (power * math.log(RATIO))  # dV/dP
    return Leaves(mean, max(0.0, -by_power / (1 / mean - power / mean**2 * by_power)))


@lru_cache(maxsize=4096)
def _node(mains: Mains, behind: Behind, n: int) -> float | None:
    made = rectified(mains, behind, RATIO**n)
    return made.mean if made.held else None
