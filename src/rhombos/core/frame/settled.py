"""An operating point at which a design has settled."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from rhombos.core.frame.keys import States
from rhombos.core.frame.points import Point


@dataclass(frozen=True)
class Settled:
    """All states at one point, and the power that enters each block, W; whether the passes came to rest; the stages from which
    power leaves."""

    point: Point
    states: States
    flow: Mapping[str, float]
    converged: bool = field(default=False, kw_only=True)
    endings: tuple[str, ...] = field(default=("load",), kw_only=True)

    @property
    def delivered(self) -> float:
        """What all sockets get, W."""
        return sum(self.flow[key] for key in self.endings)
